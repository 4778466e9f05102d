"""How loud the inputs are before any trim, and how often each was driven too far."""

import numpy.typing as npt
from numpy import float32, int64

from ...core.document.setup import Setup
from ...core.routing.captures import capture_channels


class InputLevels:
    """By part: `peaks`, linear; `clips`, blocks at full scale since they were last counted anew."""

    def __init__(self) -> None:
        self.peaks: dict[str, float] = {}
        self.clips: dict[str, int] = {}
        self._from: dict[str, int] = {}
        self._now: dict[str, int] = {}
        self._looked = False

    def see(self, setup: Setup, peaks: npt.NDArray[float32], clips: npt.NDArray[int64]) -> None:
        """What every capture of the setup has come to by now."""
        where = {c: i for i, c in enumerate(capture_channels(setup))}
        for part in setup.parts:
            rows = [where[(part.device, c)] for c in part.channels if (part.device, c) in where]
            self.peaks[part.id] = max((float(peaks[r]) for r in rows), default=0.0)
            self._now[part.id] = max((int(clips[r]) for r in rows), default=0)
            # A file at full scale is as it was made; only an input can be driven too far. What was counted in its row
            # before
            # a part came is not its own.
            if setup.device(part.device).kind == "interface":
                before = self._from.setdefault(part.id, self._now[part.id] if self._looked else 0)
                self.clips[part.id] = max(0, self._now[part.id] - before)
        self._looked = True

    def count_anew(self, part: str) -> None:
        self._from[part] = self._now.get(part, 0)
        self.clips[part] = 0
