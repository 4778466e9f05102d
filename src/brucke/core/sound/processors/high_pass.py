"""High-pass: one or two Butterworth filters one after the other."""

from typing import ClassVar, Literal

from . import filters
from .base import F64, ProcessorBase, Range, Tells, held

BUTTERWORTH = {12: (filters.ROOT,), 24: (0.5411961, 1.3065630)}


class HighPass(ProcessorBase, frozen=True, kw_only=True, tag="high_pass"):
    """Takes away what rumbles below."""

    RANGES: ClassVar = {"frequency_hz": Range(20, 1000, "Hz")}
    CHOICES: ClassVar = {"slope_db": (12, 24)}
    TELLS: ClassVar = Tells("spectrum")
    kernel: ClassVar = filters.run

    frequency_hz: float = 80.0
    slope_db: Literal[12, 24] = 12

    def _filters(self, rate_hz: float) -> list[filters.Filter]:
        return [filters.high_pass(held(self, "frequency_hz"), q, rate_hz) for q in BUTTERWORTH[self.slope_db]]

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        return filters.rows(self._filters(rate_hz))

    def response_db(self, hz: F64, rate_hz: float) -> F64:
        """[n] dB at the frequencies `hz` [n]."""
        return filters.response_db(self._filters(rate_hz), hz, rate_hz)
