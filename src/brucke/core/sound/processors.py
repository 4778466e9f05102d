"""Gate and compressor, every parameter smoothed per sample so that no change clicks. numba, no time cost.

Layouts: `params` float32 [PARAMS] as `parameters.pack` fills it; `state` float64 [STATE] per part; sound
float32 [2, frames], changed in place; both channels share one gain, so the image does not move.
Source: static curve with soft knee and smoothed branching detector, Giannoulis, Massberg & Reiss 2012.
"""

import math

from numba import njit

from .parameters import (
    C_ATTACK,
    C_KNEE,
    C_MAKE_UP,
    C_ON,
    C_RATIO,
    C_RELEASE,
    C_THRESHOLD,
    G_ATTACK,
    G_HOLD,
    G_ON,
    G_RANGE,
    G_RELEASE,
    G_THRESHOLD,
    PARAMS,
    USED,
)

STATE = 32
# State: the smoothed parameters first, then the detectors.
_G_ENVELOPE, _G_LEFT, _G_GAIN, _C_REDUCTION, _STARTED = PARAMS, PARAMS + 1, PARAMS + 2, PARAMS + 3, PARAMS + 4
SMOOTH_S = 0.01


@njit("void(float32[:, ::1], float32[::1], float64[::1], float64)", nogil=True, cache=True)
def run_chain(sound, params, state, rate):  # type: ignore[no-untyped-def]
    """Gate, then compressor, in place."""
    if state[_STARTED] == 0.0:
        for k in range(PARAMS):
            state[k] = params[k]
        state[_G_GAIN] = 1.0
        state[_STARTED] = 1.0
    smooth = 1.0 - math.exp(-1.0 / (SMOOTH_S * rate))
    envelope, left, gate, reduction = state[_G_ENVELOPE], state[_G_LEFT], state[_G_GAIN], state[_C_REDUCTION]
    fall = math.exp(-1.0 / (0.005 * rate))
    gate_up = 1.0 - math.exp(-1.0 / (params[G_ATTACK] * rate))
    gate_down = 1.0 - math.exp(-1.0 / (params[G_RELEASE] * rate))
    comp_up = math.exp(-1.0 / (params[C_ATTACK] * rate))
    comp_down = math.exp(-1.0 / (params[C_RELEASE] * rate))
    for i in range(sound.shape[1]):
        for k in range(USED):
            state[k] += smooth * (params[k] - state[k])
        level = max(abs(sound[0, i]), abs(sound[1, i]))
        gain = 1.0
        if state[G_ON] > 1e-4:
            envelope = max(level, envelope * fall)
            if envelope > 10.0 ** (state[G_THRESHOLD] / 20.0):
                left = state[G_HOLD] * rate
            elif left > 0.0:
                left -= 1.0
            if left > 0.0:
                gate += gate_up * (1.0 - gate)
            else:
                gate += gate_down * (10.0 ** (state[G_RANGE] / 20.0) - gate)
            gain = 1.0 + state[G_ON] * (gate - 1.0)
        if state[C_ON] > 1e-4:
            db = 20.0 * math.log10(max(level * gain, 1e-6))
            over = db - state[C_THRESHOLD]
            knee = state[C_KNEE]
            slope = 1.0 - 1.0 / state[C_RATIO]
            if 2.0 * over <= -knee:
                want = 0.0
            elif 2.0 * over < knee:
                want = slope * (over + knee / 2.0) ** 2 / (2.0 * knee)
            else:
                want = slope * over
            pole = comp_up if want > reduction else comp_down
            reduction = want + pole * (reduction - want)
            gain *= 10.0 ** (state[C_ON] * (state[C_MAKE_UP] - reduction) / 20.0)
        sound[0, i] *= gain
        sound[1, i] *= gain
    # Numbers this small only slow the processor down.
    state[_G_ENVELOPE] = envelope if envelope > 1e-15 else 0.0
    state[_G_LEFT] = left
    state[_G_GAIN] = gate
    state[_C_REDUCTION] = reduction if reduction > 1e-9 else 0.0
