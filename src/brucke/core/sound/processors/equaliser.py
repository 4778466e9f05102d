"""Equaliser: up to six filters one after the other."""

import math
from typing import ClassVar, Literal

from . import filters
from .base import F64, ProcessorBase, Range, Ranged, Tells, held

MAX_BANDS = filters.MOST


class Band(Ranged, frozen=True, kw_only=True):
    """One band of an equaliser."""

    RANGES: ClassVar = {
        "frequency_hz": Range(20, 20000, "Hz"), "gain_db": Range(-24, 24, "dB"), "q": Range(0.1, 12, ""),
    }  # fmt: skip

    shape: Literal["bell", "low_shelf", "high_shelf"] = "bell"
    frequency_hz: float = 1000.0
    gain_db: float = 0.0
    q: float = 0.7

    def filter(self, rate_hz: float) -> filters.Filter:
        a = 10 ** (held(self, "gain_db") / 40)
        g = math.tan(math.pi * min(held(self, "frequency_hz"), 0.49 * rate_hz) / rate_hz)
        k = 1 / held(self, "q")
        if self.shape == "low_shelf":
            return g / math.sqrt(a), k, 1.0, k * (a - 1), a * a - 1
        if self.shape == "high_shelf":
            return g * math.sqrt(a), k, a * a, k * (1 - a) * a, 1 - a * a
        return g, k / a, 1.0, k / a * (a * a - 1), 0.0


class Equaliser(ProcessorBase, frozen=True, kw_only=True, tag="equaliser"):
    """Four bells between two shelves."""

    TELLS: ClassVar = Tells("spectrum")
    kernel: ClassVar = filters.run

    bands: tuple[Band, ...] = (
        Band(shape="low_shelf", frequency_hz=120),
        Band(frequency_hz=250),
        Band(frequency_hz=1000),
        Band(frequency_hz=3000),
        Band(frequency_hz=6000),
        Band(shape="high_shelf", frequency_hz=9000),
    )

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        return filters.rows([b.filter(rate_hz) for b in self.bands])

    def response_db(self, hz: F64, rate_hz: float) -> F64:
        """[n] dB at the frequencies `hz` [n]."""
        return filters.response_db([b.filter(rate_hz) for b in self.bands], hz, rate_hz)
