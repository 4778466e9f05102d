"""Every change of listeners the interface can make, and the two plain questions. Pure: Setup -> Setup."""

from typing import Literal

from msgspec.structs import replace

from ..document.device_kinds import DEVICE_KINDS
from ..document.ranges import held_to
from ..document.setup import (
    MAX_CHANNELS,
    MAX_LISTENERS,
    Device,
    DeviceKindCode,
    Listener,
    ListenerKind,
    MomentRoute,
    Setup,
)
from ..routing.feedback_loops import carries, own_return
from ..routing.maps import track_layout
from ..routing.outside_steps import placed_steps
from .naming import free_id, free_name
from .route_edits import Cell, copy_column, set_map, set_on, switch

Heard = Literal["all", "some", "none"]
DEVICE_OF: dict[ListenerKind, DeviceKindCode] = {
    "monitor": "interface", "call": "call", "stream": "stream", "recorder": "recorder", "program": "program",
}  # fmt: skip


def new_device(setup: Setup, kind: DeviceKindCode, name: str) -> tuple[Setup, Device]:
    """One more device; the first interface sets the clock."""
    new = DEVICE_KINDS[kind]
    device = Device(
        id=free_id(name, {d.id for d in setup.devices}), name=free_name(name, [d.name for d in setup.devices]),
        kind=kind, rate_hz=setup.rate_hz, buffer_frames=new.frames, buffers=new.buffers,
        pictures_per_s=30.0 if kind == "camera" else 0.0,
        sets_clock=kind == "interface" and not any(d.sets_clock for d in setup.devices),
    )  # fmt: skip
    return replace(setup, devices=(*setup.devices, device)), device


def device_for(setup: Setup, kind: DeviceKindCode, name: str) -> tuple[Setup, Device]:
    """The first device of a kind, or a new one."""
    found = next((d for d in setup.devices if d.kind == kind), None)
    return (setup, found) if found is not None else new_device(setup, kind, name)


def add_listener(setup: Setup, kind: ListenerKind, name: str, device_name: str) -> Setup:
    """A listener that gets nothing yet, with a device of its own (headphones share the interface)."""
    if len(setup.listeners) >= MAX_LISTENERS:
        return setup
    make = device_for if kind in ("monitor", "recorder") else new_device
    setup, device = make(setup, DEVICE_OF[kind], device_name)
    listener = Listener(
        id=free_id(name, {x.id for x in setup.listeners}), name=free_name(name, [x.name for x in setup.listeners]),
        kind=kind, device=device.id,
    )  # fmt: skip
    return replace(setup, listeners=(*setup.listeners, listener))


def duplicate_listener(setup: Setup, listener: str) -> Setup:
    """Another one that hears just the same."""
    if len(setup.listeners) >= MAX_LISTENERS:
        return setup
    old = setup.listener(listener)
    at = setup.listeners.index(old) + 1
    new = replace(
        old, id=free_id(old.name, {x.id for x in setup.listeners}),
        name=free_name(old.name, [x.name for x in setup.listeners]),
    )  # fmt: skip
    setup = replace(setup, listeners=(*setup.listeners[:at], new, *setup.listeners[at:]))
    return copy_column(setup, listener, new.id)


def remove_listener(setup: Setup, listener: str) -> Setup:
    """Without it, its routes and whatever returned from it."""
    moments = tuple(
        replace(
            m, routes=tuple(r for r in m.routes if r.listener != listener),
            policy={k: v for k, v in m.policy.items() if k != listener},
        )
        for m in setup.moments
    )  # fmt: skip
    parts = tuple(
        replace(
            p, returns_from="" if p.returns_from == listener else p.returns_from,
            hears_at="" if p.hears_at == listener else p.hears_at,
        )
        for p in setup.parts
    )  # fmt: skip
    routes = tuple(r for r in setup.routes if r.listener != listener)
    listeners = tuple(x for x in setup.listeners if x.id != listener)
    return without_unused_devices(replace(setup, moments=moments, parts=parts, routes=routes, listeners=listeners))


def without_unused_devices(setup: Setup) -> Setup:
    used = {p.device for p in setup.parts} | {x.device for x in setup.listeners}
    for placed in placed_steps(setup):
        used |= {placed.step.send_device, placed.step.return_device}
    return replace(setup, devices=tuple(d for d in setup.devices if d.id in used))


def widened(listener: Listener, channels: int) -> Listener:
    """With so many channels; more than two have no chain."""
    if channels > 2:
        return replace(listener, channels=channels, chain=(), other_chain=None, version="A")
    return replace(listener, channels=channels)


def set_ceiling(setup: Setup, listener: str, ceiling_db: float) -> Setup:
    """What nothing at a monitor is ever louder than."""
    return _held(setup, listener, ceiling_db=ceiling_db)


def change_listener(setup: Setup, listener: str, name: str | None = None, channels: int | None = None) -> Setup:
    """Name or width. Map points that no longer have a channel go."""
    old = setup.listener(listener)
    wide = old.channels if channels is None else min(max(channels, 1), MAX_CHANNELS)
    new = widened(replace(old, name=(name or "").strip() or old.name), wide)
    routes = tuple(
        replace(r, map=tuple(m for m in r.map if m.target < wide)) if r.listener == listener else r
        for r in setup.routes
    )
    return replace(setup, listeners=tuple(new if x is old else x for x in setup.listeners), routes=routes)


def lay_out_tracks(setup: Setup, listener: str) -> Setup:
    """One track per part: a recorder as wide as all parts together."""
    maps, channels = track_layout(setup)
    wide = tuple(widened(x, channels) if x.id == listener else x for x in setup.listeners)
    setup = replace(setup, listeners=wide)
    for part, points in maps.items():
        setup = set_map(setup, part, listener, points)
        setup = set_on(setup, part, listener, True)
    return setup


# Do I hear it, do they hear it


def _cells(setup: Setup, part: str, mine: bool) -> list[Cell]:
    return [
        (part, x.id)
        for x in setup.listeners
        if (x.kind == "monitor") == mine and not own_return(setup.part(part), x.id)
    ]


def heard_by(setup: Setup, part: str, mine: bool) -> Heard:
    """Whether all, some or none of my own monitors (`mine`), or of everybody else, hear a part."""
    routes = [setup.route(*cell) for cell in _cells(setup, part, mine)]
    on = [r is not None and carries(r) for r in routes]
    return "all" if on and all(on) else "some" if any(on) else "none"


def toggle_heard(setup: Setup, part: str, mine: bool) -> Setup:
    """To all where not all hear it, to none where all do."""
    return switch(setup, _cells(setup, part, mine), heard_by(setup, part, mine) != "all")


def drop_part_from_moment(routes: tuple[MomentRoute, ...], part: str) -> tuple[MomentRoute, ...]:
    return tuple(r for r in routes if r.part != part)


def _held(setup: Setup, listener: str, **fields: float) -> Setup:
    """Numbers of a listener, within their ranges."""
    held = {name: held_to("Listener", name, value) for name, value in fields.items()}
    return replace(setup, listeners=tuple(replace(x, **held) if x.id == listener else x for x in setup.listeners))


def set_there(setup: Setup, listener: str, picture_ms: float, sound_ms: float) -> Setup:
    """What the program at a listener adds to picture and sound."""
    return _held(setup, listener, picture_there_ms=picture_ms, sound_there_ms=sound_ms)


def set_waiting(setup: Setup, listener: str, extra_ms: float, at_most_ms: float) -> Setup:
    """How much later than needed everybody there may be put in step, and the longest that a sound may be made to wait
    for it."""
    return _held(setup, listener, extra_ms=extra_ms, wait_at_most_ms=at_most_ms)
