"""Every change of routes and devices the interface can make, as pure functions Setup -> Setup.

Parts have theirs in `part_edits.py`, listeners in `listener_edits.py`.
"""

from collections.abc import Callable, Iterable
from typing import Any, Literal

from msgspec.structs import replace

from ..document.device_kinds import DEVICE_KINDS
from ..document.ranges import held_to
from ..document.setup import OF_THIS_COMPUTER, Duck, MapPoint, Route, Setup
from ..routing.feedback_loops import own_return
from ..routing.maps import effective_map, shifted_map

LEAST_GAIN_DB = -120.0
Cell = tuple[str, str]  # part, listener


def _with_route(setup: Setup, part: str, listener: str, change: Callable[[Route], Route]) -> Setup:
    if setup.route(part, listener) is None:
        raise KeyError(f"no route {part} → {listener}")
    routes = tuple(change(r) if (r.part, r.listener) == (part, listener) else r for r in setup.routes)
    return replace(setup, routes=routes)


def _with_some_route(setup: Setup, part: str, listener: str, change: Callable[[Route], Route]) -> Setup:
    """The same for a route that may not be there yet; a new one is off."""
    if setup.route(part, listener) is None:
        setup = replace(setup, routes=(*setup.routes, Route(part=part, listener=listener, on=False)))
    return _with_route(setup, part, listener, change)


def set_delay(setup: Setup, part: str, listener: str, delay_ms: float) -> Setup:
    """Delay of one route, held to 0…2 s."""
    value = held_to("Route", "delay_ms", delay_ms)
    return _with_route(setup, part, listener, lambda r: replace(r, delay_ms=value))


def set_delays(setup: Setup, delays_ms: Iterable[tuple[str, str, float]]) -> Setup:
    """Several delays in one step: (part, listener, milliseconds). KeyError for a route that is not there."""
    wanted = {(part, listener): held_to("Route", "delay_ms", ms) for part, listener, ms in delays_ms}
    for part, listener in wanted:
        if setup.route(part, listener) is None:
            raise KeyError(f"no route {part} → {listener}")
    routes = tuple(
        replace(r, delay_ms=wanted[r.part, r.listener]) if (r.part, r.listener) in wanted else r for r in setup.routes
    )
    return replace(setup, routes=routes)


def set_gain(setup: Setup, part: str, listener: str, gain_db: float) -> Setup:
    value = max(held_to("Route", "gain_db", gain_db), LEAST_GAIN_DB)
    return _with_some_route(setup, part, listener, lambda r: replace(r, gain_db=value))


def set_gains(setup: Setup, cells: Iterable[Cell], gain_db: float) -> Setup:
    for cell in cells:
        setup = set_gain(setup, *cell, gain_db)
    return setup


def nudge_gains(setup: Setup, cells: Iterable[Cell], by_db: float) -> Setup:
    """A little louder or softer; routes that are not there stay so."""
    for part, listener in cells:
        route = setup.route(part, listener)
        if route is not None:
            setup = set_gain(setup, part, listener, round(max(route.gain_db, -60.0) + by_db, 1))
    return setup


def set_on(setup: Setup, part: str, listener: str, on: bool) -> Setup:
    """Switch one route. A call's own far end stays off unless `allow_own_return` was asked for."""
    route = setup.route(part, listener)
    if on and own_return(setup.part(part), listener) and not (route is not None and route.own_return):
        return setup
    if route is None and not on:
        return setup
    return _with_some_route(setup, part, listener, lambda r: replace(r, on=on))


def switch(setup: Setup, cells: Iterable[Cell], on: bool) -> Setup:
    for cell in cells:
        setup = set_on(setup, *cell, on)
    return setup


def allow_own_return(setup: Setup, part: str, listener: str, allow: bool) -> Setup:
    """The deliberate step: a call gets its own far end back, or no longer."""
    return _with_some_route(setup, part, listener, lambda r: replace(r, own_return=allow, on=allow))


def set_way(setup: Setup, part: str, listener: str, way: Literal["engine", "outside"]) -> Setup:
    """Who carries it: the engine, or other equipment past it. A call's own far end stays as it is."""
    route = setup.route(part, listener)
    if way == "outside" and own_return(setup.part(part), listener) and not (route is not None and route.own_return):
        return setup
    return _with_some_route(setup, part, listener, lambda r: replace(r, way=way, on=r.on or way == "outside"))


def set_processed(setup: Setup, part: str, listener: str, processed: bool) -> Setup:
    return _with_route(setup, part, listener, lambda r: replace(r, processed=processed))


def set_bypass(setup: Setup, part: str, listener: str, bypass: bool) -> Setup:
    """Past the listener's chain, or through it."""
    return _with_route(setup, part, listener, lambda r: replace(r, bypass=bypass))


def set_duck(setup: Setup, part: str, listener: str, duck: Duck | None) -> Setup:
    """How a route goes down under another part, held to its ranges; None: never."""
    if duck is not None:
        fields = ("depth_db", "threshold_db", "attack_ms", "release_ms")
        duck = replace(duck, **{f: held_to("Duck", f, getattr(duck, f)) for f in fields})
    return _with_route(setup, part, listener, lambda r: replace(r, duck=duck))


def _fitting(setup: Setup, route: Route) -> Route:
    """The route with a map that its part and listener have channels for."""
    sides, channels = len(setup.part(route.part).channels), setup.listener(route.listener).channels
    kept = tuple(m for m in route.map if m.source < sides and m.target < channels)
    return replace(route, map=kept)


def _put(setup: Setup, route: Route) -> Setup:
    if own_return(setup.part(route.part), route.listener) and not route.own_return:
        route = replace(route, on=False)
    others = tuple(r for r in setup.routes if (r.part, r.listener) != (route.part, route.listener))
    return replace(setup, routes=(*others, _fitting(setup, route)))


def move_route(setup: Setup, source: Cell, target: Cell) -> Setup:
    """A route with everything it has to another cell; what was there is replaced, the old place is off."""
    route = setup.route(*source)
    if route is None or source == target:
        return setup
    if own_return(setup.part(target[0]), target[1]):
        return setup
    setup = _put(setup, replace(route, part=target[0], listener=target[1], own_return=False, on=True))
    return set_on(setup, *source, False)


def paste(setup: Setup, routes: Iterable[Route]) -> Setup:
    """Routes that were copied, to the cells they now name; delays of those cells stay."""
    for route in routes:
        old = setup.route(route.part, route.listener)
        kept = old.delay_ms if old is not None else 0.0
        setup = _put(setup, replace(route, own_return=False, delay_ms=kept))
    return setup


def copy_column(setup: Setup, source: str, target: str) -> Setup:
    """What `target` hears becomes what `source` hears, at the same levels; delays stay."""
    copies = [
        replace(setup.route(p.id, source) or Route(part=p.id, listener=source, on=False), listener=target)
        for p in setup.parts
    ]
    return paste(setup, copies)


# Channel maps


def set_map(setup: Setup, part: str, listener: str, points: Iterable[MapPoint]) -> Setup:
    kept = tuple(sorted(points, key=lambda m: (m.source, m.target)))
    return _with_some_route(setup, part, listener, lambda r: replace(r, map=kept))


def toggle_point(setup: Setup, part: str, listener: str, source: int, target: int) -> Setup:
    """One point of a map on or off. A route always keeps at least one."""
    p, x = setup.part(part), setup.listener(listener)
    now = effective_map(p, x, setup.route(part, listener) or Route(part=part, listener=listener))
    without = tuple(m for m in now if (m.source, m.target) != (source, target))
    if not without:
        return setup
    return set_map(
        setup, part, listener, without if len(without) < len(now) else (*now, MapPoint(source=source, target=target))
    )


def set_point_gain(setup: Setup, part: str, listener: str, source: int, target: int, gain_db: float) -> Setup:
    value = max(held_to("MapPoint", "gain_db", gain_db), -60.0)
    now = effective_map(setup.part(part), setup.listener(listener), setup.route(part, listener) or Route(part=part,
        listener=listener))  # fmt: skip
    return set_map(
        setup,
        part,
        listener,
        (replace(m, gain_db=value) if (m.source, m.target) == (source, target) else m for m in now),
    )


def place_on(setup: Setup, cells: Iterable[Cell], first: int) -> Setup:
    """Routes onto the listener's channels from `first` on."""
    for part, listener in cells:
        x = setup.listener(listener)
        if setup.route(part, listener) is not None and first < x.channels:
            setup = set_map(setup, part, listener, shifted_map(setup.part(part), x, first))
    return setup


def others_on(setup: Setup, part: str, listener: str, first: int) -> Setup:
    """Everything else that this listener gets onto its channels from `first` on."""
    return place_on(setup, [(p.id, listener) for p in setup.parts if p.id != part and p.kind != "picture"], first)


# The document and its equipment


def rename(setup: Setup, name: str) -> Setup:
    return replace(setup, name=name.strip() or setup.name)


def set_notes(setup: Setup, notes: str) -> Setup:
    return replace(setup, notes=notes)


def at_one_rate(setup: Setup) -> Setup:
    """All equipment at the setup's rate; a camera has none."""
    for d in setup.devices:
        if DEVICE_KINDS[d.kind].has_rate:
            setup = change_device(setup, d.id, rate_hz=setup.rate_hz)
    return setup


def change_device(setup: Setup, device: str, **fields: Any) -> Setup:
    """Rate, format or buffers of one device."""
    return replace(setup, devices=tuple(replace(d, **fields) if d.id == device else d for d in setup.devices))


def let_lead(setup: Setup, device: str) -> Setup:
    """This device sets the clock, and no other."""
    return replace(setup, devices=tuple(replace(d, sets_clock=d.id == device) for d in setup.devices))


def put_on_this_computer(setup: Setup) -> Setup:
    """Every device that can be is of this computer. What we make there for others is in the same cycle as the engine,
    so it has no buffer of its own; the interface has one block each way, and whatever it really has is measured."""
    for d in setup.devices:
        setup = device_of_this_computer(setup, d.id)
    return setup


def device_of_this_computer(setup: Setup, device: str) -> Setup:
    """One device, where it is of a kind that can be."""
    d = setup.device(device)
    if not DEVICE_KINDS[d.kind].carried:
        return setup
    frames = setup.block_frames if d.kind == "interface" else 0
    there = replace(d, card=OF_THIS_COMPUTER, buffer_frames=frames, buffers=1, rate_hz=setup.rate_hz)
    return replace(setup, devices=tuple(there if x.id == device else x for x in setup.devices))


def without_sounds(setup: Setup) -> Setup:
    """No part names a file: what a template brings for stand-ins to play is nobody's song."""
    return replace(setup, parts=tuple(replace(p, tracks=(), beat_source="") for p in setup.parts))
