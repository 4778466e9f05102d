"""A block in two goes: what comes in with its chains; the sums of the routes with the listeners' chains and the guard.
Each kernel that is called from Python costs a block more than some of them take."""

from .compiled import njit
from .kernel_arguments import CHAINS, GUARD, INPUTS, PLUG_IN_BLOCKS, ROUTES
from .kernels import finish, guard, mix, shape, take_in


@njit(
    f"void(float32[:, ::1], int32[::1], {INPUTS}, {INPUTS}, float32[::1], {CHAINS}, float32[:, :, ::1], "
    f"float32[:, :, ::1], float32[:, :, :, ::1], int64, float64, int64[::1], {PLUG_IN_BLOCKS})",
    nogil=True, cache=True,
)  # fmt: skip
def take_and_shape(  # type: ignore[no-untyped-def]
    ins, rows, source0, trim0, source1, trim1, fade, codes, params, running, frozen, state, memory, wet, shaped, raw,
    ring,
    pos, rate, bad, sends, returns, answered,
):  # fmt: skip
    """`take_in` and `shape`, with their arguments, where nothing has to be done between them."""
    take_in(
        ins, rows, source0, trim0, source1, trim1, fade, running, frozen, state, memory, shaped, raw, ring, pos, bad
    )  # fmt: skip
    shape(
        codes, params, running, frozen, state, memory, wet, shaped, raw, ring, pos, rate, bad, sends, returns, answered
    )  # fmt: skip


@njit(
    f"void(int64, int64[::1], int64[::1], float32[:, :, :, ::1], int64, int32[:, ::1], int64, boolean, float32[::1], "
    f"{ROUTES}, {ROUTES}, float32[:, :, :, ::1], int64[:, ::1], float32[::1], boolean, int64, int32[::1], {CHAINS}, "
    f"float32[:, ::1], float32[:, :, ::1], float64, {PLUG_IN_BLOCKS}, {GUARD}, float32[:, ::1], int32[:, ::1], "
    "float32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def sum_up(  # type: ignore[no-untyped-def]
    frames, born, age, ring, pos, active, count, fading, fade, delay0, source0, past0, gain0, delay1, source1, past1,
    gain1,
    sums, of, gains, finishing, passed, heard, codes, params, running, frozen, state, memory, wet, work, outs, rate,
    sends, returns, answered, ceiling, envelope, bad, over, level, ducked, duck,
):  # fmt: skip
    """`mix`, `finish` where any listener has a chain (`finishing`), and `guard`, with their arguments; `passed` sums of
    each listener are in use; `level` [2, parts], `ducked` [L, P] and `duck` [K, n] as in `mix`. The block begins with
    frame `frames`, and `age` [parts] becomes how long each part, `born` with its frame, has been there."""
    for p in range(age.shape[0]):
        age[p] = frames - born[p]
    for k in range(passed):
        for j in range(heard.shape[0]):
            sums[k, heard[j]] = 0.0
    mix(
        ring, pos, active, count, fading, fade, delay0, source0, past0, gain0, delay1, source1, past1, gain1, sums, of,
        gains, age, level, work, ducked, duck,
    )  # fmt: skip
    if finishing:
        finish(
            heard, codes, params, running, frozen, state, memory, wet, work, sums, outs, passed > 1, rate, sends,
            returns,
            answered,
        )  # fmt: skip
    guard(outs, heard, rate, ceiling, envelope, bad, over)
