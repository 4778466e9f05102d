"""One block: capture channels in, every listener out. State in preallocated arrays, no allocation of size.

The same step runs live, in tests and offline. A new plan takes over in one crossfade; a plan that comes
while one is under way waits until it is done.
"""

import math

import numpy as np

from ..core.processors import MAX_SLOTS
from ..core.setup import MAX_DELAY_S
from ..core.sound.kernels import find_active, measure_inputs, measure_levels, mix, take_in
from ..core.sound.kernels import shape as run_chains
from ..core.sound.processors import MEMORY, STATE
from .noise import NoiseStages
from .plan import F32, Plan, Shape

# With a wait for one crossfade under way, every change is complete within 20 ms.
CROSSFADE_S = 0.009


class BlockEngine:
    """`raw` [P, S, n] and `outs` [L, C, n] hold the newest block; the meters their peak and mean square."""

    def __init__(self, shape: Shape, plan: Plan):
        n = shape.block
        size = math.ceil((MAX_DELAY_S * shape.rate + 2 * n) / n) * n
        self.shape = shape
        self.frames = 0
        self.raw = np.zeros((shape.parts, shape.sides, n), np.float32)
        self.outs = np.zeros((shape.listeners, shape.channels, n), np.float32)
        self.part_meters = np.zeros((shape.parts, shape.sides, 2), np.float32)
        self.out_meters = np.zeros((shape.listeners, shape.channels, 2), np.float32)
        self.bad = np.zeros(shape.parts, np.int64)
        self.input_peaks = np.zeros(shape.captures, np.float32)
        self.clips = np.zeros(shape.captures, np.int64)
        self._ins: F32 | None = None
        self._ring = np.zeros((shape.parts, 2, shape.sides, size + n), np.float32)
        self._ring[:] = 0.0  # touched now, so that no page is first met in the block path
        self._size, self._pos = size, 0
        # The chains that run from the first frame, without fading in.
        self._running, self._frozen = plan.codes.copy(), plan.params.copy()
        self._state = np.zeros((shape.parts, MAX_SLOTS, STATE))
        self._state[:, :, : plan.params.shape[2]] = plan.params
        self._memory = np.zeros((shape.parts, MAX_SLOTS, MEMORY))
        self._wet = np.ones((shape.parts, 1))
        self._shaped = np.zeros((shape.parts, 2, n), np.float32)
        self._noise = NoiseStages(shape, plan)
        self._length = round(CROSSFADE_S * shape.rate)
        blocks = math.ceil(self._length / n)
        ramp = np.clip((np.arange(blocks * n) + 1) / self._length, 0, 1)
        self._fades = (0.5 - 0.5 * np.cos(np.pi * ramp)).astype(np.float32).reshape(blocks, n)
        self._steady = np.ones(n, np.float32)
        self._old = self._new = plan
        self._waiting: Plan | None = None
        self._fading = blocks
        self._active = np.zeros((shape.listeners * shape.parts, 3), np.int32)
        self._count = 0
        self._find()

    @property
    def changing(self) -> bool:
        """Whether a change is under way or waits."""
        return self._waiting is not None or self._fading < len(self._fades)

    def adopt(self, plan: Plan) -> None:
        """Crossfade to `plan`, beginning with the next block or after the change under way."""
        self._waiting = plan

    def _find(self) -> None:
        a, b = self._old, self._new
        self._count = find_active(a.delay, a.source, a.gain, b.delay, b.source, b.gain, self._active)

    def _begin_change(self) -> None:
        assert self._waiting is not None
        self._old, self._new, self._waiting = self._new, self._waiting, None
        self._fading = 0
        self._noise.adopt(self._new)
        self._find()

    def step(self, ins: F32) -> F32:
        """One block of capture channels [captures, n] to the listeners' block `outs`."""
        if self._fading == len(self._fades) and self._waiting is not None:
            self._begin_change()
        fading = self._fading < len(self._fades)
        fade = self._fades[self._fading] if fading else self._steady
        a, b = self._old, self._new
        self._ins = ins
        take_in(
            ins, b.part_source, a.trim, b.trim, fade, self._running, self._frozen, self._state, self._memory,
            self._shaped, self.raw, self._ring, self._pos, self.bad,
        )  # fmt: skip
        self._noise.process(self._shaped)
        run_chains(
            b.codes, b.params, self._running, self._frozen, self._state, self._memory, self._wet, self._shaped, self.raw,
            self._ring, self._pos, float(self.shape.rate), self.bad,
        )  # fmt: skip
        mix(
            self._ring, self._pos, self._active, self._count, fading, fade, a.delay, a.source, a.gain, b.delay,
            b.source, b.gain, self.outs,
        )  # fmt: skip
        if fading:
            self._fading += 1
            if self._fading == len(self._fades):
                self._old = b
                self._find()
        self._pos = (self._pos + self.shape.block) % self._size
        self.frames += self.shape.block
        return self.outs

    def levels(self) -> None:
        """Peak, since whoever shows it last cleared it, and mean square of the newest block."""
        measure_levels(self.raw, self.part_meters)
        measure_levels(self.outs, self.out_meters)
        if self._ins is not None:
            measure_inputs(self._ins, self.input_peaks, self.clips)
