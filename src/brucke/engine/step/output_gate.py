"""Open and closed: out of a closed door comes digital silence, whatever is routed. Levels, takes and verdicts look
before it."""

import numpy as np

from ...core.sound.publish_block import through_doors
from .plan import F32, I64, Plan, Shape

MOVES_S = 0.01  # from closed to open, and back


class Doors:
    """One for every listener: where the plan has a door it is open while `opened` [L] names who sits there."""

    def __init__(self, shape: Shape, plan: Plan, opened: I64):
        is_open = (plan.door == 1) | ((plan.door == 2) & (opened != 0) & (opened == plan.listener_tenants))
        self._now = is_open.astype(np.float32)
        self._step = np.float32(shape.block / (MOVES_S * shape.rate))
        self._out = np.zeros((shape.listeners, shape.channels, shape.block), np.float32)

    def let_out(self, outs: F32, plan: Plan, opened: I64) -> F32:
        """`outs` [L, C, n] as its door lets each listener have it."""
        through_doors(outs, self._now, plan.door, plan.listener_tenants, opened, self._step, self._out)
        return self._out
