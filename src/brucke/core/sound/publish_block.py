"""What a block leaves for others (meters, levels, the recorder's ring, what goes out through the doors), copied in one
go instead of in twenty steps of Python."""

import numpy as np

from .compiled import njit
from .kernel_arguments import METERS

_SIGNATURE = (
    f"int64(int32[::1], int32[::1], {METERS}, {METERS}, "
    "int64[::1], int64[::1], int64[::1], int64, "
    "float32[:,:,::1], float32[:,:,::1], float32[:,::1], int64, "
    "float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], int64, int64[::1], int64[::1])"
)


@njit(_SIGNATURE, nogil=True, cache=True)
def hand_out(  # type: ignore[no-untyped-def]
    rows, heard, parts, outs_met, readings, peaks, clips, sums,
    told_parts, told_outs, told_readings, told_peaks, told_clips, told_sums,
    born, listeners_born, told_born, began,
    raw, outs, record, at,
    shaped, unfinished, chained, chained_at, bad, bad_sums,
):  # fmt: skip
    """Of the parts in `rows` and the listeners in `heard`: each `told_…` becomes the one of its name; the highest
    sums and the latest births are kept, and the sums begin anew. `raw` [P, SIDES, n] and `outs` [L, C, n] go to
    `record` [P·SIDES + L·C, frames] from frame `at` on, `shaped` [P, 2, n] and the first two channels of `unfinished`
    [L, C, n] to `chained` [P + L, 2, frames] from `chained_at` on. `told_peaks` and `told_clips` are of every capture.
    Returns how many blocks were not finite until now."""
    told_peaks[:] = peaks
    told_clips[:] = clips
    count, sides, n = raw.shape
    for k in range(rows.shape[0]):
        p = rows[k]
        told_parts[p] = parts[p]
        told_readings[p] = readings[p]
        told_born[p] = max(told_born[p], began + born[p])
        for s in range(sides):
            record[p * sides + s, at : at + n] = raw[p, s]
        for s in range(2):
            chained[p, s, chained_at : chained_at + n] = shaped[p, s]
    channels = outs.shape[1]
    for k in range(heard.shape[0]):
        x = heard[k]
        told_outs[x] = outs_met[x]
        told_readings[count + x] = readings[count + x]
        told_sums[x] = max(told_sums[x], sums[x])
        sums[x] = np.float32(0.0)
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


@njit(
    "void(float32[:,:,::1], float32[::1], int32[::1], int64[::1], int64[::1], float32, float32[:,:,::1])",
    nogil=True, cache=True,
)  # fmt: skip
def through_doors(outs, now, door, tenants, opened, step, out):  # type: ignore[no-untyped-def]
    """`outs` [L, C, n] as its door lets each listener have it, to `out`. `door` [L] is 0 where nothing ever goes out, 1
    where there is no door, 2 where there is one: that is open while `opened` [L] names the tenant who sits there. `now`
    [L] (0 closed, 1 open) moves there by at most `step` a block, along a curve without corners. A closed door gives
    digital silence: multiplying would leave the sign."""
    n = outs.shape[2]
    for x in range(outs.shape[0]):
        is_open = door[x] == 1 or (door[x] == 2 and opened[x] != 0 and opened[x] == tenants[x])
        wanted = np.float32(1.0) if is_open else np.float32(0.0)
        before = now[x]
        after = before + min(max(wanted - before, -step), step)
        now[x] = after
        if before == after == np.float32(1.0):
            out[x] = outs[x]
        elif before == after == np.float32(0.0):
            out[x] = np.float32(0.0)
        else:
            for i in range(n):
                share = before + (after - before) * np.float32(i + 1) / np.float32(n)
                share = share * share * (np.float32(3.0) - np.float32(2.0) * share)
                for c in range(outs.shape[1]):
                    out[x, c, i] = outs[x, c, i] * share
