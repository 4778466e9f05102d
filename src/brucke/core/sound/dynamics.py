"""Gate, compressor, de-esser and limiter. numba.

Every kernel: `sound` float32 [2, n] in place; `params` float32 [PARAMS] as `parameters.pack` fills it; `state` float64
[STATE], whose first PARAMS numbers are the parameters as they are smoothed, the rest the processor's own. Both channels
share one gain, so the image does not move. Sources: static curve with soft knee and smoothed branching detector,
Giannoulis, Massberg & Reiss 2012; true peak by oversampling, ITU-R BS.1770-4.
"""

import math

import numpy as np

from .compiled import njit
from .parameters import (
    BETWEEN,
    C_ATTACK,
    C_KNEE,
    C_MAKE_UP,
    C_RATIO,
    C_RELEASE,
    C_THRESHOLD,
    G_ATTACK,
    G_HOLD,
    G_RANGE,
    G_RELEASE,
    G_THRESHOLD,
    L_CEILING,
    L_RELEASE,
    LOOK_AHEAD,
    ON,
    PARAMS,
    RING,
    S_G,
    S_K,
    S_RANGE,
    S_THRESHOLD,
)

_OWN = PARAMS
STATE = 80
# What a slot tells: the level in front of it, 0…1 and falling, and the reductions of up to three bands, in dB.
LEVEL, REDUCTION = STATE - 4, STATE - 3


@njit(nogil=True, cache=True)
def over(db, threshold, ratio, knee):  # type: ignore[no-untyped-def]
    """How many decibels a level is to be reduced by."""
    over = db - threshold
    slope = 1.0 - 1.0 / ratio
    if 2.0 * over <= -knee:
        return 0.0
    if 2.0 * over < knee:
        return slope * (over + knee / 2.0) ** 2 / (2.0 * knee)
    return slope * over


@njit(nogil=True, cache=True)
def gate(sound, params, state, smooth, rate):  # type: ignore[no-untyped-def]
    envelope, left, closed = state[_OWN], state[_OWN + 1], state[_OWN + 2]  # closed: 0 is open
    fall = math.exp(-1.0 / (0.005 * rate))
    up = 1.0 - math.exp(-1.0 / (params[G_ATTACK] * rate))
    down = 1.0 - math.exp(-1.0 / (params[G_RELEASE] * rate))
    for i in range(sound.shape[1]):
        for k in range(6):
            state[k] += smooth * (params[k] - state[k])
        envelope = max(abs(sound[0, i]), abs(sound[1, i]), envelope * fall)
        if envelope > 10.0 ** (state[G_THRESHOLD] / 20.0):
            left = state[G_HOLD] * rate
        elif left > 0.0:
            left -= 1.0
        if left > 0.0:
            closed -= up * closed
        else:
            closed += down * (1.0 - 10.0 ** (state[G_RANGE] / 20.0) - closed)
        gain = 1.0 - state[ON] * closed
        sound[0, i] *= gain
        sound[1, i] *= gain
    # Numbers this small only slow the processor down.
    state[REDUCTION] = -20.0 * math.log10(max(1.0 - state[ON] * closed, 1e-5))
    state[_OWN] = envelope if envelope > 1e-15 else 0.0
    state[_OWN + 1] = left
    state[_OWN + 2] = closed if closed > 1e-15 else 0.0


@njit(nogil=True, cache=True)
def compressor(sound, params, state, smooth, rate):  # type: ignore[no-untyped-def]
    reduction = state[_OWN]
    up = math.exp(-1.0 / (params[C_ATTACK] * rate))
    down = math.exp(-1.0 / (params[C_RELEASE] * rate))
    for i in range(sound.shape[1]):
        for k in range(7):
            state[k] += smooth * (params[k] - state[k])
        level = max(abs(sound[0, i]), abs(sound[1, i]))
        want = over(20.0 * math.log10(max(level, 1e-6)), state[C_THRESHOLD], state[C_RATIO], state[C_KNEE])
        reduction = want + (up if want > reduction else down) * (reduction - want)
        gain = 10.0 ** (state[ON] * (state[C_MAKE_UP] - reduction) / 20.0)
        sound[0, i] *= gain
        sound[1, i] *= gain
    state[REDUCTION] = state[ON] * reduction
    state[_OWN] = reduction if reduction > 1e-9 else 0.0


@njit(nogil=True, cache=True)
def de_esser(sound, params, state, smooth, rate):  # type: ignore[no-untyped-def]
    """What is above the frequency is held back where it is loud; the rest passes as it is."""
    reduction = state[_OWN]
    up, down = math.exp(-1.0 / (0.001 * rate)), math.exp(-1.0 / (0.06 * rate))
    high, middle = np.zeros(2), np.zeros(2)
    for i in range(sound.shape[1]):
        for k in range(5):
            state[k] += smooth * (params[k] - state[k])
        g, damp = state[S_G], state[S_K]
        a1 = 1.0 / (1.0 + g * (g + damp))
        level = 0.0
        for c in range(2):
            one, two = state[_OWN + 1 + 2 * c], state[_OWN + 2 + 2 * c]
            x = sound[c, i]
            v3 = x - two
            v1 = a1 * one + g * a1 * v3
            v2 = two + g * a1 * one + g * g * a1 * v3
            state[_OWN + 1 + 2 * c] = 2.0 * v1 - one
            state[_OWN + 2 + 2 * c] = 2.0 * v2 - two
            high[c], middle[c] = x - damp * v1 - v2, v1
            level = max(level, abs(high[c]))
        want = over(20.0 * math.log10(max(level, 1e-6)), state[S_THRESHOLD], 4.0, 6.0)
        want = min(want, -state[S_RANGE])
        reduction = want + (up if want > reduction else down) * (reduction - want)
        held = 10.0 ** (-state[ON] * reduction / 20.0)
        # A shelf: what is high at that gain, what is between at its root, the rest as it is; 1 gives the sound back.
        for c in range(2):
            sound[c, i] = (
                held * high[c] + math.sqrt(held) * damp * middle[c] + (sound[c, i] - high[c] - damp * middle[c])
            )
    state[REDUCTION] = state[ON] * reduction
    state[_OWN] = reduction if reduction > 1e-9 else 0.0
    for k in range(_OWN + 1, _OWN + 5):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0


# Interpolator for the peaks between samples: three points after each sample.
_TAPS = 2 * BETWEEN


def _interpolator() -> "np.typing.NDArray[np.float64]":
    """[4 phases, taps]: a low-pass at a quarter of the band, a sinc in a Kaiser window. Without SciPy, whose import would
    keep an engine that starts anew waiting."""
    n = np.arange(4 * _TAPS + 1) - 2 * _TAPS
    taps = np.sinc(n / 4) * np.kaiser(len(n), 6.0)
    return np.ascontiguousarray(np.stack([(taps / taps.sum() * 4)[p : p + 4 * _TAPS : 4] for p in range(4)]))


_PHASES = _interpolator()
_MARGIN = 10 ** (-0.1 / 20)  # what the interpolator and the moving gain may be off by
_RING = 128
MEMORY = (
    2 * RING
)  # of one slot, most for voices that are delayed; a limiter's: both channels, wanted and held reductions, each twice over so that no read wraps
assert LOOK_AHEAD + BETWEEN < _RING
assert 8 * _RING <= MEMORY


@njit(nogil=True, cache=True)
def limiter(sound, params, state, memory, smooth, rate):  # type: ignore[no-untyped-def]
    """The least gain that the next LOOK_AHEAD frames want, held and averaged over as many, so that it is reached in
    time. `memory` [MEMORY]; state: position, reduction after release, sum of the held reductions. Reductions are kept,
    not gains, so that zeros are a limiter at rest."""
    at, reduction, total = int(state[_OWN]), state[_OWN + 1], state[_OWN + 2]
    release = 1.0 - math.exp(-1.0 / (params[L_RELEASE] * rate))
    wanted, kept = 4 * _RING, 6 * _RING
    for i in range(sound.shape[1]):
        for k in range(3):
            state[k] += smooth * (params[k] - state[k])
        ceiling = _MARGIN * 10.0 ** (state[L_CEILING] / 20.0)
        now = at + _RING
        peak = 0.0
        for c in range(2):
            base = 2 * c * _RING
            memory[base + at] = memory[base + now] = sound[c, i]
            for p in range(4):
                between = 0.0
                for t in range(_TAPS):
                    between += _PHASES[p, t] * memory[base + now - t]
                peak = max(peak, abs(between))
            peak = max(peak, abs(memory[base + now - BETWEEN]))
        want = 1.0 - min(1.0, ceiling / max(peak, 1e-9))
        memory[wanted + at] = memory[wanted + now] = want
        most = 0.0
        for t in range(LOOK_AHEAD + 1):
            most = max(most, memory[wanted + now - t])
        reduction = most if most > reduction else reduction + release * (most - reduction)
        total += reduction - memory[kept + now - LOOK_AHEAD]
        memory[kept + at] = memory[kept + now] = reduction
        gain = 1.0 - state[ON] * max(0.0, total / LOOK_AHEAD)
        for c in range(2):
            sound[c, i] = memory[2 * c * _RING + now - LOOK_AHEAD - BETWEEN] * gain
        at = (at + 1) % _RING
    state[REDUCTION] = -20.0 * math.log10(max(1.0 - state[ON] * max(0.0, total / LOOK_AHEAD), 1e-5))
    state[_OWN] = at
    state[_OWN + 1] = reduction if reduction > 1e-12 else 0.0
    state[_OWN + 2] = total if abs(total) > 1e-9 else 0.0
