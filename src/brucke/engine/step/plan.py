"""From a setup and the live state to the arrays the block step reads. Pure, NumPy only.

Shapes: P parts, S sides of the widest part, L listeners, C the widest listener's channels. Everything the engine needs to sound right
is here; what it must not know (names, evidence, verdicts) is not.
"""

from dataclasses import dataclass

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.document.setup import OF_THIS_COMPUTER, Device, Listener, Moment, Part, Route, Setup
from ...core.edits.chain_edits import owner_of, plug_ins
from ...core.routing.captures import capture_channels
from ...core.routing.maps import route_gains
from ...core.sound.noise_profile import BINS
from ...core.sound.packing import pack
from ...core.sound.processors import MAX_SLOTS, NoiseRemoval, Processor
from ...core.sound.processors.base import PARAMS, RING
from ...core.timing.delays import delay_frames
from ...core.units import db_to_gain

F32 = npt.NDArray[np.float32]
I32 = npt.NDArray[np.int32]


ALONE_DB = -12.0


class Without(msgspec.Struct, frozen=True, kw_only=True):
    """One chain heard without its processors, or without the one in `slot`, `gain_db` louder so that loudness does not
    decide."""

    owner: str
    slot: int = -1
    gain_db: float = 0.0


class Live(msgspec.Struct, frozen=True, kw_only=True):
    """What is in force now and never undone: the moment, parts muted by hand, the one part that is listened to
    alone in the monitors, on air or not, and the listeners that stay closed on air."""

    moment: str = ""
    muted: frozenset[str] = frozenset()
    alone: str = ""
    on_air: bool = False
    shut: frozenset[str] = frozenset()
    without: Without | None = None


@dataclass(frozen=True)
class Shape:
    """What a running engine cannot change without a restart."""

    captures: int
    parts: int
    sides: int
    listeners: int
    channels: int
    block: int
    rate: int


@dataclass(frozen=True)
class Plan:
    """`part_source` int32 [P, S]; `trim` [P], negative where polarity is reversed; `codes` int32 [P, MAX_SLOTS] and
    `params` [P, MAX_SLOTS, PARAMS] of their chains; `noise` [P, BINS], the
    power of what is to be taken out; `listener_codes` [L, MAX_SLOTS] and `listener_params` those of the listeners'
    chains; `ceiling` [L], linear, is what never gets louder there; `door` [L] 1 where it is open; `delay`, `source`, `past` (1: not through the listener's chain) int32 [L, P]; `gain` [L, P, S, C]."""

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
    door: F32


class PlanError(ValueError):
    """Why a setup cannot be run, in one sentence."""


def wiring(setup: Setup) -> tuple[object, ...]:
    """What the world outside is built from; when it changes, everything is started anew."""
    who = tuple((p.id, p.kind, p.device, p.follows, p.shows, p.returns_from) for p in setup.parts)
    listeners = tuple((x.id, x.device) for x in setup.listeners)
    return who, capture_channels(setup), listeners, tuple(map(_without_rule, setup.devices))


def _without_rule(device: Device) -> Device:
    """Which program is taken over is the desktop's matter, not the engine's."""
    there = device.card.startswith(f"{OF_THIS_COMPUTER}/")
    return msgspec.structs.replace(device, card=OF_THIS_COMPUTER) if there else device


def shape_of(setup: Setup) -> Shape:
    return Shape(
        max(1, len(capture_channels(setup))),
        max(1, len(setup.parts)),
        max([2, *(len(p.channels) for p in setup.parts)]),
        max(1, len(setup.listeners)),
        max([2, *(x.channels for x in setup.listeners)]),
        setup.block_frames,
        setup.rate_hz,
    )


def compile_plan(setup: Setup, live: Live) -> Plan:
    """Arrays of one setup in one moment. PlanError where the engine cannot carry it."""
    shape = shape_of(setup)
    for device in setup.devices:
        if device.kind != "camera" and device.rate_hz != setup.rate_hz:
            raise PlanError(
                f"{device.name} runs at {device.rate_hz} Hz and the setup at {setup.rate_hz} Hz; set both to one rate"
            )
        if device.kind == "interface" and device.buffer_frames * device.buffers < setup.block_frames:
            raise PlanError(
                f"{device.name} buffers {device.buffer_frames * device.buffers} frames, less than one block of "
                f"{setup.block_frames}; give it larger buffers"
            )
    for _owner, plug_in in plug_ins(setup).values():
        if setup.block_frames + plug_in.latency_frames >= RING:
            raise PlanError(f"{plug_in.name} costs more than {RING} frames with this block; take it out of its chain")
    captures = capture_channels(setup)
    plan = Plan(
        np.full((shape.parts, shape.sides), -1, np.int32), np.zeros(shape.parts, np.float32),
        np.zeros((shape.parts, MAX_SLOTS), np.int32), np.zeros((shape.parts, MAX_SLOTS, PARAMS), np.float32),
        np.zeros((shape.parts, BINS), np.float32),
        np.zeros((shape.listeners, MAX_SLOTS), np.int32), np.zeros((shape.listeners, MAX_SLOTS, PARAMS), np.float32),
        np.ones(shape.listeners, np.float32),
        *(np.zeros((shape.listeners, shape.parts), np.int32) for _ in range(3)),
        np.zeros((shape.listeners, shape.parts, shape.sides, shape.channels), np.float32),
        np.ones(shape.listeners, np.float32),
    )  # fmt: skip
    for x, listener in enumerate(setup.listeners):
        plan.listener_codes[x], plan.listener_params[x] = pack(_heard_chain(listener, live), setup.rate_hz)
        plan.door[x] = open_now(setup, listener, live)
        if listener.kind == "monitor":
            plan.ceiling[x] = db_to_gain(listener.ceiling_db)
    moment = setup.moment(live.moment)
    for p, part in enumerate(setup.parts):
        if part.kind == "picture":
            continue
        for side, channel in enumerate(part.channels):
            plan.part_source[p, side] = captures.index((part.device, channel))
        plan.trim[p] = db_to_gain(part.trim_db) * (-1 if part.inverted else 1)
        plan.codes[p], plan.params[p] = pack(_heard_chain(part, live), setup.rate_hz)
        plan.noise[p] = _noise(setup, part)
        for x, listener in enumerate(setup.listeners):
            route = setup.route(part.id, listener.id)
            if live.alone and listener.kind == "monitor":
                route = _alone(part.id, listener.id, route) if part.id == live.alone else None
            if route is not None and route.way == "engine":
                _route_into(plan, setup, x, p, route, moment, live)
    return plan


def has_door(setup: Setup, listener: str) -> bool:
    """Whether somebody else sits there: nobody does at a stand-in, and what is our own has no door."""
    x = next((x for x in setup.listeners if x.id == listener), None)
    return x is not None and x.kind not in ("monitor", "recorder") and bool(setup.device(x.device).card)


def open_now(setup: Setup, listener: Listener, live: Live) -> bool:
    """Whether what a listener gets goes out to it: behind a door only on air, and where it is not kept closed."""
    return not has_door(setup, listener.id) or (live.on_air and listener.id not in live.shut)


def _heard_chain(owner: Part | Listener, live: Live) -> tuple[Processor, ...]:
    """Its chain, with every processor off while it is heard without; off costs the same time."""
    if live.without is None or live.without.owner != owner_of(owner):
        return owner.chain
    slot = live.without.slot
    return tuple(msgspec.structs.replace(p, on=False) if slot in (-1, i) else p for i, p in enumerate(owner.chain))


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


def _route_into(plan: Plan, setup: Setup, x: int, p: int, route: Route, moment: Moment | None, live: Live) -> None:
    change = None
    if moment is not None:
        change = next((m for m in moment.routes if (m.part, m.listener) == (route.part, route.listener)), None)
    plan.delay[x, p] = delay_frames(setup, route, moment)
    part, listener = setup.parts[p], setup.listeners[x]
    plan.source[x, p] = 1 if route.processed and part.chain else 0
    plan.past[x, p] = 1 if route.bypass and listener.chain else 0
    if not route.on or route.part in live.muted or (change is not None and change.mute):
        return
    gain_db = route.gain_db if change is None or change.gain_db is None else change.gain_db
    if live.without is not None and plan.source[x, p] and live.without.owner == owner_of(part):
        gain_db += live.without.gain_db
    if live.without is not None and listener.chain and not route.bypass and live.without.owner == owner_of(listener):
        gain_db += live.without.gain_db
    for source, target, gain in route_gains(part, listener, route, gain_db):
        plan.gain[x, p, source, target] += gain
