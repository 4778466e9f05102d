"""From a setup and the live state to the arrays the block step reads. Pure, NumPy only.

Shapes: P rows of parts, each of SIDES channels, L rows of listeners, C the widest listener's channels; see `rows.py`.
Everything the engine needs to sound right is here; what it must not know (names, evidence, verdicts) is not.
"""

from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from ...core.document.setup import Duck, Listener, Moment, Part, Route, Setup
from ...core.edits.chain_edits import owner_of, plug_ins
from ...core.errors import BruckeError
from ...core.routing.captures import capture_channels
from ...core.routing.clocks import other_rate
from ...core.routing.maps import route_gains
from ...core.routing.moment_routes import in_moment
from ...core.routing.outside_steps import circles, placed_steps
from ...core.routing.rows import SIDES, Order, Rows, rows_of
from ...core.sound.chain_parameters import pack
from ...core.sound.kernel_arguments import Inputs, Routes
from ...core.sound.noise_profile import BINS
from ...core.sound.processors import MAX_OUTSIDE, MAX_SLOTS, NoiseRemoval, OutsideStep, Processor
from ...core.sound.processors.base import PARAMS, RING
from ...core.sound.processors.outside_step import MAX_WAIT_FRAMES
from ...core.timing.delays import delay_frames
from ...core.units import db_to_gain, seconds_to_frames
from .live import FADED_DB, Live, has_door, moment_key

F32 = npt.NDArray[np.float32]
I32 = npt.NDArray[np.int32]
I64 = npt.NDArray[np.int64]
F64 = npt.NDArray[np.float64]


ALONE_DB = -12.0
NOBODY, PLAIN, DOOR = range(3)


class Shape(msgspec.Struct, frozen=True):
    """What a running engine cannot change without a restart."""

    captures: int
    parts: int
    listeners: int
    channels: int
    block: int
    rate: int


class Plan(msgspec.Struct, frozen=True, dict=True):
    """`tenants` int64 [P] and `listener_tenants` [L] tell who sits in a row, 0: nobody; `part_source` int32 [P, SIDES]
    capture rows; `trim` [P], negative where polarity is reversed; `codes` int32 [P, MAX_SLOTS] and `params` [P,
    MAX_SLOTS, PARAMS] of their chains; `noise` [P, BINS], the power of what is to be taken out; `listener_codes` [L,
    MAX_SLOTS] and `listener_params` those of the listeners' chains; `ceiling` [L], linear, is what never gets louder
    there; `door` int32 [L] is 1 where what is heard goes out, 2 where only through a door, 0 where nobody sits;
    `delay`, `source`, `past` (1: not through the listener's chain) int32 [L, P]; `gain` [L, P, SIDES, C];
    `duck_under` int32 [L, P] is the row of the part under which a route goes down, −1 for none, and `duck` [L, P, 4] by
    how many dB, above which level (linear), attack and release in seconds; `outside` int32 [MAX_OUTSIDE, 6] of each
    step outside its row among the listeners, −1: none, its two captures, the devices it goes to and comes from, and the
    row of the part whose chain it is in, −1 at a listener."""

    tenants: I64
    listener_tenants: I64
    part_source: I32
    trim: F32
    codes: I32
    params: F32
    noise: F32
    listener_codes: I32
    listener_params: F32
    ceiling: F32
    delay: I32
    source: I32
    past: I32
    gain: F32
    door: I32
    duck_under: I32
    duck: F32
    outside: I32

    @cached_property
    def inputs(self) -> Inputs:
        return Inputs(self.part_source, self.trim)

    @cached_property
    def routes(self) -> Routes:
        return Routes(self.delay, self.source, self.past, self.gain)


class MomentPlan(msgspec.Struct, frozen=True):
    """What of a plan is another in one moment, and the frames within which its levels are reached, 0 for at once."""

    delay: I32
    source: I32
    past: I32
    gain: F32
    duck: F32
    crossfade: int = 0


MOMENT_FIELDS = ("delay", "source", "past", "gain", "duck")


class PlanSet(msgspec.Struct, frozen=True):
    """A plan, and what of it is another in each moment of the setup, by their keys, in front that of `plan` itself."""

    plan: Plan
    moments: dict[int, MomentPlan]

    def of(self, key: int) -> Plan:
        """In one moment; the plan as it was made where that is not known."""
        found = self.moments.get(key)
        return self.plan if found is None else replace(self.plan, **{f: getattr(found, f) for f in MOMENT_FIELDS})

    def crossfade(self, key: int) -> int:
        """Frames within which that moment is reached."""
        found = self.moments.get(key)
        return found.crossfade if found is not None else 0


class PlanError(BruckeError, ValueError):
    """Why a setup cannot be run, in one sentence."""

    code = "plan"


def shape_of(setup: Setup, rows: Rows | None = None) -> Shape:
    """Of a setup in `rows`, as tight as it can be without."""
    rows = rows or rows_of(setup)
    return Shape(
        len(rows.captures.who),
        len(rows.parts.who),
        len(rows.listeners.who),
        max([2, *(x.channels for x in setup.listeners)]),
        setup.block_frames,
        setup.rate_hz,
    )


def compile_plan(setup: Setup, live: Live, rows: Rows | None = None, channels: int = 0) -> Plan:
    """Arrays of one setup in one moment, in `rows` and for at least so many `channels` of a listener, where it has to
    fit an engine that runs. Whoever is open, muted or silenced is told apart, see `safety.py`. PlanError where the
    engine cannot carry it."""
    _refuse(setup)
    rows = rows or rows_of(setup)
    order, shape = rows.order(setup), shape_of(setup, rows)
    plan = _empty(shape, max(channels, shape.channels), rows)
    for x, listener in zip(order.listeners, setup.listeners, strict=True):
        plan.listener_codes[x], plan.listener_params[x] = pack(_heard_chain(listener, live, setup), setup.rate_hz)
        plan.door[x] = DOOR if has_door(setup, listener.id) else PLAIN
        if listener.kind == "monitor":
            plan.ceiling[x] = db_to_gain(listener.ceiling_db)
    captures = dict(zip(capture_channels(setup), order.captures, strict=True))
    for pairs, part in zip(order.parts, setup.parts, strict=True):
        if not pairs:
            continue
        for side, channel in enumerate(part.channels):
            plan.part_source[pairs[side // SIDES], side % SIDES] = captures[(part.device, channel)]
        for p in pairs:
            plan.trim[p] = db_to_gain(part.trim_db) * (-1 if part.inverted else 1)
        plan.codes[pairs[0]], plan.params[pairs[0]] = pack(_heard_chain(part, live, setup), setup.rate_hz)
        plan.noise[pairs[0]] = _noise(setup, part)
    devices = {d.id: row for d, row in zip(setup.devices, order.devices, strict=True)}
    mine = {p.id: pairs for p, pairs in zip(setup.parts, order.parts, strict=True)}
    round_about = [placed for placed, _part in circles(setup)]
    for row, placed in zip(order.steps, placed_steps(setup), strict=True):
        step = placed.step
        plan.door[row] = PLAIN
        if placed in round_about:  # it would howl: nothing goes out
            continue
        ends = (devices[step.send_device], devices[step.return_device])
        own = mine.get(placed.owner.partition("/")[2], ()) if placed.owner.startswith("part/") else ()
        plan.outside[step.place] = (row, *(captures[c] for c in placed.comes), *ends, own[0] if own else -1)
    _routes_into(plan, setup, order, live)
    return plan


def compile_plans(setup: Setup, live: Live, rows: Rows | None = None, channels: int = 0) -> PlanSet:
    """The plan of now, and for every moment of the setup what would be another in it, so that a moment is one word.
    Errors: PlanError."""
    rows = rows or rows_of(setup)
    plan, order = compile_plan(setup, live, rows, channels), rows.order(setup)
    moments = {}
    for id in (live.moment, *(i for i in ("", *(m.id for m in setup.moments)) if i != live.moment)):
        there = plan
        if id != live.moment:
            there = replace(plan, **{f: np.zeros_like(getattr(plan, f)) for f in MOMENT_FIELDS})
            _routes_into(there, setup, order, msgspec.structs.replace(live, moment=id))
        found = setup.moment(id)
        frames = seconds_to_frames(found.crossfade_s, setup.rate_hz) if found is not None else 0
        moments[moment_key(id)] = MomentPlan(**{f: getattr(there, f) for f in MOMENT_FIELDS}, crossfade=frames)
    return PlanSet(plan, moments)


def _refuse(setup: Setup) -> None:
    """PlanError with what the engine cannot carry."""
    for device in setup.devices:
        if other_rate(setup, device):
            raise PlanError(
                f"{device.name} runs at {device.rate_hz} Hz and the setup at {setup.rate_hz} Hz; set both to one rate"
            )
        if device.kind == "interface" and device.buffer_frames * device.buffers < setup.block_frames:
            raise PlanError(
                f"{device.name} buffers {device.buffer_frames * device.buffers} frames, less than one block of "
                f"{setup.block_frames}; give it larger buffers"
            )
    for placed in placed_steps(setup):
        if placed.step.latency_frames >= MAX_WAIT_FRAMES:
            raise PlanError(
                f"{placed.step.name} comes back later than {MAX_WAIT_FRAMES} frames; take it out of its chain"
            )
    for _owner, plug_in in plug_ins(setup).values():
        if setup.block_frames + plug_in.latency_frames >= RING:
            raise PlanError(f"{plug_in.name} costs more than {RING} frames with this block; take it out of its chain")


def _empty(shape: Shape, channels: int, rows: Rows) -> Plan:
    """Nobody hears anything."""
    return Plan(
        np.array(rows.parts.tenants(), np.int64), np.array(rows.listeners.tenants(), np.int64),
        np.full((shape.parts, SIDES), -1, np.int32), np.zeros(shape.parts, np.float32),
        np.zeros((shape.parts, MAX_SLOTS), np.int32), np.zeros((shape.parts, MAX_SLOTS, PARAMS), np.float32),
        np.zeros((shape.parts, BINS), np.float32),
        np.zeros((shape.listeners, MAX_SLOTS), np.int32), np.zeros((shape.listeners, MAX_SLOTS, PARAMS), np.float32),
        np.ones(shape.listeners, np.float32),
        np.zeros((shape.listeners, shape.parts), np.int32), np.zeros((shape.listeners, shape.parts), np.int32),
        np.zeros((shape.listeners, shape.parts), np.int32),
        np.zeros((shape.listeners, shape.parts, SIDES, channels), np.float32),
        np.full(shape.listeners, NOBODY, np.int32),  # it is closed: who comes begins so
        np.full((shape.listeners, shape.parts), -1, np.int32), np.zeros((shape.listeners, shape.parts, 4), np.float32),
        np.full((MAX_OUTSIDE, 6), -1, np.int32),
    )  # fmt: skip


def _heard_chain(owner: Part | Listener, live: Live, setup: Setup) -> tuple[Processor, ...]:
    """Its chain, with every processor off while it is heard without; off costs the same time. A step outside that was
    measured with other blocks comes back at another time, so that nobody waits for it."""
    chain = tuple(
        msgspec.structs.replace(p, measured_rate_hz=0)
        if isinstance(p, OutsideStep)
        and (p.place in live.dry_steps or not p.waits_at(setup.rate_hz, setup.block_frames)) else p
        for p in owner.chain
    )  # fmt: skip
    if live.without is None or live.without.owner != owner_of(owner):
        return chain
    slot = live.without.slot
    return tuple(msgspec.structs.replace(p, on=False) if slot in (-1, i) else p for i, p in enumerate(chain))


def _noise(setup: Setup, part: Part) -> F32:
    """The profile that the first processor takes out, zeros without one."""
    first = part.chain[0] if part.chain else None
    profile = setup.profile(first.profile) if isinstance(first, NoiseRemoval) else None
    if profile is None or profile.rate_hz != setup.rate_hz:
        return np.zeros(BINS, np.float32)
    # Learnt at the input; what comes to the chain has gone through the trim.
    return (np.array(profile.power) * db_to_gain(part.trim_db) ** 2).astype(np.float32)


def _alone(part: str, listener: str, route: Route | None) -> Route:
    """A part listened to by itself: at its own level where it has one there, and not silent."""
    if route is None or not route.on or route.way != "engine":
        return Route(part=part, listener=listener, gain_db=ALONE_DB)
    return msgspec.structs.replace(route, gain_db=max(route.gain_db, ALONE_DB))


def _routes_into(plan: Plan, setup: Setup, order: Order, live: Live) -> None:
    """What leads from every part to every listener, in one moment."""
    moment, rows = setup.moment(live.moment), {p.id: pairs for p, pairs in zip(setup.parts, order.parts, strict=True)}
    for pairs, part in zip(order.parts, setup.parts, strict=True):
        for x, listener in zip(order.listeners, setup.listeners, strict=True):
            route = setup.route(part.id, listener.id)
            if live.alone and listener.kind == "monitor":
                route = _alone(part.id, listener.id, route) if part.id == live.alone else None
            if pairs and route is not None and route.way == "engine":
                ends = _Ends(x, listener, pairs, part)
                _route_into(plan, setup, ends, route, moment, live)
                _duck_into(plan, ends, in_moment(moment, route).duck, rows)


class _Ends(msgspec.Struct, frozen=True):
    """Of a route, with their rows."""

    x: int
    listener: Listener
    pairs: tuple[int, ...]
    part: Part


def _route_into(plan: Plan, setup: Setup, ends: _Ends, route: Route, moment: Moment | None, live: Live) -> None:
    route = in_moment(moment, route)
    x, part, listener, pairs = ends.x, ends.part, ends.listener, list(ends.pairs)
    shaped = bool(route.processed and part.chain)
    plan.delay[x, pairs] = delay_frames(setup, route, moment)
    plan.source[x, pairs] = int(shaped)
    plan.past[x, pairs] = 1 if route.bypass and listener.chain else 0
    faded = part.kind == "lead" and live.fade_db <= FADED_DB
    if not route.on or faded:
        return
    gain_db = route.gain_db
    if part.kind == "lead":
        gain_db += live.fade_db
    if live.without is not None and shaped and live.without.owner == owner_of(part):
        gain_db += live.without.gain_db
    if live.without is not None and listener.chain and not route.bypass and live.without.owner == owner_of(listener):
        gain_db += live.without.gain_db
    for source, target, gain in route_gains(part, listener, route, gain_db):
        plan.gain[x, pairs[source // SIDES], source % SIDES, target] += gain


def _duck_into(plan: Plan, ends: _Ends, duck: Duck | None, rows: dict[str, tuple[int, ...]]) -> None:
    """How one route goes down, with all its rows, under the first row of the other part, which has its sides."""
    under = rows.get(duck.under, ()) if duck is not None else ()
    if duck is None or not under:
        return
    pairs = list(ends.pairs)
    plan.duck_under[ends.x, pairs] = under[0]
    plan.duck[ends.x, pairs] = (
        duck.depth_db, db_to_gain(duck.threshold_db), duck.attack_ms / 1e3, duck.release_ms / 1e3,
    )  # fmt: skip
