"""Where sound comes round: which part contains what a listener gets, and the routes that close a loop.

A graph of parts and listeners: a route leads from a part to a listener, a return from a listener back into
a part (a call's far end, a loudspeaker into a microphone, another program's mix).
"""

from typing import Literal

import msgspec

from ..document.setup import Listener, Part, Route, Setup

ReturnKind = Literal["call", "loudspeaker", "program"]
SILENT_DB = -119.5


class Return(msgspec.Struct, frozen=True):
    """`part` contains what `listener` gets."""

    listener: str
    part: str
    kind: ReturnKind


class Loop(msgspec.Struct, frozen=True):
    """The route `part` → `listener` is one of those that close a loop; `ring` are the parts it comes round by."""

    part: str
    listener: str
    ring: tuple[str, ...]
    kinds: frozenset[ReturnKind]


def carries(route: Route) -> bool:
    """Whether a route lets anything through."""
    return route.on and route.gain_db > SILENT_DB


def own_return(part: Part, listener: str) -> bool:
    """Whether this route would give a call its own far end back."""
    return part.kind == "far_end" and part.returns_from == listener


def _kind(part: Part, listener: Listener) -> ReturnKind | None:
    if part.kind == "picture":
        return None
    if part.source == "computer" and listener.kind == "monitor":
        return "program"
    if part.returns_from == listener.id:
        return "call" if part.kind == "far_end" else "program"
    if listener.kind == "monitor" and listener.air_m > 0 and part.source == "microphone":
        return "loudspeaker"
    return None


def returns(setup: Setup) -> list[Return]:
    found = []
    for listener in setup.listeners:
        for part in setup.parts:
            kind = _kind(part, listener)
            if kind is not None:
                found.append(Return(listener.id, part.id, kind))
    return found


def loops(setup: Setup) -> list[Loop]:
    """Every route that is part of a loop, with the shortest way round."""
    back: dict[str, list[Return]] = {}
    for r in returns(setup):
        back.setdefault(r.listener, []).append(r)
    onward: dict[str, list[str]] = {}
    for route in setup.routes:
        if carries(route):
            onward.setdefault(route.part, []).append(route.listener)
    found = []
    for part, listeners in onward.items():
        for listener in listeners:
            ring = _shortest(part, listener, onward, back)
            if ring is not None:
                found.append(Loop(part, listener, tuple(r.part for r in ring), frozenset(r.kind for r in ring)))
    return found


def _shortest(
    part: str, listener: str, onward: dict[str, list[str]], back: dict[str, list[Return]]
) -> list[Return] | None:
    """The returns that lead from `listener` to `part` again, breadth first; None where none do."""
    queue: list[tuple[str, list[Return]]] = [(listener, [])]
    seen = {listener}
    for at, ring in queue:
        for r in back.get(at, ()):
            if r.part == part:
                return [*ring, r]
            for further in onward.get(r.part, ()):
                if further not in seen:
                    seen.add(further)
                    queue.append((further, [*ring, r]))
    return None
