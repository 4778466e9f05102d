"""Three compressors side by side. numba; the arguments are those of `dynamics.py`.

The bands are split by fourth-order Linkwitz-Riley crossovers (two Butterworth filters each, Linkwitz 1976); the low
band goes through the all-pass of the upper crossover, so that the three together are flat in level.
"""

import math

import numpy as np

from .compiled import njit
from .dynamics import REDUCTION, over
from .parameters import M_ATTACK, M_GAIN, M_HIGH, M_LINK, M_LOW, M_RATIO, M_RELEASE, M_THRESHOLD, ON, PARAMS

KNEE_DB = 6.0
_K = math.sqrt(2.0)
_FILTERS = 7  # of each channel, two numbers each
_REDUCTIONS = PARAMS + 2 * 2 * _FILTERS
assert _REDUCTIONS + 3 <= REDUCTION - 1


@njit(nogil=True, cache=True)
def _split(x, g, state, own):  # type: ignore[no-untyped-def]
    """(low, high, all-pass) of one Butterworth filter whose two numbers stand at `own`."""
    one, two = state[own], state[own + 1]
    v3 = x - two
    a1 = 1.0 / (1.0 + g * (g + _K))
    v1 = a1 * one + g * a1 * v3
    v2 = two + g * v1
    state[own], state[own + 1] = 2.0 * v1 - one, 2.0 * v2 - two
    return v2, x - _K * v1 - v2, x - 2.0 * _K * v1


@njit(nogil=True, cache=True)
def multiband(sound, params, state, smooth, rate):  # type: ignore[no-untyped-def]
    up = math.exp(-1.0 / (params[M_ATTACK] * rate))
    down = math.exp(-1.0 / (params[M_RELEASE] * rate))
    bands = np.zeros((2, 3))
    for i in range(sound.shape[1]):
        for k in range(M_GAIN + 3):
            state[k] += smooth * (params[k] - state[k])
        for c in range(2):
            own = PARAMS + c * 2 * _FILTERS
            low, rest, _all = _split(sound[c, i], state[M_LOW], state, own)
            low = _split(low, state[M_LOW], state, own + 2)[0]
            rest = _split(rest, state[M_LOW], state, own + 4)[1]
            low = _split(low, state[M_HIGH], state, own + 6)[2]
            middle, high, _all = _split(rest, state[M_HIGH], state, own + 8)
            bands[c, 0] = low
            bands[c, 1] = _split(middle, state[M_HIGH], state, own + 10)[0]
            bands[c, 2] = _split(high, state[M_HIGH], state, own + 12)[1]
        mean = 0.0
        for b in range(3):
            level = max(abs(bands[0, b]), abs(bands[1, b]))
            want = over(20.0 * math.log10(max(level, 1e-6)), state[M_THRESHOLD + b], state[M_RATIO], KNEE_DB)
            reduction = state[_REDUCTIONS + b]
            reduction = want + (up if want > reduction else down) * (reduction - want)
            state[_REDUCTIONS + b] = reduction if reduction > 1e-9 else 0.0
            mean += reduction / 3.0
        left = right = 0.0
        for b in range(3):
            reduction = state[_REDUCTIONS + b] + state[M_LINK] * (mean - state[_REDUCTIONS + b])
            gain = 10.0 ** ((state[M_GAIN + b] - reduction) / 20.0)
            left += gain * bands[0, b]
            right += gain * bands[1, b]
            state[REDUCTION + b] = state[ON] * reduction
        sound[0, i] += state[ON] * (left - sound[0, i])
        sound[1, i] += state[ON] * (right - sound[1, i])
    for k in range(PARAMS, _REDUCTIONS):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
