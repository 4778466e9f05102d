"""The usual mistakes at the desktop's sound server, while there is one. Pure."""

from dataclasses import dataclass
from typing import Literal

from ....core.document.setup import Setup
from .graph import Graph, Node
from .names import ENGINE, OURS
from .wiring import made

RECORDS = "Stream/Input/Audio"  # what a program's stream from somewhere is called
SOURCE = "Audio/Source"


@dataclass(frozen=True)
class Mistake:
    """`bare`: a program (its stream is `node`) records a `device` itself and not `listener`'s microphone. `default`: the
    desktop records from a microphone of ours where nobody asked for one; `device` is one that could be chosen instead.
    `twice`: another Brucke is here."""

    code: Literal["bare", "default", "twice"]
    node: int = 0
    program: str = ""
    device: str = ""
    listener: str = ""
    target: str = ""  # the name of the node that mends it, “” where a hand has to


def _bare_microphone(graph: Graph) -> Node | None:
    return next((n for n in graph.nodes.values() if n.media == SOURCE and not n.name.startswith(OURS)), None)


def mistakes(graph: Graph, setup: Setup) -> tuple[Mistake, ...]:
    """All there are now; nothing of it is mended by itself."""
    found = []
    microphones = [m for m in made(setup) if not m.output and graph.node(m.node) is not None]
    for n in graph.nodes.values():
        if n.media != RECORDS or n.name.startswith(OURS) or not microphones:
            continue
        bare = next((s for s in graph.linked_to(n) if s.media.startswith(SOURCE) and not s.name.startswith(OURS)), None)
        if bare is not None:
            m = microphones[0]
            found.append(Mistake("bare", n.id, n.program or n.description, bare.description, m.of, m.node))
    if graph.chosen.get("source", "").startswith(OURS):
        other = _bare_microphone(graph)
        found.append(Mistake("default", device=other.description if other else "", target=other.name if other else ""))
    if sum(n.name == ENGINE for n in graph.nodes.values()) > 1:
        found.append(Mistake("twice"))
    return tuple(found)
