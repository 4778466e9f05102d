"""The mixing kernels: capture, delay rings, routes, sums, meters. numba, nogil, no allocation.

Layouts (float32 unless said): `ins` [capture channels, n]; `raw` [parts, S sides, n]; `ring` [parts, dry or processed,
S, R + n] whose last n frames repeat the first, so that one read never wraps; R is a multiple of n. A route set is
`delay` int32 [listeners, parts], `source` int32 (0 dry, 1 processed), `past` int32 (1 passes the listener's chain by)
and `gain` [listeners, parts, S, C], linear. Chains work on the first two sides. Every change is one crossfade from
route set 0 to set 1 along `fade` [n], the share that set 1 has in each frame.
"""

import math

import numpy as np

from .chain import run_chain
from .compiled import ADDS, njit
from .kernel_arguments import CHAIN_MEMORY, CHAINS, GUARD, INPUTS, PLUG_IN_BLOCKS, ROUTES
from .processors.base import PARAMS

TOGETHER = 8  # routes whose sound is fetched at once
FALL_BACK_S = 0.08  # how fast a held peak is let go


@njit("float32(float32[::1])", nogil=True, cache=True, fastmath=ADDS)
def _nothing_of(row):  # type: ignore[no-untyped-def]
    """Zero for numbers, NaN where there is anything else."""
    nothing = np.float32(0.0)
    total = nothing
    for i in range(row.shape[0]):
        total += row[i] * nothing
    return total


@njit("void(float32[:, ::1], float32[:, ::1], int64, int64)", nogil=True, cache=True)
def _into_ring(ring, sound, pos, n):  # type: ignore[no-untyped-def]
    size = ring.shape[1] - n
    for c in range(sound.shape[0]):
        ring[c, pos : pos + n] = sound[c]
        if pos == 0:
            ring[c, size : size + n] = sound[c]


@njit("void(int32[::1], float32[:, ::1], float64[:, ::1], float64[:, ::1])", nogil=True, cache=True)
def _forget(codes, params, state, memory):  # type: ignore[no-untyped-def]
    """A chain as if it had never heard anything."""
    state[:, :] = 0.0
    memory[:, :] = 0.0
    for s in range(params.shape[0]):
        state[s, :PARAMS] = params[s]


@njit(
    f"void(float32[:, ::1], int32[::1], {INPUTS}, {INPUTS}, float32[::1], {CHAIN_MEMORY}, float32[:, :, ::1], "
    "float32[:, :, ::1], float32[:, :, :, ::1], int64, int64[::1])",
    nogil=True, cache=True,
)  # fmt: skip
def take_in(  # type: ignore[no-untyped-def]
    ins, rows, source0, trim0, source1, trim1, fade, running, frozen, state, memory, shaped, raw, ring, pos, bad
):  # fmt: skip
    """The parts in `rows` from capture channels into their rings at `pos`: trim, finite test; `shaped` [parts, 2, n] is
    what the chains begin with. Another capture channel, or none, comes along `fade` as another trim does."""
    sides, n = source1.shape[1], ins.shape[1]
    for k in range(rows.shape[0]):
        p = rows[k]
        finite = True
        for c in range(sides):
            before, after = source0[p, c], source1[p, c]
            row = raw[p, c]
            if before < 0 and after < 0:
                row[:] = 0.0
                continue
            a, b = trim0[p], trim1[p]
            if before == after:
                x = ins[after]
                for i in range(n):
                    row[i] = x[i] * (a + (b - a) * fade[i])
            else:
                x, y = ins[max(before, 0)], ins[max(after, 0)]
                a, b = a if before >= 0 else np.float32(0.0), b if after >= 0 else np.float32(0.0)
                for i in range(n):
                    row[i] = x[i] * a * (np.float32(1.0) - fade[i]) + y[i] * b * fade[i]
            finite = finite and math.isfinite(_nothing_of(row))
        if not finite:
            bad[p] += 1
            raw[p, :, :] = 0.0
            _forget(running[p], frozen[p], state[p], memory[p])
        shaped[p, :, :] = raw[p]
        _into_ring(ring[p, 0], raw[p], pos, n)


@njit(
    f"void({CHAINS}, float32[:, :, ::1], float32[:, :, ::1], float32[:, :, :, ::1], int64, float64, int64[::1], "
    f"{PLUG_IN_BLOCKS})",
    nogil=True, cache=True,
)  # fmt: skip
def shape(  # type: ignore[no-untyped-def]
    codes, params, running, frozen, state, memory, wet, shaped, raw, ring, pos, rate, bad, sends, returns, answered
):  # fmt: skip
    """Chains over `shaped` [parts, 2, n] into the processed rings at `pos`."""
    n = shaped.shape[2]
    for p in range(shaped.shape[0]):
        if codes[p, 0] == 0 and running[p, 0] == 0:
            continue
        work = shaped[p]
        run_chain(
            work,
            codes[p],
            params[p],
            running[p],
            frozen[p],
            state[p],
            memory[p],
            wet[p],
            rate,
            sends,
            returns,
            answered,
        )
        if not math.isfinite(_nothing_of(work[0]) + _nothing_of(work[1])):
            bad[p] += 1
            work[:, :] = raw[p, :2]
            _forget(running[p], frozen[p], state[p], memory[p])
        _into_ring(ring[p, 1], work, pos, n)


@njit("void(float32[:, ::1], int64, float32[:, ::1], int64, int64, float32)", nogil=True, cache=True)
def _add(outs, co, ring, ci, at, gain):  # type: ignore[no-untyped-def]
    """One point of a route. Unsigned counting: numba then needs no test for negative indices and vectorises."""
    to, of, start = np.uint64(co), np.uint64(ci), np.uint64(at)
    for i in range(np.uint64(outs.shape[1])):
        outs[to, i] += gain * ring[of, start + i]


@njit("void(float32[:, ::1], int64, float32[:, :, :, ::1], int64, int64[:, ::1], float32[::1])", nogil=True, cache=True)
def _add_together(outs, co, ring, ci, of, gains):  # type: ignore[no-untyped-def]
    """The same for TOGETHER routes (part, source, position) at once, in their order: what has to come from far then
    comes at the same time. Written out, so that it vectorises."""
    to, side = np.uint64(co), np.uint64(ci)
    p0, s0, a0, g0 = np.uint64(of[0, 0]), np.uint64(of[0, 1]), np.uint64(of[0, 2]), gains[0]
    p1, s1, a1, g1 = np.uint64(of[1, 0]), np.uint64(of[1, 1]), np.uint64(of[1, 2]), gains[1]
    p2, s2, a2, g2 = np.uint64(of[2, 0]), np.uint64(of[2, 1]), np.uint64(of[2, 2]), gains[2]
    p3, s3, a3, g3 = np.uint64(of[3, 0]), np.uint64(of[3, 1]), np.uint64(of[3, 2]), gains[3]
    p4, s4, a4, g4 = np.uint64(of[4, 0]), np.uint64(of[4, 1]), np.uint64(of[4, 2]), gains[4]
    p5, s5, a5, g5 = np.uint64(of[5, 0]), np.uint64(of[5, 1]), np.uint64(of[5, 2]), gains[5]
    p6, s6, a6, g6 = np.uint64(of[6, 0]), np.uint64(of[6, 1]), np.uint64(of[6, 2]), gains[6]
    p7, s7, a7, g7 = np.uint64(of[7, 0]), np.uint64(of[7, 1]), np.uint64(of[7, 2]), gains[7]
    for i in range(np.uint64(outs.shape[1])):
        total = outs[to, i] + g0 * ring[p0, s0, side, a0 + i]
        total += g1 * ring[p1, s1, side, a1 + i]
        total += g2 * ring[p2, s2, side, a2 + i]
        total += g3 * ring[p3, s3, side, a3 + i]
        total += g4 * ring[p4, s4, side, a4 + i]
        total += g5 * ring[p5, s5, side, a5 + i]
        total += g6 * ring[p6, s6, side, a6 + i]
        outs[to, i] = total + g7 * ring[p7, s7, side, a7 + i]


@njit(
    "void(float32[:, ::1], float32[:, :, :, ::1], int64[:, ::1], float32[:, :, ::1], float32[::1])", nogil=True,
    cache=True
)  # fmt: skip
def _add_alike(outs, ring, of, gain, gains):  # type: ignore[no-untyped-def]
    """`TOGETHER` routes of one listener, with the `gain` [parts, SIDES, C] of each."""
    for ci in range(gain.shape[1]):
        for co in range(outs.shape[0]):
            some = False
            for j in range(TOGETHER):
                gains[j] = gain[of[j, 0], ci, co]
                some = some or gains[j] != 0.0
            if some:
                _add_together(outs, co, ring, ci, of, gains)


@njit("void(float32[::1], float32[::1], float32, float32[::1], float32[::1], float32)", nogil=True, cache=True)
def _add_fading(out, x0, gain0, fade, x1, gain1):  # type: ignore[no-untyped-def]
    for i in range(out.shape[0]):
        w = fade[i]
        out[i] += gain0 * x0[i] * (1.0 - w) + gain1 * x1[i] * w


@njit(
    "boolean(int32[:, ::1], int64, int64, boolean, int32[:, ::1], int32[:, ::1], int64[::1], int64, float32[:, ::1], "
    "int32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def _alike(active, k, count, fading, past, delay, age, n, level, ducked):  # type: ignore[no-untyped-def]
    """Whether the next `TOGETHER` routes lead to the same sum of one listener, none of them changes now, is muted or
    ducked, and all have something to give."""
    if k + TOGETHER > count:
        return False
    first = active[k, 0]
    for j in range(k, k + TOGETHER):
        p = active[j, 1]
        if active[j, 0] != first or (fading and active[j, 2]) or past[first, p] != past[first, active[k, 1]]:
            return False
        if delay[first, p] >= age[p] + n or level[0, p] != 1.0 or level[1, p] != 1.0 or ducked[first, p] >= 0:
            return False
    return True


@njit("void(float32[::1], float32[::1], float32, float32)", nogil=True, cache=True)
def _ramped(sound, out, before, after):  # type: ignore[no-untyped-def]
    """A block on its way from one level to another, along a curve without corners."""
    n = sound.shape[0]
    for i in range(n):
        share = before + (after - before) * np.float32(i + 1) / np.float32(n)
        out[i] = sound[i] * share * share * (np.float32(3.0) - np.float32(2.0) * share)


@njit(
    "void(float32[::1], float32[::1], boolean, float32, float32, boolean, float32[::1])", nogil=True, cache=True
)  # fmt: skip
def _held_down(sound, out, muting, before, after, ducking, duck):  # type: ignore[no-untyped-def]
    """A block as a mute that begins or ends, or ducking by the gains `duck` [n], or both, leave it."""
    if muting:
        _ramped(sound, out, before, after)
    else:
        out[:] = sound
    if ducking:
        for i in range(out.shape[0]):
            out[i] *= duck[i]


@njit(
    "void(float32[:, ::1], float32[:, ::1], int64, float32[:, ::1], boolean, float32, float32, boolean, float32[::1], "
    "float32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def _add_steady(outs, ring, at, gains, muting, before, after, ducking, duck, work):  # type: ignore[no-untyped-def]
    """One route that does not change, but for a mute that begins or ends, and ducking."""
    n = outs.shape[1]
    for ci in range(gains.shape[0]):
        if muting or ducking:
            _held_down(ring[ci, at : at + n], work[0], muting, before, after, ducking, duck)
        for co in range(outs.shape[0]):
            gain = gains[ci, co]
            if gain != 0.0 and (muting or ducking):
                _add(outs, co, work, 0, 0, gain)
            elif gain != 0.0:
                _add(outs, co, ring, ci, at, gain)


@njit(
    f"void(float32[:, :, :, ::1], int64, int32[:, ::1], int64, boolean, float32[::1], {ROUTES}, {ROUTES}, "
    "float32[:, :, :, ::1], int64[:, ::1], float32[::1], int64[::1], float32[:, ::1], float32[:, ::1], "
    "int32[:, ::1], float32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def mix(  # type: ignore[no-untyped-def]
    ring, pos, active, count, fading, fade, delay0, source0, past0, gain0, delay1, source1, past1, gain1, sums, of,
    gains,
    age, level, work, ducked, duck,
):  # fmt: skip
    """Every active route into `sums` [through or past the listeners' chains, listeners, C, n], to which it is added;
    the block at `pos` is the newest. `age` [parts] is how many frames before this block a part has been there: what
    lies further back is somebody else's and silent. `level` [2, parts] is what a mute leaves of a part at the beginning
    and at the end of this block. `ducked` [L, P] is the row of `duck` [K, n] whose gains hold a route down, −1 for
    none. `of` [TOGETHER, 3], `gains` [TOGETHER] and `work` [2, n] are room to work in."""
    n = sums.shape[3]
    size = ring.shape[3] - n
    silent = np.float32(0.0)
    k = 0
    while k < count:
        listener, p, changed = active[k, 0], active[k, 1], active[k, 2]
        if _alike(active, k, count, fading, past1, delay1, age, n, level, ducked):
            for j in range(TOGETHER):
                q = active[k + j, 1]
                of[j, 0], of[j, 1], of[j, 2] = q, source1[listener, q], (pos - delay1[listener, q]) % size
            _add_alike(sums[past1[listener, p], listener], ring, of, gain1[listener], gains)
            k += TOGETHER
            continue
        k += 1
        before, after = level[0, p], level[1, p]
        if before == silent and after == silent:
            continue
        muting = before != np.float32(1.0) or after != np.float32(1.0)
        ducking = ducked[listener, p] >= 0
        held = duck[max(ducked[listener, p], 0)]
        at1 = (pos - delay1[listener, p]) % size
        s1 = source1[listener, p]
        outs = sums[past1[listener, p], listener]
        here0, here1 = delay0[listener, p] < age[p] + n, delay1[listener, p] < age[p] + n
        if not (fading and changed):
            if here1:
                _add_steady(outs, ring[p, s1], at1, gain1[listener, p], muting, before, after, ducking, held, work)
            continue
        at0 = (pos - delay0[listener, p]) % size
        s0 = source0[listener, p]
        other = past0[listener, p] != past1[listener, p]
        for ci in range(gain1.shape[2]):
            x1 = ring[p, s1, ci, at1 : at1 + n]
            x0 = ring[p, s0, ci, at0 : at0 + n]
            if muting or ducking:
                _held_down(x1, work[1], muting, before, after, ducking, held)
                _held_down(x0, work[0], muting, before, after, ducking, held)
                x0, x1 = work[0], work[1]
            for co in range(outs.shape[0]):
                g0 = gain0[listener, p, ci, co] if here0 else silent
                g1 = gain1[listener, p, ci, co] if here1 else silent
                if g0 != 0.0 or g1 != 0.0:
                    if other:
                        _add_fading(sums[past0[listener, p], listener, co], x0, g0, fade, x0, silent)
                        _add_fading(outs[co], x1, silent, fade, x1, g1)
                    else:
                        _add_fading(outs[co], x0, g0, fade, x1, g1)


@njit(
    f"void(int32[::1], {CHAINS}, float32[:, ::1], float32[:, :, :, ::1], float32[:, :, ::1], boolean, float64, "
    f"{PLUG_IN_BLOCKS})",
    nogil=True, cache=True,
)  # fmt: skip
def finish(  # type: ignore[no-untyped-def]
    rows, codes, params, running, frozen, state, memory, wet, work, sums, outs, passed, rate, sends, returns, answered
):  # fmt: skip
    """The chains of the listeners in `rows` on what goes through them, and what passes them by added: `sums` [2,
    listeners, C, n] to `outs` [listeners, C, n], where anything did (`passed`); `work` [2, n] is room to work in."""
    for k in range(rows.shape[0]):
        x = rows[k]
        outs[x] = sums[0, x]
        if codes[x, 0] != 0 or running[x, 0] != 0:
            work[:, :] = outs[x, :2]
            run_chain(
                work,
                codes[x],
                params[x],
                running[x],
                frozen[x],
                state[x],
                memory[x],
                wet[x],
                rate,
                sends,
                returns,
                answered,
            )
            if math.isfinite(_nothing_of(work[0]) + _nothing_of(work[1])):
                outs[x, :2] = work
            else:
                _forget(running[x], frozen[x], state[x], memory[x])
        if passed:
            outs[x] += sums[1, x]


@njit(
    f"void(float32[:, :, ::1], int32[::1], float64, {GUARD})", nogil=True, cache=True,
)  # fmt: skip
def guard(outs, rows, rate, ceiling, envelope, bad, over):  # type: ignore[no-untyped-def]
    """Nothing can hurt ears: what goes out to the listeners in `rows` [listeners, C, n] is numbers within ± 1, in place
    and without latency.

    A listener whose sum holds anything else is silent for this block and counted in `bad` [listeners]. Where `ceiling`
    [listeners] is below 1 its peaks are held there: at once, and let go with FALL_BACK_S; `envelope` [listeners, 1]
    remembers. `over` [listeners] keeps the highest peak there would have been.
    """
    n = outs.shape[2]
    fall = math.exp(-1.0 / (FALL_BACK_S * rate))
    one = np.float32(1.0)
    for k in range(rows.shape[0]):
        x = rows[k]
        total = np.float32(0.0)
        peak = np.float32(0.0)
        for c in range(outs.shape[1]):
            total += _nothing_of(outs[x, c])
            for i in range(n):
                peak = max(peak, abs(outs[x, c, i]))
        if not math.isfinite(total):
            bad[x] += 1
            outs[x] = 0.0
            continue
        over[x] = max(over[x], peak)
        limit, held = np.float64(ceiling[x]), envelope[x, 0]
        if limit < 1.0 and (peak > limit or held > limit):
            for i in range(n):
                held *= fall
                for c in range(outs.shape[1]):
                    held = max(held, abs(outs[x, c, i]))
                if held > limit:
                    less = np.float32(limit / held)
                    for c in range(outs.shape[1]):
                        outs[x, c, i] *= less
            envelope[x, 0] = held if held > limit else 0.0
            peak = np.float32(limit)
        if peak > one:
            for c in range(outs.shape[1]):
                for i in range(n):
                    outs[x, c, i] = min(max(outs[x, c, i], -one), one)
