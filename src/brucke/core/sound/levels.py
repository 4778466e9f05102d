"""What the meters show of a block, in one go."""

import numpy as np

from .compiled import ADDS, njit

FULL_SCALE = 0.999


@njit("void(float32[:, :, ::1], int32[::1], float32[:, :, ::1])", nogil=True, cache=True, fastmath=ADDS)
def _levels_of(sound, rows, meters):  # type: ignore[no-untyped-def]
    """meters[:, :, 0] = peak, [:, :, 1] = mean square, of the `rows` of sound [things, channels, n]."""
    n = sound.shape[2]
    for k in range(rows.shape[0]):
        a = rows[k]
        for c in range(sound.shape[1]):
            x = sound[a, c]
            peak, square = meters[a, c, 0], sound[a, c, 0] * 0.0
            for i in range(n):
                peak = max(peak, abs(x[i]))
                square += x[i] * x[i]
            meters[a, c, 0] = peak
            meters[a, c, 1] = square / n


@njit("void(float64[:, :, ::1], int32[::1], int64, int64, float32[:, :, ::1])", nogil=True, cache=True)
def _readings_of(state, rows, level, first, readings):  # type: ignore[no-untyped-def]
    """What the processors of the `rows` tell, from number `level` of their state on; `first` is where row 0 stands."""
    for k in range(rows.shape[0]):
        for s in range(readings.shape[1]):
            for i in range(readings.shape[2]):
                readings[first + rows[k], s, i] = state[rows[k], s, level + i]


@njit(
    "void(float32[:, ::1], int32[::1], float32[::1], int64[::1], float32[:, :, ::1], int32[::1], float32[:, :, ::1], "
    "float32[:, :, ::1], "
    "int32[::1], float32[:, :, ::1], float64[:, :, ::1], int32[::1], float64[:, :, ::1], int32[::1], int64, "
    "float32[:, :, ::1])",
    nogil=True, cache=True, fastmath=ADDS,
)  # fmt: skip
def measure_levels(  # type: ignore[no-untyped-def]
    ins, inputs, peaks, clips, raw, rows, part_meters, outs, heard, out_meters, state, chained, finishing, finished,
    level, readings
):  # fmt: skip
    """Of the captures in `inputs`: raises `peaks` [captures] to the loudest sample of `ins` [captures, n], before any
    trim, and counts blocks at full scale in `clips`; peak, since last cleared, and mean square of the parts in `rows`
    and the listeners in `heard`; what the processors of those in `chained` and `finished` tell, to `readings` [parts +
    listeners, slots, numbers]. Only what is there: the rest would have to come from far for nothing."""
    for k in range(inputs.shape[0]):
        c = inputs[k]
        x = ins[c]
        peak = np.float32(0.0)
        for i in range(x.shape[0]):
            peak = max(peak, abs(x[i]))
        peaks[c] = max(peaks[c], peak)
        if peak >= FULL_SCALE:
            clips[c] += 1
    _levels_of(raw, rows, part_meters)
    _levels_of(outs, heard, out_meters)
    _readings_of(state, chained, level, 0, readings)
    _readings_of(finishing, finished, level, raw.shape[0], readings)
