"""Limiter. True peak by oversampling: ITU-R BS.1770-4."""

import math
from typing import ClassVar

import numpy as np

from .base import F64, MEMORY, ON, OWN, REDUCTION, ProcessorBase, Range, Tells, held

CEILING, RELEASE = range(1, 3)
LOOK_AHEAD = 64  # frames it looks ahead
BETWEEN = 10  # and what finding the peaks between samples takes
# Interpolator for the peaks between samples: three points after each sample.
_TAPS = 2 * BETWEEN


def _interpolator() -> "np.typing.NDArray[np.float64]":
    """[4 phases, taps]: a low-pass at a quarter of the band, a sinc in a Kaiser window. Without SciPy, whose import
    would keep an engine that starts anew waiting."""
    n = np.arange(4 * _TAPS + 1) - 2 * _TAPS
    taps = np.sinc(n / 4) * np.kaiser(len(n), 6.0)
    return np.ascontiguousarray(np.stack([(taps / taps.sum() * 4)[p : p + 4 * _TAPS : 4] for p in range(4)]))


_PHASES = _interpolator()
_MARGIN = 10 ** (-0.1 / 20)  # what the interpolator and the moving gain may be off by
_RING = 128
assert LOOK_AHEAD + BETWEEN < _RING
assert 8 * _RING <= MEMORY  # both channels, wanted and held reductions, each twice over so that no read wraps


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    """The least gain that the next LOOK_AHEAD frames want, held and averaged over as many, so that it is reached in
    time. `memory` [MEMORY]; state: position, reduction after release, sum of the held reductions. Reductions are kept,
    not gains, so that zeros are a limiter at rest."""
    at, reduction, total = int(state[OWN]), state[OWN + 1], state[OWN + 2]
    release = 1.0 - math.exp(-1.0 / (params[RELEASE] * rate))
    wanted, kept = 4 * _RING, 6 * _RING
    for i in range(sound.shape[1]):
        for k in range(3):
            state[k] += smooth * (params[k] - state[k])
        ceiling = _MARGIN * 10.0 ** (state[CEILING] / 20.0)
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
    state[OWN] = at
    state[OWN + 1] = reduction if reduction > 1e-12 else 0.0
    state[OWN + 2] = total if abs(total) > 1e-9 else 0.0


class Limiter(ProcessorBase, frozen=True, kw_only=True, tag="limiter"):
    """Lets nothing above its ceiling, between the samples either. Looks ahead, so it costs time."""

    RANGES: ClassVar = {"ceiling_db": Range(-24, 0, "dB"), "release_ms": Range(1, 2000, "ms")}
    TELLS: ClassVar = Tells("level", reductions=1)
    kernel: ClassVar = run

    ceiling_db: float = -1.0
    release_ms: float = 100.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        return held(self, "ceiling_db"), held(self, "release_ms") / 1e3

    def costs_frames(self, block: int) -> int:
        return LOOK_AHEAD + BETWEEN

    def level_out_db(self, into_db: F64) -> F64:
        """[n] dB out for steady levels `into_db` [n]."""
        return np.minimum(into_db, held(self, "ceiling_db"))
