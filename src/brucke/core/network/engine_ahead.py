"""By how many frames an engine is before its sound card's clock, from looks at how many blocks it has done. Pure."""

import numpy as np

KNOWN_S, KEPT_S = 1.5, 4.0  # of looks, before it is known, and then
LEAST_LOOKS = 30
MOVES_S = 0.25  # so often it moves on,
MOVES = 0.05  # by so much of the distance: over some seconds, whatever one look says
PROMPT = 97.0  # percent of the looks are at a block that was done later than it could be


class EngineAhead:
    """`see` is told at every new block. Blocks are late by what else the computer does, never early: so the promptest
    say where the engine is. `frames` counts to the middle of a block of `block` frames; it may be given from before."""

    def __init__(self, block: int, rate_hz: int, frames: float | None = None):
        self._half = block / 2
        self._first, self._kept, self._each = (
            max(LEAST_LOOKS, round(s * rate_hz / block)) for s in (KNOWN_S, KEPT_S, MOVES_S)
        )
        self._looks: list[float] = []
        self._new = 0
        self._given = frames is not None
        self.frames = frames or 0.0

    @property
    def known(self) -> bool:
        """Whether it was watched for long enough, or is known from before."""
        return self._given or len(self._looks) >= self._first

    def begin_anew(self) -> None:
        """The clock has jumped: earlier looks say nothing."""
        self._looks.clear()
        self._new = 0

    def see(self, done: int, clock_frames: float) -> None:
        """The engine has just done its frame `done`, while the clock was at `clock_frames`."""
        self._looks.append(done - clock_frames)
        self._new += 1
        seen = len(self._looks)
        if seen == self._first:
            self.frames = self._prompt()
        elif seen > self._first and self._new >= self._each:
            del self._looks[: -self._kept]
            self.frames += MOVES * (self._prompt() - self.frames)
        else:
            return
        self._new = 0

    def _prompt(self) -> float:
        return float(np.percentile(self._looks, PROMPT)) - self._half
