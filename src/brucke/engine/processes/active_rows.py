"""Which rows are handed out: those that are there, and for the length of a ring those that have left, so that silence
stands where their sound stood."""

import numpy as np
import numpy.typing as npt

NEVER = np.iinfo(np.int64).max
I32 = npt.NDArray[np.int32]


class Lingering:
    """Of `count` rows in a ring of so many `frames`. Nothing is known of what an earlier engine left: at first all of
    them linger."""

    def __init__(self, count: int, frames: int):
        self._frames = frames
        self._until = np.full(count, frames, np.int64)
        self._there: I32 | None = None
        self._rows = np.arange(count, dtype=np.int32)
        self._ends = 0  # the frame at which the next of those that have left is done with

    def rows(self, there: I32, frame: int) -> I32:
        """With `there`, the rows of the block that ends before `frame`, counted from when this engine began."""
        if there is not self._there or frame >= self._ends:
            if self._there is not None:
                self._until[self._there] = frame + self._frames
            self._there = there
            left = np.flatnonzero(self._until > frame)
            self._rows = np.union1d(there, left).astype(np.int32)
            gone = np.setdiff1d(left, there)
            self._ends = int(self._until[gone].min()) if len(gone) else NEVER
        return self._rows
