"""Microphones of ours at the sound server that outlive us: they belong to the server, silent while nobody of ours is
linked to them. Pure.

One that a program has chosen stays for as long as that program has it: were it taken away, the desktop would hand the
program the bare microphone.
"""

from collections.abc import Collection

import msgspec

from .graph import Graph, Node
from .names import ENGINE, OURS, PLAYED_TO
from .wiring import Made

WHOLE = "sound"


class Held(msgspec.Struct, frozen=True):
    """A microphone of ours that is there, and the programs that have chosen it."""

    node: Node
    programs: tuple[str, ...]


def microphones(graph: Graph) -> list[Held]:
    """All there are, whoever made them."""
    found = []
    for n in graph.nodes.values():
        if (
            not n.name.startswith(OURS)
            or n.name.startswith(PLAYED_TO)
            or n.name == ENGINE
            or not n.media.startswith("Audio/Source")
        ):
            continue
        programs = [x.program or x.description for x in graph.linked_from(n) if not x.name.startswith(OURS)]
        found.append(Held(n, tuple(programs)))
    return found


def left_over(graph: Graph, wanted: dict[str, Made], good: Collection[str] = ()) -> list[Node]:
    """Microphones that are to be taken away: nobody has chosen them, and they are not wanted, or not as they are. Those
    in `good` are known to be as wanted; of one that was just made not all ends may have been told."""
    return [
        h.node
        for h in microphones(graph)
        if not h.programs
        and h.node.name not in good
        and (h.node.name not in wanted or not as_wanted(graph, h.node, wanted[h.node.name]))
    ]


def as_wanted(graph: Graph, node: Node, m: Made) -> bool:
    """Whether what is there is what would be made. By the older protocol it is told with one end for all its channels,
    and with the name as that can carry it."""
    ends = graph.ends_of(node, True)
    if [e.name for e in ends] == [WHOLE]:
        return True
    return node.description == m.shown and len(ends) == m.channels
