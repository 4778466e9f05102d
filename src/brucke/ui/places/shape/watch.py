"""What a running chain tells, over the last seconds: levels in front of every processor, reductions, spectra. No Qt."""

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from ....core.sound.processors import MAX_SLOTS
from ....core.sound.windows import LENGTH, WINDOWS

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
FRAMES = 360  # of the window's clock: twelve seconds
SHOWN = 128  # bars of before and after
QUIET_PERCENT = 10
LOUD_DB, ABOVE_QUIET_DB = -50.0, 6.0
FLOOR_DB = -100.0
BINS = 30  # of the histogram
HISTOGRAM_DB = (-60.0, 0.0)
SPECTRUM_FRAMES = 4096


def spectrum_of(sound: F32) -> F64:
    """Mean power per bin over the newest frames [sides, frames], scaled as noise profiles are."""
    look = WINDOWS["long"].look
    hops = range(0, max(1, sound.shape[1] - LENGTH + 1), LENGTH // 2)
    total = np.zeros(LENGTH // 2 + 1)
    for at in hops:
        piece = sound[:, at : at + LENGTH]
        if piece.shape[1] == LENGTH:
            spectrum = np.fft.rfft(piece * look, axis=1)
            total += np.mean(spectrum.real**2 + spectrum.imag**2, axis=0)
    return np.asarray(total / (len(hops) * float(np.sum(look**2))), np.float64)


@dataclass
class ChainWatch:
    """Levels [MAX_SLOTS + 1, FRAMES] in dBFS, the last row what goes out; `told` the newest [MAX_SLOTS + 1, 4]."""

    owner: str = ""
    count: int = 0
    told: F32 = field(default_factory=lambda: np.zeros((MAX_SLOTS + 1, 4), np.float32))
    spectrum: F64 | None = None
    _levels: F64 = field(default_factory=lambda: np.zeros((MAX_SLOTS + 1, FRAMES)))

    def of(self, owner: str) -> None:
        """Another chain begins without a past."""
        if owner != self.owner:
            self.owner, self.count, self.spectrum = owner, 0, None

    def feed(self, told: F32) -> None:
        self.told = told
        self._levels[:, self.count % FRAMES] = np.maximum(20 * np.log10(np.maximum(told[:, 0], 1e-6)), FLOOR_DB)
        self.count += 1

    @property
    def lively(self) -> bool:
        return self.count > 0

    def level_db(self, slot: int) -> float:
        return float(self._levels[slot, (self.count - 1) % FRAMES]) if self.count else FLOOR_DB

    def past(self, slot: int, frames: int = FRAMES) -> F64:
        """The newest levels, oldest first."""
        frames = min(frames, self.count, FRAMES)
        return self._levels[slot, np.arange(self.count - frames, self.count) % FRAMES]

    def histogram(self, slot: int) -> F64:
        """How often each level came, 0…1 [BINS]."""
        counts, _edges = np.histogram(self.past(slot), BINS, HISTOGRAM_DB)
        return np.asarray(counts / max(1, counts.max()), np.float64)

    def gain_db(self, slot: int, slots: int) -> float:
        """How much louder one processor of so many makes the sound, over the moments when somebody sounds."""
        before, after = self.past(slot), self.past(slot + 1 if slot + 1 < slots else MAX_SLOTS)
        loud = before > max(self.quiet_db(slot) + ABOVE_QUIET_DB, LOUD_DB) if len(before) else before > 0
        return float(np.mean(after[loud] - before[loud])) if loud.any() else 0.0

    def loudest_db(self, slot: int) -> float:
        """The loudest moment of the last seconds."""
        past = self.past(slot)
        return float(past.max()) if len(past) else FLOOR_DB

    def quiet_db(self, slot: int) -> float:
        """What the level falls to between the sounds."""
        past = self.past(slot)
        return float(np.percentile(past, QUIET_PERCENT)) if len(past) else FLOOR_DB
