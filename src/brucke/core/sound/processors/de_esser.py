"""De-esser: a shelf that moves; what is below passes as it is. Costs no time."""

import math
from typing import ClassVar

import numpy as np

from . import filters
from .base import F64, ON, OWN, REDUCTION, ProcessorBase, Range, Tells, held, over, reduction_db

G, DAMP, THRESHOLD, RANGE = range(1, 5)
RATIO, KNEE_DB = 4.0, 6.0


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    reduction = state[OWN]
    up, down = math.exp(-1.0 / (0.001 * rate)), math.exp(-1.0 / (0.06 * rate))
    high, middle = np.zeros(2), np.zeros(2)
    for i in range(sound.shape[1]):
        for k in range(5):
            state[k] += smooth * (params[k] - state[k])
        g, damp = state[G], state[DAMP]
        a1 = 1.0 / (1.0 + g * (g + damp))
        level = 0.0
        for c in range(2):
            one, two = state[OWN + 1 + 2 * c], state[OWN + 2 + 2 * c]
            x = sound[c, i]
            v3 = x - two
            v1 = a1 * one + g * a1 * v3
            v2 = two + g * a1 * one + g * g * a1 * v3
            state[OWN + 1 + 2 * c] = 2.0 * v1 - one
            state[OWN + 2 + 2 * c] = 2.0 * v2 - two
            high[c], middle[c] = x - damp * v1 - v2, v1
            level = max(level, abs(high[c]))
        want = over(20.0 * math.log10(max(level, 1e-6)), state[THRESHOLD], RATIO, KNEE_DB)
        want = min(want, -state[RANGE])
        reduction = want + (up if want > reduction else down) * (reduction - want)
        held = 10.0 ** (-state[ON] * reduction / 20.0)
        # A shelf: what is high at that gain, what is between at its root, the rest as it is; 1 gives the sound back.
        for c in range(2):
            sound[c, i] = (
                held * high[c] + math.sqrt(held) * damp * middle[c] + (sound[c, i] - high[c] - damp * middle[c])
            )
    state[REDUCTION] = state[ON] * reduction
    state[OWN] = reduction if reduction > 1e-9 else 0.0
    for k in range(OWN + 1, OWN + 5):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0


class DeEsser(ProcessorBase, frozen=True, kw_only=True, tag="de_esser"):
    """Holds back sharp s sounds: what is above its frequency, where it is louder than the threshold."""

    RANGES: ClassVar = {
        "frequency_hz": Range(1000, 16000, "Hz"), "threshold_db": Range(-80, 0, "dB"), "range_db": Range(-40, 0, "dB"),
    }  # fmt: skip
    TELLS: ClassVar = Tells(reductions=1)
    kernel: ClassVar = run

    frequency_hz: float = 6000.0
    threshold_db: float = -32.0
    range_db: float = -8.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        g, damp, *_rest = filters.high_pass(held(self, "frequency_hz"), filters.ROOT, rate_hz)
        return g, damp, held(self, "threshold_db"), held(self, "range_db")

    def level_out_db(self, into_db: F64) -> F64:
        """[n] dB out for steady levels `into_db` [n] of the s sounds."""
        less = reduction_db(into_db, held(self, "threshold_db"), RATIO, KNEE_DB)
        return into_db - np.minimum(less, -held(self, "range_db"))
