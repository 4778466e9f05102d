"""The same source at one listener by two ways: the time between them and the first notch it cuts, 1/(2Δt)."""

from collections.abc import Iterator

import msgspec

from ..document.setup import Listener, Part
from ..routing.feedback_loops import Return, carries, returns
from .paths import Situation, path, path_latency

MOST_RETURNS = 3


class DoublePath(msgspec.Struct, frozen=True):
    """`part` reaches `listener` straight and again through `via` (“” by the interface's own monitoring)."""

    part: str
    listener: str
    via: str
    apart_s: float

    @property
    def notch_hz(self) -> float:
        """First notch of two equal arrivals; 0 where they are together (they then only add up)."""
        return first_notch_hz(self.apart_s)


def first_notch_hz(apart_s: float) -> float:
    return 0.0 if abs(apart_s) < 1e-9 else 1 / (2 * abs(apart_s))


def _latency(known: Situation, part: Part, listener: Listener) -> float | None:
    """The way of a route that carries in the moment that is in force, its delay there included."""
    route = known.setup.route(part.id, listener.id)
    if route is None or not carries(route):
        return None
    here = (part.id, listener.id)
    if known.in_force is not None and any(m.mute for m in known.in_force.routes if (m.part, m.listener) == here):
        return None
    return path_latency(path(known, part, listener, route)).value + known.delay_s(route)


def doubled(known: Situation) -> list[DoublePath]:
    """Every part that a listener gets by more than one way. What comes back through a call is not counted:
    people there hear it, the line does not send it back."""
    setup = known.setup
    ways = [r for r in returns(setup) if r.kind != "call"]
    found = []
    for listener in setup.listeners:
        for part in setup.parts:
            straight = _latency(known, part, listener) if part.kind != "picture" else None
            if straight is None:
                continue
            for via, seconds in _round_about(known, part, listener, ways, (part.id,)):
                found.append(DoublePath(part.id, listener.id, via, seconds - straight))
            found += _twins(known, part, listener, straight)
            device = setup.device(part.device)
            if device.direct_monitoring and listener.device == device.id and listener.kind == "monitor":
                found.append(DoublePath(part.id, listener.id, "", straight))
    return found


def _round_about(
    known: Situation, part: Part, listener: Listener, ways: list[Return], passed: tuple[str, ...]
) -> Iterator[tuple[str, float]]:
    """(last part it comes by, seconds) of every way from `part` to `listener` through somebody else."""
    setup = known.setup
    if len(passed) > MOST_RETURNS:
        return
    for way in ways:
        if way.part in passed or way.listener == listener.id:
            continue
        there = _latency(known, part, setup.listener(way.listener))
        if there is None:
            continue
        by = setup.part(way.part)
        rest = _latency(known, by, listener)
        if rest is not None:
            yield by.id, there + rest
        for via, seconds in _round_about(known, by, listener, ways, (*passed, by.id)):
            yield via, there + seconds


def _twins(known: Situation, part: Part, listener: Listener, straight: float) -> Iterator[DoublePath]:
    """A later part of the list that takes in the very same sound: the same input, or another output of one mix."""
    setup = known.setup
    later = setup.parts[setup.parts.index(part) + 1 :]
    for other in later:
        if other.device != part.device or other.kind == "picture" or not _same_sound(part, other):
            continue
        seconds = _latency(known, other, listener)
        if seconds is not None:
            yield DoublePath(other.id, listener.id, part.id, seconds - straight)


def _same_sound(a: Part, b: Part) -> bool:
    return bool(set(a.channels) & set(b.channels)) or {a.source, b.source} == {"mix", "bypass"}
