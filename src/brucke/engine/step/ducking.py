"""Which routes are ducked, and how far each is down now."""

import numpy as np

from ...core.sound.duck_kernels import LESS_DB, NUMBERS, STATE, duck
from .plan import F32, F64, I32, Plan, Shape


class Ducking:
    """`rows` [L, P] is which row of `gains` [K, n] holds a route down, −1 for none; both are read by `mix`."""

    def __init__(self, shape: Shape):
        routes = (shape.listeners, shape.parts)
        self.rows: I32 = np.full(routes, -1, np.int32)
        self.gains: F32 = np.ones((1, shape.block), np.float32)
        self._shape = shape
        self._state: F64 = np.zeros((*routes, STATE))
        self._release = np.ones(routes)
        self._ducks = np.zeros((0, 3), np.int32)
        self._numbers = np.zeros((0, NUMBERS))

    @property
    def idle(self) -> bool:
        return len(self._ducks) == 0

    @property
    def less_db(self) -> F64:
        """[L, P] by how many dB each route is down."""
        return self._state[:, :, LESS_DB]

    def forget(self, parts: I32, listeners: I32) -> None:
        """Whoever is new in these rows was never held down."""
        self._state[:, parts] = 0.0
        self._state[listeners] = 0.0

    def find(self, plan: Plan) -> None:
        """Whoever ducks in `plan`, under somebody who is routed there, and whoever still comes back."""
        heard = (plan.gain != 0).any(axis=(2, 3))
        keys = np.where(plan.duck_under >= 0, plan.duck_under, 0)
        hears = np.take_along_axis(heard, keys.astype(np.int64), axis=1) & (plan.duck_under >= 0)
        on = hears & (plan.duck[:, :, 0] > 0)
        self._release = np.where(on, plan.duck[:, :, 3], self._release)
        found = np.argwhere(on | (self.less_db > 0))
        self.rows[:] = -1
        if len(found) == 0 and self.idle:
            return
        self._ducks = np.zeros((len(found), 3), np.int32)
        self._numbers = np.ones((len(found), NUMBERS))
        for k, (x, p) in enumerate(found):
            self.rows[x, p] = k
            self._ducks[k] = x, p, keys[x, p] if on[x, p] else -1
            numbers = plan.duck[x, p] if on[x, p] else (0.0, 1.0, 1.0, self._release[x, p])
            self._numbers[k] = numbers
        self.gains = np.ones((max(1, len(found)), self._shape.block), np.float32)

    def process(self, ring: F32, pos: int, plan: Plan, level: F32) -> None:
        """The gains of the block at `pos`."""
        duck(
            ring, pos, self._ducks, self._numbers, plan.delay, plan.source, level, self._state,
            float(self._shape.rate), self.gains,
        )  # fmt: skip
