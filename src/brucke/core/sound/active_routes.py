"""Which routes sound at all, so that the block looks at no others."""

from .compiled import njit


@njit(
    "int64(int32[:, ::1], int32[:, ::1], int32[:, ::1], float32[:, :, :, ::1], int32[:, ::1], int32[:, ::1], "
    "int32[:, ::1], float32[:, :, :, ::1], int32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def find_active(delay0, source0, past0, gain0, delay1, source1, past1, gain1, active):  # type: ignore[no-untyped-def]
    """Fills `active` with (listener, part, changed) of every route that sounds before or after; their number."""
    count = 0
    for listener in range(delay0.shape[0]):
        for p in range(delay0.shape[1]):
            sounds = False
            changed = (
                delay0[listener, p] != delay1[listener, p]
                or source0[listener, p] != source1[listener, p]
                or past0[listener, p] != past1[listener, p]
            )
            for ci in range(gain0.shape[2]):
                for co in range(gain0.shape[3]):
                    a, b = gain0[listener, p, ci, co], gain1[listener, p, ci, co]
                    sounds = sounds or a != 0.0 or b != 0.0
                    changed = changed or a != b
            if sounds:
                active[count, 0] = listener
                active[count, 1] = p
                active[count, 2] = 1 if changed else 0
                count += 1
    return count
