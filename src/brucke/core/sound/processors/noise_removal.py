"""Noise removal as a chain knows it; how it is done: `core/sound/denoise.py`."""

import math
from typing import ClassVar, Literal

from ..windows import WINDOWS
from .base import ProcessorBase, Range, Tells, held

WINDOW_NAMES = tuple(WINDOWS)
STRENGTH, FLOOR, WINDOW, SMOOTHING = range(1, 5)


class NoiseRemoval(ProcessorBase, frozen=True, kw_only=True, tag="noise_removal"):
    """Takes the noise of `profile` (its name in the setup) out. Stands first in a chain, and costs its window's
    time."""

    RANGES: ClassVar = {
        "strength_percent": Range(0, 100, "%"), "floor_db": Range(-80, 0, "dB"), "smoothing_percent": Range(80, 99.8,
        "%"),
    }  # fmt: skip
    TELLS: ClassVar = Tells("spectrum")

    profile: str = ""
    window: Literal["long", "middle", "short"] = "middle"
    strength_percent: float = 100.0
    floor_db: float = -50.0
    smoothing_percent: float = 99.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        window = float(WINDOW_NAMES.index(self.window))
        strength, smoothing = held(self, "strength_percent") / 100, held(self, "smoothing_percent") / 100
        return strength, held(self, "floor_db"), window, smoothing

    def costs_frames(self, block: int) -> int:
        w = WINDOWS[self.window]
        return w.synthesis - math.gcd(block, w.hop)
