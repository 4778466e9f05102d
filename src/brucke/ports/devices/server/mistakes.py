"""The usual mistakes at the desktop's sound server, while there is one. Pure."""

from collections.abc import Mapping
from typing import Literal

import msgspec

from ....core.document.setup import Setup
from .graph import PLAYS, Graph, Node, interface_ends
from .names import ENGINE, OURS, here, taken_program
from .wiring import made

RECORDS = "Stream/Input/Audio"  # what a program's stream from somewhere is called
SOURCE = "Audio/Source"
RUNNING = 3  # a node's state while sound goes through it
ECHO, PHONE = "echo-cancel", "Communication"  # what a stream wants of the server, or is for
AS_IT_IS = 0.99  # of full volume: what a mixer rounds is no change


class Level(msgspec.Struct, frozen=True):
    """What the desktop's mixer does to one of our microphones; `volume` linear."""

    volume: float
    muted: bool


class Mistake(msgspec.Struct, frozen=True):
    """`bare`: a program (its stream is `node`) records a `device` itself and not `listener`'s microphone. `muted`,
    `softer`: the desktop's mixer does that to it (`node`). `echo`: a program that has chosen it asks the server to
    remove echo. `straight`: a program plays to the loudspeakers while a `device` of the setup waits for one. `default`:
    the desktop records from a microphone of ours where nobody asked for one; `device` is one that could be chosen
    instead. `twice`: another Brucke is here."""

    code: Literal["bare", "muted", "softer", "echo", "straight", "default", "twice"]
    node: int = 0
    program: str = ""
    device: str = ""
    listener: str = ""
    target: str = ""  # the name of the node that mends it, “” where a hand has to


def _bare_microphone(graph: Graph) -> Node | None:
    return next((n for n in graph.nodes.values() if n.media == SOURCE and not n.name.startswith(OURS)), None)


def _microphones(graph: Graph, setup: Setup, levels: Mapping[int, Level]) -> list[Mistake]:
    """What is done to those of ours, and by whom."""
    found = []
    for m in made(setup):
        node = graph.node(m.node)
        if m.output or m.step or node is None:
            continue
        level = levels.get(node.id)
        if level is not None and (level.muted or level.volume < AS_IT_IS):
            found.append(Mistake("muted" if level.muted else "softer", node.id, listener=m.of, target=m.node))
        for n in graph.linked_from(node):
            if n.media == RECORDS and (graph.wishes.get(n.id) == ECHO or n.role == PHONE):
                found.append(Mistake("echo", n.id, n.program or n.description, listener=m.of))
    return found


def _straight(graph: Graph, setup: Setup, states: Mapping[int, int]) -> list[Mistake]:
    """Something sounds past us while something of the setup waits to be chosen."""
    waiting = [d for d in setup.devices if d.kind == "program" and here(d) and not taken_program(d)]
    heard = {d.id: graph.node(m.node) for d in waiting for m in made(setup) if m.output and m.of == d.id}
    waiting = [d for d in waiting if (node := heard.get(d.id)) is not None and not graph.linked_to(node)]
    taken = {taken_program(d) for d in setup.devices}
    ends = [interface_ends(graph, d)[1] for d in setup.devices if here(d) and d.kind == "interface"]
    sinks = {n.id for n in ends if n is not None}
    for n in graph.nodes.values():
        if n.media != PLAYS or n.name.startswith(OURS) or not n.program or n.program in taken or not waiting:
            continue
        if states.get(n.id) == RUNNING and sinks & {x.id for x in graph.linked_from(n)}:
            return [Mistake("straight", n.id, n.program, waiting[0].id)]
    return []


def mistakes(
    graph: Graph, setup: Setup, levels: Mapping[int, Level] | None = None, states: Mapping[int, int] | None = None
) -> tuple[Mistake, ...]:
    """All there are now; nothing of it is mended by itself. `levels` and `states` by node, as far as they are known."""
    found = []
    microphones = [m for m in made(setup) if not m.output and not m.step and graph.node(m.node) is not None]
    for n in graph.nodes.values():
        if n.media != RECORDS or n.name.startswith(OURS) or not microphones:
            continue
        bare = next((s for s in graph.linked_to(n) if s.media.startswith(SOURCE) and not s.name.startswith(OURS)), None)
        if bare is not None:
            m = microphones[0]
            found.append(Mistake("bare", n.id, n.program or n.description, bare.description, m.of, m.node))
    found += _microphones(graph, setup, levels or {})
    found += _straight(graph, setup, states or {})
    if graph.chosen.get("source", "").startswith(OURS):
        other = _bare_microphone(graph)
        found.append(Mistake("default", device=other.description if other else "", target=other.name if other else ""))
    if sum(n.name == ENGINE for n in graph.nodes.values()) > 1:
        found.append(Mistake("twice"))
    return tuple(found)
