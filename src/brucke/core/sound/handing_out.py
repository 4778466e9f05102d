"""What a block leaves for others (meters, levels, the recorder's ring), copied in one go instead of in twenty steps of Python."""

import numpy as np

from .compiled import njit

_SIGNATURE = (
    "int64(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], "
    "float32[::1], float32[::1], int64[::1], int64[::1], float32[::1], float32[::1], "
    "int64[::1], int64[::1], int64[::1], int64, "
    "float32[:,:,::1], float32[:,:,::1], float32[:,::1], int64, "
    "float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], int64, int64[::1], int64[::1])"
)


@njit(_SIGNATURE, nogil=True, cache=True)
def hand_out(  # type: ignore[no-untyped-def]
    parts, told_parts, outs_met, told_outs, readings, told_readings,
    peaks, told_peaks, clips, told_clips, sums, told_sums,
    born, listeners_born, told_born, began,
    raw, outs, record, at,
    shaped, unfinished, chained, chained_at, bad, bad_sums,
):  # fmt: skip
    """Each `told_…` becomes what stands before it; the highest sums and the latest births are kept, and the sums begin anew. `raw` [P, SIDES, n] and
    `outs` [L, C, n] go to `record` [P·SIDES + L·C, frames] from frame `at` on, `shaped` [P, 2, n] and the first two channels of `unfinished` [L, C, n] to
    `chained` [P + L, 2, frames] from `chained_at` on. Returns how many blocks were not finite until now."""
    told_parts[:] = parts
    told_outs[:] = outs_met
    told_readings[:] = readings
    told_peaks[:] = peaks
    told_clips[:] = clips
    for x in range(sums.shape[0]):
        told_sums[x] = max(told_sums[x], sums[x])
        sums[x] = np.float32(0.0)
    count, sides, n = raw.shape
    for p in range(count):
        told_born[p] = max(told_born[p], began + born[p])
        for s in range(sides):
            record[p * sides + s, at : at + n] = raw[p, s]
        for s in range(2):
            chained[p, s, chained_at : chained_at + n] = shaped[p, s]
    heard, channels, _ = outs.shape
    for x in range(heard):
        told_born[count + x] = max(told_born[count + x], began + listeners_born[x])
        for c in range(channels):
            record[count * sides + x * channels + c, at : at + n] = outs[x, c]
        for s in range(2):
            chained[count + x, s, chained_at : chained_at + n] = unfinished[x, s]
    total = np.int64(0)
    for p in range(bad.shape[0]):
        total += bad[p]
    for x in range(bad_sums.shape[0]):
        total += bad_sums[x]
    return total
