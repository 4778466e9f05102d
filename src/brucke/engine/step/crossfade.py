"""From one plan to another: the share that the new one has, frame by frame, along half a cosine."""

import math

import numpy as np

from .plan import F32

# With a wait for one crossfade under way, every change is complete within 20 ms.
CROSSFADE_S = 0.009


class Crossfade:
    """Of one engine. It takes CROSSFADE_S, or as long as was asked for; `hurry` ends a longer one within CROSSFADE_S
    from where it is."""

    def __init__(self, block: int, rate: int):
        self._block, self._length = block, round(CROSSFADE_S * rate)
        blocks = math.ceil(self._length / block)
        ramp = np.clip((np.arange(blocks * block) + 1) / self._length, 0, 1)
        self._short = (0.5 - 0.5 * np.cos(np.pi * ramp)).astype(np.float32).reshape(blocks, block)
        self._steady = np.ones(block, np.float32)
        self._count = np.arange(1, block + 1)
        self._at, self._frames, self._from = self._length, self._length, 0.0

    @property
    def under_way(self) -> bool:
        return self._at < self._frames

    @property
    def is_long(self) -> bool:
        return self.under_way and self._frames > self._length

    def end(self) -> None:
        """The new plan is all there is."""
        self._at = self._frames

    def begin(self, frames: int = 0) -> None:
        """From now on, within so many `frames`, at least CROSSFADE_S."""
        self._at, self._frames, self._from = 0, max(frames, self._length), 0.0

    def hurry(self) -> None:
        if self.is_long:
            self._from = self._share(self._at)
            self._at, self._frames = 0, self._length

    def _share(self, frames: float) -> float:
        return self._from + (1 - self._from) * (0.5 - 0.5 * math.cos(math.pi * min(1.0, frames / self._frames)))

    def block(self) -> F32:
        """[n] of the block that comes now."""
        if not self.under_way:
            return self._steady
        if self._frames == self._length and self._from == 0.0:
            return self._short[self._at // self._block]
        ramp = np.minimum((self._at + self._count) / self._frames, 1.0)
        share: F32 = (self._from + (1 - self._from) * (0.5 - 0.5 * np.cos(np.pi * ramp))).astype(np.float32)
        return share

    def go_on(self) -> bool:
        """One block was done; whether that was the last of this crossfade."""
        was, self._at = self.under_way, self._at + self._block
        return was and not self.under_way
