"""Ducking: one part goes down while another one is heard. Level detector and smoothing in decibels are those of a
compressor with a side chain: Giannoulis, Massberg & Reiss 2012, “Digital Dynamic Range Compressor Design”, Journal of
the Audio Engineering Society 60."""

import math

import numpy as np

from .compiled import njit

STEP = 16  # frames between two gains, a straight line between them
FALL_S = 0.03  # how fast the level that is held falls, so that it stays between two waves of a low voice
DEPTH, THRESHOLD, ATTACK, RELEASE, NUMBERS = range(5)
HELD, LESS_DB, STATE = range(3)


@njit("float32(float32[:, ::1], int64, int64)", nogil=True, cache=True)
def _peak(sound, start, count):  # type: ignore[no-untyped-def]
    highest = np.float32(0.0)
    for c in range(sound.shape[0]):
        for i in range(start, start + count):
            highest = max(highest, abs(sound[c, i]))
    return highest


@njit(
    "void(float32[:, :, :, ::1], int64, int32[:, ::1], float64[:, ::1], int32[:, ::1], int32[:, ::1], "
    "float32[:, ::1], float64[:, :, ::1], float64, float32[:, ::1])",
    nogil=True, cache=True,
)  # fmt: skip
def duck(ring, pos, ducks, numbers, delay, source, level, state, rate, gains):  # type: ignore[no-untyped-def]
    """The gain of each ducked route in each frame of a block, to `gains` [K, n]. `ducks` [K, 3] are (listener, part,
    the part under which it goes down, −1 for none), `numbers` [K, NUMBERS] depth in dB, threshold (linear), attack and
    release in seconds; the other part is read from `ring` at `pos` with its `delay` and `source` [L, P] at that
    listener, as it is heard there, and `level` [2, P] is what a mute leaves of it. `state` [L, P, STATE] is what each
    route remembers: the level that is held and by how many dB it is down."""
    n = gains.shape[1]
    size = ring.shape[3] - n
    step = min(STEP, n)
    for k in range(ducks.shape[0]):
        x, p, key = ducks[k, 0], ducks[k, 1], ducks[k, 2]
        held, less = state[x, p, HELD], state[x, p, LESS_DB]
        depth = numbers[k, DEPTH]
        hears = key >= 0 and level[1, key] > 0.0
        at = (pos - delay[x, key]) % size if hears else 0
        before = 10.0 ** (-less / 20.0)
        fall = down = up = 0.0
        for start in range(0, n, step):
            count = min(step, n - start)
            if start == 0 or count != step:
                fall = math.exp(-count / (FALL_S * rate))
                down = math.exp(-count / (numbers[k, ATTACK] * rate))
                up = math.exp(-count / (numbers[k, RELEASE] * rate))
            peak = _peak(ring[key, source[x, key]], at + start, count) if hears else np.float32(0.0)
            held = max(float(peak), held * fall)
            want = depth if held > numbers[k, THRESHOLD] else 0.0
            less = want + (down if want > less else up) * (less - want)
            if want == 0.0 and less < 1e-3:
                less = 0.0
            after = 10.0 ** (-less / 20.0)
            for i in range(count):
                gains[k, start + i] = np.float32(before + (after - before) * (i + 1) / count)
            before = after
        state[x, p, HELD], state[x, p, LESS_DB] = held, less
