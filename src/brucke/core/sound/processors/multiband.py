"""Multiband compressor.

The bands are split by fourth-order Linkwitz-Riley crossovers (two Butterworth filters each, Linkwitz 1976); the low
band goes through the all-pass of the upper crossover, so that the three together are flat in level.
"""

import math
from typing import ClassVar

import numpy as np

from .base import F64, ON, OWN, REDUCTION, ProcessorBase, Range, Tells, held, helper, over
from .filters import ROOT, high_pass

LOW, HIGH, RATIO, ATTACK, RELEASE, LINK, THRESHOLD = range(1, 8)  # three thresholds,
GAIN = THRESHOLD + 3  # and three gains
BANDS = ("low", "middle", "high")
KNEE_DB = 6.0
_K = math.sqrt(2.0)
_FILTERS = 7  # of each channel, two numbers each
_REDUCTIONS = OWN + 2 * 2 * _FILTERS
assert _REDUCTIONS + 3 <= REDUCTION - 1


@helper
def split(x: float, g: float, state: F64, own: int) -> tuple[float, float, float]:
    """(low, high, all-pass) of `x` by one Butterworth filter whose two numbers stand in `state` [numbers] from `own`
    on."""
    one, two = state[own], state[own + 1]
    v3 = x - two
    a1 = 1.0 / (1.0 + g * (g + _K))
    v1 = a1 * one + g * a1 * v3
    v2 = two + g * v1
    state[own], state[own + 1] = 2.0 * v1 - one, 2.0 * v2 - two
    return v2, x - _K * v1 - v2, x - 2.0 * _K * v1


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    up = math.exp(-1.0 / (params[ATTACK] * rate))
    down = math.exp(-1.0 / (params[RELEASE] * rate))
    bands = np.zeros((2, 3))
    for i in range(sound.shape[1]):
        for k in range(GAIN + 3):
            state[k] += smooth * (params[k] - state[k])
        for c in range(2):
            own = OWN + c * 2 * _FILTERS
            low, rest, _all = split(sound[c, i], state[LOW], state, own)
            low = split(low, state[LOW], state, own + 2)[0]
            rest = split(rest, state[LOW], state, own + 4)[1]
            low = split(low, state[HIGH], state, own + 6)[2]
            middle, high, _all = split(rest, state[HIGH], state, own + 8)
            bands[c, 0] = low
            bands[c, 1] = split(middle, state[HIGH], state, own + 10)[0]
            bands[c, 2] = split(high, state[HIGH], state, own + 12)[1]
        mean = 0.0
        for b in range(3):
            level = max(abs(bands[0, b]), abs(bands[1, b]))
            want = over(20.0 * math.log10(max(level, 1e-6)), state[THRESHOLD + b], state[RATIO], KNEE_DB)
            reduction = state[_REDUCTIONS + b]
            reduction = want + (up if want > reduction else down) * (reduction - want)
            state[_REDUCTIONS + b] = reduction if reduction > 1e-9 else 0.0
            mean += reduction / 3.0
        left = right = 0.0
        for b in range(3):
            reduction = state[_REDUCTIONS + b] + state[LINK] * (mean - state[_REDUCTIONS + b])
            gain = 10.0 ** ((state[GAIN + b] - reduction) / 20.0)
            left += gain * bands[0, b]
            right += gain * bands[1, b]
            state[REDUCTION + b] = state[ON] * reduction
        sound[0, i] += state[ON] * (left - sound[0, i])
        sound[1, i] += state[ON] * (right - sound[1, i])
    for k in range(OWN, _REDUCTIONS):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0


class Multiband(ProcessorBase, frozen=True, kw_only=True, tag="multiband"):
    """Three compressors side by side: low, middle and high. `link_percent` is how far each follows what all three do
    on average, so that the colour of the sound stays. Costs no time."""

    RANGES: ClassVar = {
        "low_hz": Range(40, 1000, "Hz"), "high_hz": Range(1000, 12000, "Hz"), "low_threshold_db": Range(-80, 0, "dB"),
        "middle_threshold_db": Range(-80, 0, "dB"), "high_threshold_db": Range(-80, 0, "dB"),
        "ratio": Range(1, 20, ": 1"), "attack_ms": Range(0.1, 500, "ms"), "release_ms": Range(1, 5000, "ms"),
        "link_percent": Range(0, 100, "%"), "low_gain_db": Range(-24, 24, "dB"), "middle_gain_db": Range(-24, 24, "dB"),
        "high_gain_db": Range(-24, 24, "dB"),
    }  # fmt: skip
    TELLS: ClassVar = Tells(reductions=3)
    kernel: ClassVar = run

    low_hz: float = 200.0
    high_hz: float = 3000.0
    low_threshold_db: float = -30.0
    middle_threshold_db: float = -30.0
    high_threshold_db: float = -35.0
    ratio: float = 2.0
    attack_ms: float = 10.0
    release_ms: float = 200.0
    link_percent: float = 50.0
    low_gain_db: float = 0.0
    middle_gain_db: float = 0.0
    high_gain_db: float = 0.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        crossovers = (high_pass(hz, ROOT, rate_hz)[0] for hz in self.edges_hz())
        times = (held(self, "attack_ms") / 1e3, held(self, "release_ms") / 1e3)
        each = (held(self, f"{band}_{what}_db") for what in ("threshold", "gain") for band in BANDS)
        return (*crossovers, held(self, "ratio"), *times, held(self, "link_percent") / 100, *each)

    def response_db(self, hz: F64, rate_hz: float) -> F64:
        """[n] dB that its gains ask of each band at rest, at the frequencies `hz` [n]; its crossovers themselves are
        flat."""
        low, middle, high = (held(self, f"{band}_gain_db") for band in BANDS)
        one, two = self.edges_hz()
        return np.select([hz < one, hz < two], [low, middle], high)

    def edges_hz(self) -> tuple[float, ...]:
        return held(self, "low_hz"), held(self, "high_hz")
