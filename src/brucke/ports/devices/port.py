"""Where sound gets in and out. A backend is anything with these methods; nobody else knows which."""

from collections.abc import Callable
from typing import Protocol

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]


class Port(Protocol):
    """One block at a time; `captures` [channels, n], `outs` [listeners, C, n]."""

    @property
    def clock_ns(self) -> int:
        """When the block that is being done is due by the clock of the device, monotonic; a constant time off."""
        ...

    @property
    def lost_frames(self) -> int:
        """Frames of the device that passed without a block, as far as it says so; only grows."""
        ...

    def rewire(self, wiring: object) -> None:
        """Other rows from one of the next blocks on, and what came or went; everything else goes on."""
        ...

    def start(self) -> None:
        """The first block is due one period from now."""
        ...

    def read(self, captures: F32) -> bool:
        """Fill `captures` with the next block; False (and silence) where it did not come in time."""
        ...

    def write(self, outs: F32) -> None:
        """Hand over the block that belongs to the captures just read."""
        ...

    def drive(self, block: Callable[[], bool]) -> None:
        """Call `block` once a period, in which it reads and writes, until it says False."""
        ...
