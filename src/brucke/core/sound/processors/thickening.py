"""Thickening: delayed, wandering copies.

Each copy is read from a ring with a cubic through four frames; another delay is crossfaded to, because a read that
slides there would bend the pitch.
"""

import math
from typing import ClassVar, Literal

from .base import F64, ON, OWN, ProcessorBase, Range, held, helper, ring

VOICES, DELAY, DEPTH, WANDER, LEVEL = range(1, 6)
MOST_VOICES = 4
SPACING = 0.37  # a copy comes later than the one before by this share of the delay; no round number, so none meet
DEPTH_S = 0.2  # how fast another depth is reached
FADE_S = 0.02
_AT, _PHASE, _FROM, _TO, _SHARE = range(OWN, OWN + 5)


@helper
def read(memory: F64, base: int, size: int, at: int, delay: float) -> float:
    """One sample, `delay` frames before `at`, of the ring of one channel: `size` frames of `memory` [numbers] from
    `base` on."""
    delay = min(max(delay, 2.0), size - 4.0)
    whole = int(delay)
    t = 1.0 - (delay - whole)
    a = memory[base + (at - whole - 2) % size]
    b = memory[base + (at - whole - 1) % size]
    c = memory[base + (at - whole) % size]
    d = memory[base + (at - whole + 1) % size]
    return float(b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a))))


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    if state[_TO] == 0.0:
        state[_FROM] = state[_TO] = params[DELAY]
    if state[_TO] != params[DELAY] and state[_SHARE] == 0.0:
        state[_FROM], state[_TO], state[_SHARE] = state[_TO], params[DELAY], 1.0
    slow, step = 1.0 / (DEPTH_S * rate), 1.0 / (FADE_S * rate)
    at, phase, size = int(state[_AT]), state[_PHASE], ring(rate)
    for i in range(sound.shape[1]):
        for k in (ON, VOICES, WANDER, LEVEL):
            state[k] += smooth * (params[k] - state[k])
        state[DEPTH] += slow * (params[DEPTH] - state[DEPTH])
        phase = (phase + 2.0 * math.pi * state[WANDER] / rate) % (2.0 * math.pi)
        state[_SHARE] = max(0.0, state[_SHARE] - step)
        old = 0.5 - 0.5 * math.cos(math.pi * state[_SHARE])
        gain = state[ON] * 10.0 ** (state[LEVEL] / 20.0) / math.sqrt(max(1.0, state[VOICES]))
        for c in range(2):
            base = c * size
            memory[base + at] = sound[c, i]
            total = 0.0
            for v in range(MOST_VOICES):
                share = min(1.0, max(0.0, state[VOICES] - v))
                if share == 0.0:
                    continue
                # Copies and channels wander apart from each other.
                wander = (
                    state[DEPTH] * rate * (1.0 + math.sin(phase + 2.0 * math.pi * v / MOST_VOICES + 0.5 * math.pi * c))
                )
                longer = (1.0 + SPACING * v) * rate
                heard = read(memory, base, size, at, state[_TO] * longer + wander)
                if old > 0.0:
                    heard += old * (read(memory, base, size, at, state[_FROM] * longer + wander) - heard)
                total += share * heard
            sound[c, i] += gain * total
        at = (at + 1) % size
    state[_AT], state[_PHASE] = at, phase


class Thickening(ProcessorBase, frozen=True, kw_only=True, tag="thickening"):
    """The sound again, two to four times, each a little later and wandering by up to `depth_ms`. The sound itself
    passes at once, so it costs no time."""

    RANGES: ClassVar = {
        "delay_ms": Range(1, 30, "ms"), "depth_ms": Range(0, 3, "ms"), "wander_hz": Range(0.05, 3, "Hz"),
        "level_db": Range(-40, 0, "dB"),
    }  # fmt: skip
    CHOICES: ClassVar = {"voices": (2, 3, 4)}
    kernel: ClassVar = run

    voices: Literal[2, 3, 4] = 2
    delay_ms: float = 12.0
    depth_ms: float = 0.4
    wander_hz: float = 0.6
    level_db: float = -6.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        delay, depth = held(self, "delay_ms") / 1e3, held(self, "depth_ms") / 1e3
        return self.voices, delay, depth, held(self, "wander_hz"), held(self, "level_db")

    def copies(self) -> tuple[tuple[float, float], ...]:
        later = (held(self, "delay_ms") * (1 + SPACING * v) for v in range(self.voices))
        return ((0.0, 0.0), *((ms, held(self, "level_db")) for ms in later))
