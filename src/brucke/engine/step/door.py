"""Open and closed: out of a closed door comes digital silence, whatever is routed. Levels, takes and verdicts look before it."""

import numpy as np

from .plan import F32, Shape

MOVES_S = 0.01  # from closed to open, and back


class Doors:
    """One for every listener; `door` [L] is 1 where it is wanted open, 0 where closed."""

    def __init__(self, shape: Shape, door: F32):
        self._now = door.copy()
        self._step = np.float32(shape.block / (MOVES_S * shape.rate))
        self._out = np.zeros((shape.listeners, shape.channels, shape.block), np.float32)
        self._door: F32 | None = None  # as it was given last
        self._shut = np.zeros(0, np.int64)
        self._still = False
        self._rise = ((np.arange(shape.block) + 1) / shape.block).astype(np.float32)

    def let_out(self, outs: F32, door: F32) -> F32:
        """`outs` [L, C, n] as its door lets each listener have it."""
        if door is not self._door:
            self._door, self._shut, self._still = door, np.flatnonzero(door == 0.0), False
        self._still = self._still or np.array_equal(self._now, door)
        if self._still:
            if not len(self._shut):
                return outs
            np.copyto(self._out, outs)
            self._out[self._shut] = 0.0  # multiplying leaves the sign
            return self._out
        before = self._now.copy()
        self._now += np.clip(door - before, -self._step, self._step)
        share = before[:, None] + (self._now - before)[:, None] * self._rise
        np.multiply(outs, (share * share * (3.0 - 2.0 * share))[:, None, :], out=self._out)
        self._out[(before == 0.0) & (self._now == 0.0)] = 0.0
        return self._out
