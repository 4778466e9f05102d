"""Gate. Both channels share one gain, so that the image does not move."""

import math
from typing import ClassVar

import numpy as np

from .base import F64, ON, OWN, REDUCTION, ProcessorBase, Range, Tells, held

THRESHOLD, RANGE, ATTACK, HOLD, RELEASE = range(1, 6)


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    envelope, left, closed = state[OWN], state[OWN + 1], state[OWN + 2]  # closed: 0 is open
    fall = math.exp(-1.0 / (0.005 * rate))
    up = 1.0 - math.exp(-1.0 / (params[ATTACK] * rate))
    down = 1.0 - math.exp(-1.0 / (params[RELEASE] * rate))
    for i in range(sound.shape[1]):
        for k in range(6):
            state[k] += smooth * (params[k] - state[k])
        envelope = max(abs(sound[0, i]), abs(sound[1, i]), envelope * fall)
        if envelope > 10.0 ** (state[THRESHOLD] / 20.0):
            left = state[HOLD] * rate
        elif left > 0.0:
            left -= 1.0
        if left > 0.0:
            closed -= up * closed
        else:
            closed += down * (1.0 - 10.0 ** (state[RANGE] / 20.0) - closed)
        gain = 1.0 - state[ON] * closed
        sound[0, i] *= gain
        sound[1, i] *= gain
    # Numbers this small only slow the processor down.
    state[REDUCTION] = -20.0 * math.log10(max(1.0 - state[ON] * closed, 1e-5))
    state[OWN] = envelope if envelope > 1e-15 else 0.0
    state[OWN + 1] = left
    state[OWN + 2] = closed if closed > 1e-15 else 0.0


class Gate(ProcessorBase, frozen=True, kw_only=True, tag="gate"):
    """Silences what is quieter than the threshold. Costs no time."""

    RANGES: ClassVar = {
        "threshold_db": Range(-100, 0, "dB"), "attack_ms": Range(0.1, 200, "ms"), "hold_ms": Range(0.1, 2000, "ms"),
        "release_ms": Range(0.1, 5000, "ms"), "range_db": Range(-100, 0, "dB"),
    }  # fmt: skip
    TELLS: ClassVar = Tells("histogram", reductions=1, threshold=True)
    kernel: ClassVar = run

    threshold_db: float = -50.0
    attack_ms: float = 1.0
    hold_ms: float = 80.0
    release_ms: float = 160.0
    range_db: float = -40.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        times = (held(self, f) / 1e3 for f in ("attack_ms", "hold_ms", "release_ms"))
        return (held(self, "threshold_db"), held(self, "range_db"), *times)

    def level_out_db(self, into_db: F64) -> F64:
        """[n] dB out for steady levels `into_db` [n]."""
        return np.where(into_db > held(self, "threshold_db"), into_db, into_db + held(self, "range_db"))
