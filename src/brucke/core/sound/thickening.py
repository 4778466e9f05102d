"""A sound thickened by delayed, wandering copies of itself. numba; the arguments are those of `dynamics.py`.

Each copy is read from a ring with a cubic through four frames; another delay is crossfaded to, because a read that
slides there would bend the pitch.
"""

import math

from .compiled import njit
from .parameters import MOST_VOICES, ON, PARAMS, RING, SPACING, T_DELAY, T_DEPTH, T_LEVEL, T_VOICES, T_WANDER

DEPTH_S = 0.2  # how fast another depth is reached
FADE_S = 0.02
_AT, _PHASE, _FROM, _TO, _SHARE = range(PARAMS, PARAMS + 5)


@njit(nogil=True, cache=True)
def _read(memory, base, at, delay):  # type: ignore[no-untyped-def]
    """The ring of one channel, `delay` frames before `at`."""
    delay = min(max(delay, 2.0), RING - 4.0)
    whole = int(delay)
    t = 1.0 - (delay - whole)
    a = memory[base + (at - whole - 2) % RING]
    b = memory[base + (at - whole - 1) % RING]
    c = memory[base + (at - whole) % RING]
    d = memory[base + (at - whole + 1) % RING]
    return b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)))


@njit(nogil=True, cache=True)
def thickening(sound, params, state, memory, smooth, rate):  # type: ignore[no-untyped-def]
    if state[_TO] == 0.0:
        state[_FROM] = state[_TO] = params[T_DELAY]
    if state[_TO] != params[T_DELAY] and state[_SHARE] == 0.0:
        state[_FROM], state[_TO], state[_SHARE] = state[_TO], params[T_DELAY], 1.0
    slow, step = 1.0 / (DEPTH_S * rate), 1.0 / (FADE_S * rate)
    at, phase = int(state[_AT]), state[_PHASE]
    for i in range(sound.shape[1]):
        for k in (ON, T_VOICES, T_WANDER, T_LEVEL):
            state[k] += smooth * (params[k] - state[k])
        state[T_DEPTH] += slow * (params[T_DEPTH] - state[T_DEPTH])
        phase = (phase + 2.0 * math.pi * state[T_WANDER] / rate) % (2.0 * math.pi)
        state[_SHARE] = max(0.0, state[_SHARE] - step)
        old = 0.5 - 0.5 * math.cos(math.pi * state[_SHARE])
        gain = state[ON] * 10.0 ** (state[T_LEVEL] / 20.0) / math.sqrt(max(1.0, state[T_VOICES]))
        for c in range(2):
            base = c * RING
            memory[base + at] = sound[c, i]
            total = 0.0
            for v in range(MOST_VOICES):
                share = min(1.0, max(0.0, state[T_VOICES] - v))
                if share == 0.0:
                    continue
                # Copies and channels wander apart from each other.
                wander = (
                    state[T_DEPTH]
                    * rate
                    * (1.0 + math.sin(phase + 2.0 * math.pi * v / MOST_VOICES + 0.5 * math.pi * c))
                )
                longer = (1.0 + SPACING * v) * rate
                heard = _read(memory, base, at, state[_TO] * longer + wander)
                if old > 0.0:
                    heard += old * (_read(memory, base, at, state[_FROM] * longer + wander) - heard)
                total += share * heard
            sound[c, i] += gain * total
        at = (at + 1) % RING
    state[_AT], state[_PHASE] = at, phase
