"""One block: capture channels in, every listener out. State in preallocated arrays, no allocation of size.

The same step runs live, in tests and offline. A new plan takes over in one crossfade; a plan that comes
while one is under way waits until it is done.
"""

import math

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from ...core.document.setup import MAX_DELAY_S
from ...core.routing.rows import SIDES
from ...core.sound.active_routes import find_active
from ...core.sound.fused_kernels import sum_up, take_and_shape
from ...core.sound.kernel_arguments import Chains, Guard, Meters
from ...core.sound.kernels import TOGETHER, guard, take_in
from ...core.sound.kernels import shape as run_chains
from ...core.sound.levels import measure_levels
from ...core.sound.processors import MAX_SLOTS
from ...core.sound.processors.base import LEVEL, MEMORY, STATE
from .crossfade import CROSSFADE_S, Crossfade
from .ducking import Ducking
from .noise import NoiseStages
from .outside import LEFT, RIGHT, OutsideSteps
from .plan import F32, I32, I64, Plan, Shape
from .plug_in_io import Beside

U8 = npt.NDArray[np.uint8]
Bools = npt.NDArray[np.bool_]
READINGS = STATE - LEVEL


def _chains(codes: I32, params: F32) -> Chains:
    """Of so many parts or listeners. They run from the first frame, without fading in."""
    count, slots, numbers = params.shape
    state = np.zeros((count, slots + 1, STATE))
    state[:, :slots, :numbers] = params
    return Chains(
        codes, params, codes.copy(), params.copy(), state, np.zeros((count, slots, MEMORY)), np.ones((count, 1))
    )


class BlockEngine:
    """What is in a row of the plan without a tenant costs nothing and gives silence; `born` [P] and `listeners_born`
    [L] are the frames with which the tenants of today began; `rows` and `heard` are those parts and listeners, and
    whoever is still leaving. `raw` [P, SIDES, n], `shaped` [P, 2, n] (after its chain), `unfinished` [L, C, n] (what
    goes into the listener's chain) and `outs` [L, C, n] hold the newest block; the meters their peak and mean square;
    `readings` [P + L, MAX_SLOTS + 1, READINGS] what the processors tell, see `core/sound/processors/base.py`; noise
    removal tells how much louder the room is than its profile. `missing` uint8 [devices] says which are not there."""

    def __init__(self, shape: Shape, plan: Plan, beside: Beside | None = None, missing: U8 | None = None):
        n = shape.block
        size = math.ceil((MAX_DELAY_S * shape.rate + 2 * n) / n) * n
        self.shape = shape
        self.frames = 0
        self.raw = np.zeros((shape.parts, SIDES, n), np.float32)
        self.outs = np.zeros((shape.listeners, shape.channels, n), np.float32)
        self.part_meters = np.zeros((shape.parts, SIDES, 2), np.float32)
        self.out_meters = np.zeros((shape.listeners, shape.channels, 2), np.float32)
        self.bad = np.zeros(shape.parts, np.int64)
        self.bad_sums = np.zeros(shape.listeners, np.int64)
        self.sum_peaks = np.zeros(shape.listeners, np.float32)  # before anything is held, since last cleared
        self._envelope = np.zeros((shape.listeners, 1))
        self.input_peaks = np.zeros(shape.captures, np.float32)
        self.clips = np.zeros(shape.captures, np.int64)
        self._ins = np.zeros((shape.captures, n), np.float32)
        self._ring = np.zeros((shape.parts, 2, SIDES, size + n), np.float32)
        self._ring[:] = 0.0  # touched now, so that no page is first met in the block path
        self._size, self._pos = size, 0
        self.shaped = np.zeros((shape.parts, 2, n), np.float32)
        self.readings = np.zeros((shape.parts + shape.listeners, MAX_SLOTS + 1, READINGS), np.float32)
        self.meters = Meters(
            self.part_meters, self.out_meters, self.readings, self.input_peaks, self.clips, self.sum_peaks
        )
        self._sums = np.zeros((2, shape.listeners, shape.channels, n), np.float32)
        self.unfinished = self.outs
        self._straight = self.outs[None]  # without any such chain the sums are what goes out
        self._fades_out = False
        self._work = np.zeros((2, n), np.float32)
        # What a mute leaves of each part at the beginning and at the end of a block.
        self._level = np.ones((2, shape.parts), np.float32)
        self._wanted = np.ones(shape.parts, np.float32)
        self._step = np.float32(n / (CROSSFADE_S * shape.rate))
        self._muted = np.zeros(shape.parts, np.int64)
        self._together, self._together_gains = np.zeros((TOGETHER, 3), np.int64), np.zeros(TOGETHER, np.float32)
        self._beside = beside or Beside(n)
        self.outside, self.missing = OutsideSteps(n, shape.rate), missing
        self._crossfade, self.ducking = Crossfade(n, shape.rate), Ducking(shape)
        self._waiting: Plan | None = None
        self._within = 0  # frames in which the one that waits is to be reached
        self._active = np.zeros((shape.listeners * shape.parts, 3), np.int32)
        # What offline and live begin with has been there for ever.
        self.born, self.listeners_born = (np.full(k, -size, np.int64) for k in (shape.parts, shape.listeners))
        self._age = np.zeros(shape.parts, np.int64)
        self._count = 0
        self.begin_with(plan)

    def begin_with(self, plan: Plan, muted: I64 | None = None) -> None:
        """Before the first block: this plan, without fading from another, and whoever is muted in it is so from the
        start."""
        self._chains = _chains(plan.codes, plan.params)
        self._finishing = _chains(plan.listener_codes, plan.listener_params)
        self._guard = Guard(plan.ceiling, self._envelope, self.bad_sums, self.sum_peaks)
        self._noise = NoiseStages(self.shape, plan)
        self._old = self._new = plan
        self._crossfade.end()
        self.rows, self.heard = _taken(plan.tenants), _taken(plan.listener_tenants)
        self._leaving = False
        if muted is not None:
            self.mute(muted)
        self._level[:] = self._wanted
        self._find()

    @property
    def changing(self) -> bool:
        """Whether a change is under way or waits."""
        return self._waiting is not None or self._crossfade.under_way

    def adopt(self, plan: Plan, frames: int = 0) -> None:
        """Crossfade to `plan`, beginning with the next block or after the change under way, which is hurried where it
        is a long one; within so many `frames`, 0 for at once."""
        self._waiting, self._within = plan, frames
        self._crossfade.hurry()

    def mute(self, muted: I64) -> None:
        """From the next block on nobody hears the parts in whose rows `muted` [P] names who sits there, whatever the
        plan says, and while another plan is on its way, too."""
        self._muted = muted
        self._wanted[:] = (muted == 0) | ((muted != self._new.tenants) & (muted != self._old.tenants))

    def _move_levels(self) -> None:
        before, after = self._level
        before[:] = after
        if not np.array_equal(before, self._wanted):
            np.clip(self._wanted, before - self._step, before + self._step, out=after)

    def _find(self) -> None:
        a, b = self._old, self._new
        self._count = find_active(*a.routes, *b.routes, self._active)
        self._chained = _taken(b.codes[:, 0])
        self._finished = _taken(b.listener_codes[:, 0])
        sources = np.union1d(np.union1d(a.part_source, b.part_source), b.outside[:, [LEFT, RIGHT]])
        self._inputs = sources[sources >= 0].astype(np.int32)
        self._passed = 2 if a.past.any() or b.past.any() else 1
        self.ducking.find(b)

    def _begin_change(self) -> None:
        assert self._waiting is not None
        wanted, frames = self._waiting, self._within
        if not _same_people(self._new, wanted):
            frames = 0  # nobody who comes is heard by the gains of whoever was in the row
        if frames and _other_ways(self._new, wanted):
            # Two delays of one sound, faded slowly into each other, are a comb: they change at once, the levels after.
            wanted, frames = replace(wanted, gain=self._new.gain), 0
        else:
            self._waiting = None
        self._old, self._new = self._new, wanted
        self._crossfade.begin(frames)
        self._chains = self._chains._replace(codes=self._new.codes, params=self._new.params)
        self._finishing = self._finishing._replace(codes=self._new.listener_codes, params=self._new.listener_params)
        self._guard = self._guard._replace(ceiling=self._new.ceiling)
        self._let_in()
        self._fill_processed()
        self._noise.adopt(self._new)
        self._find()

    def _let_in(self) -> None:
        """Who is new in a row begins now, and nothing of whoever was there before is heard."""
        old, new, n = self._old, self._new, self.shape.block
        for p in np.flatnonzero((new.tenants != old.tenants) & (new.tenants > 0)):
            self.born[p] = self.frames
            begin = self._pos - n if self._pos else self._size - n
            # Delays are no whole blocks: the first one reads into the block before.
            self._ring[p, :, :, begin : begin + n] = 0.0
            if begin == 0:
                self._ring[p, :, :, self._size :] = 0.0
            self._level[1, p] = self._wanted[p] = 0.0 if self._muted[p] == new.tenants[p] else 1.0
        heard = (new.listener_tenants != old.listener_tenants) & (new.listener_tenants > 0)
        self.listeners_born[heard] = self.frames
        self._envelope[heard] = 0.0
        self.ducking.forget(_taken((new.tenants != old.tenants) & (new.tenants > 0)), _taken(heard))
        # With whoever is still leaving.
        self.rows = np.union1d(self.rows, _taken(new.tenants)).astype(np.int32)
        self.heard = np.union1d(self.heard, _taken(new.listener_tenants)).astype(np.int32)
        self._leaving = True

    def _let_go(self) -> None:
        """Who has left, and whose chain has faded out, gives silence from now on."""
        tenants, heard = self._new.tenants, self._new.listener_tenants
        rows, listeners = self.rows, self.heard
        self.rows = rows[(tenants[rows] > 0) | (self._chains.running[rows, 0] != 0)]
        self.heard = listeners[(heard[listeners] > 0) | (self._finishing.running[listeners, 0] != 0)]
        for p in np.setdiff1d(rows, self.rows):
            self.raw[p], self.shaped[p] = 0.0, 0.0
            self.part_meters[p], self.readings[p] = 0.0, 0.0
        for x in np.setdiff1d(listeners, self.heard):
            self.outs[x], self._sums[:, x], self.out_meters[x] = 0.0, 0.0, 0.0
            self.readings[self.shape.parts + x] = 0.0
        self._leaving = len(self.rows) != np.count_nonzero(tenants) or len(self.heard) != np.count_nonzero(heard)

    def _fill_processed(self) -> None:
        """A chain that comes to a part finds, for as long as any route is delayed, the sound as it was without it: the
        ring it writes to has stood still, and nothing old may be heard out of it, nor nothing."""
        old, new, n = self._old, self._new, self.shape.block
        comes = (new.codes[:, 0] != 0) & (old.codes[:, 0] == 0) & (self._chains.running[:, 0] == 0)
        for p in np.flatnonzero(comes):
            past = int(max(old.delay[:, p].max(), new.delay[:, p].max())) + 2 * n
            begin = self._pos - min(past, self._size)
            if begin < 0:
                self._ring[p, 1, :, self._size + begin : self._size] = self._ring[
                    p, 0, :, self._size + begin : self._size
                ]
            self._ring[p, 1, :, max(0, begin) : self._pos] = self._ring[p, 0, :, max(0, begin) : self._pos]
            self._ring[p, 1, :, self._size :] = self._ring[p, 0, :, self._size :]

    def _finishes(self) -> bool:
        """Whether any listener has a chain, or one that still fades out, or routes that passed one by."""
        self._fades_out = len(self._finished) > 0 or (self._fades_out and bool(self._finishing.running.any()))
        return self._fades_out or self._passed > 1

    def step(self, ins: F32) -> F32:
        """One block of capture channels [captures, n] to the listeners' block `outs`."""
        if self._waiting is not None and not self._crossfade.under_way:
            self._begin_change()
        self._move_levels()
        fading, fade = self._crossfade.under_way, self._crossfade.block()
        a, b = self._old, self._new
        self._ins = ins
        beside = self._beside.take()
        self.outside.adopt(b.outside)
        self.outside.take(ins, self.missing, beside)
        c, rate = self._chains, float(self.shape.rate)
        if self._noise.idle:
            take_and_shape(
                ins, self.rows, *a.inputs, *b.inputs, fade, *c, self.shaped, self.raw, self._ring, self._pos, rate,
                self.bad,
                *beside,
            )  # fmt: skip
        else:
            take_in(
                ins, self.rows, *a.inputs, *b.inputs, fade, c.running, c.frozen, c.state, c.memory, self.shaped,
                self.raw, self._ring, self._pos, self.bad,
            )  # fmt: skip
            self._noise.process(self.shaped)
            run_chains(*c, self.shaped, self.raw, self._ring, self._pos, rate, self.bad, *beside)
        finishing = self._finishes()
        if not self.ducking.idle:
            self.ducking.process(self._ring, self._pos, b, self._level)
        sums = self._sums if finishing else self._straight
        self.unfinished = sums[0]
        sum_up(
            self.frames, self.born, self._age, self._ring, self._pos, self._active, self._count, fading, fade,
            *a.routes, *b.routes,
            sums, self._together, self._together_gains, finishing, self._passed, self.heard, *self._finishing,
            self._work,
            self.outs, rate, *beside, *self._guard, self._level, self.ducking.rows, self.ducking.gains,
        )  # fmt: skip
        self.outside.give(beside, self.outs, self._level)
        self._beside.give(b.codes, b.params, b.listener_codes, b.listener_params)
        if fading:
            if self._crossfade.go_on():
                self._old = b
                self._find()
        elif self._leaving:
            self._let_go()
        self._pos = (self._pos + self.shape.block) % self._size
        self.frames += self.shape.block
        return self.outs

    def guard(self) -> None:
        """What goes out is numbers within ± 1, and at a monitor below its ceiling: once more where something was added
        since."""
        guard(self.outs, self.heard, float(self.shape.rate), *self._guard)

    def levels(self) -> None:
        """Peak, since whoever shows it last cleared it, and mean square of the newest block."""
        measure_levels(
            self._ins, self._inputs, self.input_peaks, self.clips, self.raw, self.rows, self.part_meters, self.outs,
            self.heard, self.out_meters,
            self._chains.state, self._chained, self._finishing.state, self._finished, LEVEL, self.readings,
        )  # fmt: skip
        for p, db in self._noise.mismatch_db.items():
            self.readings[p, 0, 1] = db


def _same_people(old: Plan, new: Plan) -> bool:
    return np.array_equal(old.tenants, new.tenants) and np.array_equal(old.listener_tenants, new.listener_tenants)


def _other_ways(old: Plan, new: Plan) -> bool:
    """Whether anything that sounds before and after comes another way."""
    sounds = (old.gain != 0).any(axis=(2, 3)) & (new.gain != 0).any(axis=(2, 3))
    other = (old.delay != new.delay) | (old.source != new.source) | (old.past != new.past)
    return bool((sounds & other).any())


def _taken(tenants: I64 | I32 | Bools) -> I32:
    return np.flatnonzero(tenants).astype(np.int32)
