"""Compressor. Both channels share one gain, so that the image does not move. Static curve and smoothed branching
detector: Giannoulis, Massberg & Reiss 2012."""

import math
from typing import ClassVar

from .base import F64, ON, OWN, REDUCTION, ProcessorBase, Range, Tells, held, over, reduction_db

THRESHOLD, RATIO, KNEE, ATTACK, RELEASE, MAKE_UP = range(1, 7)


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    reduction = state[OWN]
    up = math.exp(-1.0 / (params[ATTACK] * rate))
    down = math.exp(-1.0 / (params[RELEASE] * rate))
    for i in range(sound.shape[1]):
        for k in range(7):
            state[k] += smooth * (params[k] - state[k])
        level = max(abs(sound[0, i]), abs(sound[1, i]))
        want = over(20.0 * math.log10(max(level, 1e-6)), state[THRESHOLD], state[RATIO], state[KNEE])
        reduction = want + (up if want > reduction else down) * (reduction - want)
        gain = 10.0 ** (state[ON] * (state[MAKE_UP] - reduction) / 20.0)
        sound[0, i] *= gain
        sound[1, i] *= gain
    state[REDUCTION] = state[ON] * reduction
    state[OWN] = reduction if reduction > 1e-9 else 0.0


class Compressor(ProcessorBase, frozen=True, kw_only=True, tag="compressor"):
    """Evens out loud and soft. Costs no time."""

    RANGES: ClassVar = {
        "threshold_db": Range(-80, 0, "dB"), "ratio": Range(1, 20, ": 1"), "knee_db": Range(0, 24, "dB"),
        "attack_ms": Range(0.1, 500, "ms"), "release_ms": Range(1, 5000, "ms"), "make_up_db": Range(-24, 24, "dB"),
    }  # fmt: skip
    TELLS: ClassVar = Tells("level", reductions=1, threshold=True)
    kernel: ClassVar = run

    threshold_db: float = -25.0
    ratio: float = 2.0
    knee_db: float = 6.0
    attack_ms: float = 5.0
    release_ms: float = 200.0
    make_up_db: float = 0.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        curve = (held(self, f) for f in ("threshold_db", "ratio", "knee_db"))
        return (*curve, held(self, "attack_ms") / 1e3, held(self, "release_ms") / 1e3, held(self, "make_up_db"))

    def level_out_db(self, into_db: F64) -> F64:
        """[n] dB out for steady levels `into_db` [n]."""
        less = reduction_db(into_db, held(self, "threshold_db"), held(self, "ratio"), held(self, "knee_db"))
        return into_db - less + held(self, "make_up_db")
