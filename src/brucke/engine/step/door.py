"""Open and closed: out of a closed door comes digital silence, whatever is routed. Levels, takes and verdicts look before it."""

import numpy as np

from ...core.sound.handing_out import through_doors
from .plan import F32, Shape

MOVES_S = 0.01  # from closed to open, and back


class Doors:
    """One for every listener; `door` [L] is 1 where it is wanted open, 0 where closed."""

    def __init__(self, shape: Shape, door: F32):
        self._now = door.copy()
        self._step = np.float32(shape.block / (MOVES_S * shape.rate))
        self._out = np.zeros((shape.listeners, shape.channels, shape.block), np.float32)

    def let_out(self, outs: F32, door: F32) -> F32:
        """`outs` [L, C, n] as its door lets each listener have it."""
        through_doors(outs, self._now, door, self._step, self._out)
        return self._out
