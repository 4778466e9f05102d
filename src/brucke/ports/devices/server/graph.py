"""What there is at the desktop's sound server, as it told us, and which links of it we want. Pure.

Names are somebody else's: any bytes, equal ones, very long ones; only ids count.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass, field

import msgspec

from ....core.document.setup import Device, Setup
from ....core.routing.rows import rows_of
from .names import (
    ENGINE,
    OURS,
    can_be_kept,
    chosen_ends,
    come_port,
    go_port,
    here,
    in_name,
    out_name,
    program_name,
    taken_program,
)
from .wiring import ServerWiring, made, server_wiring


class Node(msgspec.Struct, frozen=True):
    id: int
    name: str
    description: str
    media: str  # “Audio/Source”, “Stream/Input/Audio” …
    program: str
    role: str = ""  # what a program says its sound is for


class End(msgspec.Struct, frozen=True):
    """A port of a node: `out` where sound comes out of it, `monitor` where it only repeats what goes in."""

    id: int
    node: int
    name: str
    place: int
    out: bool
    monitor: bool


class Link(msgspec.Struct, frozen=True):
    id: int
    from_end: int
    to_end: int


def _number(text: str, default: int = -1) -> int:
    return int(text) if text.isdecimal() and len(text) < 12 else default


@dataclass
class Graph:
    """Everything there is now. `chosen` are the nodes the desktop plays to and records from, by “sink” and “source”."""

    nodes: dict[int, Node] = field(default_factory=dict)
    ends: dict[int, End] = field(default_factory=dict)
    links: dict[int, Link] = field(default_factory=dict)
    clients: dict[int, str] = field(default_factory=dict)
    metadata: dict[int, str] = field(default_factory=dict)
    chosen: dict[str, str] = field(default_factory=dict)
    wishes: dict[int, str] = field(default_factory=dict)  # what a watched node wants the server to do to its sound

    def came(self, id: int, type: str, p: dict[str, str]) -> None:
        kind = type.rsplit(":", 1)[-1]
        if kind == "Node":
            client = self.clients.get(_number(p.get("client.id", "")), "")
            program = program_name(p.get("application.name", "") or client)
            name = p.get("node.name", "")
            said = p.get("node.description", "") or p.get("node.nick", "") or name
            self.nodes[id] = Node(id, name, said, p.get("media.class", ""), program, p.get("media.role", ""))
        elif kind == "Port":
            monitor = p.get("port.monitor") == "true"
            place, node = _number(p.get("port.id", ""), 0), _number(p.get("node.id", ""))
            self.ends[id] = End(id, node, p.get("port.name", ""), place, p.get("port.direction") == "out", monitor)
        elif kind == "Link":
            self.links[id] = Link(id, _number(p.get("link.output.port", "")), _number(p.get("link.input.port", "")))
        elif kind == "Client":
            self.clients[id] = p.get("application.name", "")
        elif kind == "Metadata":
            self.metadata[id] = p.get("metadata.name", "")

    def gone(self, id: int) -> None:
        for kept in (self.nodes, self.ends, self.links, self.clients, self.metadata):
            kept.pop(id, None)

    def property(self, key: str, value: str) -> None:
        """The desktop's default device has changed."""
        for what in ("sink", "source"):
            if key == f"default.audio.{what}":
                try:
                    said = json.loads(value) if value else {}
                except ValueError:
                    said = {}
                self.chosen[what] = str(said.get("name", "")) if isinstance(said, dict) else ""

    def node(self, name: str) -> Node | None:
        return next((n for n in self.nodes.values() if n.name == name), None)

    def chosen_node(self, what: str) -> Node | None:
        """What the desktop plays to (“sink”) or records from (“source”); nothing where that is one of ours, which would
        go round in a circle."""
        name = self.chosen.get(what, "")
        return None if name.startswith(OURS) else self.node(name)

    def ends_of(self, node: Node | None, out: bool) -> list[End]:
        """In the order of the channels."""
        if node is None:
            return []
        found = [e for e in self.ends.values() if e.node == node.id and e.out == out]
        return sorted(found, key=lambda e: (e.monitor, e.place))

    def linked_from(self, node: Node) -> list[Node]:
        """Who listens to a node."""
        mine = {e.id for e in self.ends.values() if e.node == node.id and e.out}
        return self._nodes_of(x.to_end for x in self.links.values() if x.from_end in mine)

    def linked_to(self, node: Node) -> list[Node]:
        """What a node listens to."""
        mine = {e.id for e in self.ends.values() if e.node == node.id and not e.out}
        return self._nodes_of(x.from_end for x in self.links.values() if x.to_end in mine)

    def _nodes_of(self, ends: Iterable[int]) -> list[Node]:
        ids = dict.fromkeys(self.ends[e].node for e in ends if e in self.ends)
        return [self.nodes[i] for i in ids if i in self.nodes]


def interface_ends(graph: Graph, device: Device) -> tuple[Node | None, Node | None]:
    """What an interface records from and plays to now; None where that is not there."""
    source, sink = chosen_ends(device)
    return (
        graph.node(source) if source else graph.chosen_node("source"),
        graph.node(sink) if sink else graph.chosen_node("sink"),
    )


def devices_there(graph: Graph, out: bool) -> tuple[tuple[str, str], ...]:
    """(name, what it is called) of everything one can record from, or play to (`out`); nothing of ours."""
    media = "Audio/Sink" if out else "Audio/Source"
    found = [
        n
        for n in graph.nodes.values()
        if n.media.startswith(media) and not n.name.startswith(OURS) and can_be_kept(n.name)
    ]
    return tuple((n.name, n.description or n.name) for n in found)


def wanted_links(graph: Graph, setup: Setup, wiring: ServerWiring | None = None) -> set[tuple[int, int]]:
    """(from, to) of every link we want, as far as both its ends are there; the engine's node has its ports by the rows
    of `wiring`, those of the setup itself without one."""
    wiring = wiring or server_wiring(setup, rows_of(setup).order(setup))
    engine = graph.node(ENGINE)
    come = {e.name: e.id for e in graph.ends_of(engine, False)}
    go = {e.name: e.id for e in graph.ends_of(engine, True)}
    inputs, outputs = (wiring.inputs, wiring.outputs) if wiring is not None else ((), ())
    into = {name: come[port] for row, name in inputs if (port := come_port(row)) in come}
    out_of = {name: go[port] for x, c, name in outputs if (port := go_port(x, c)) in go}
    wanted: set[tuple[int, int]] = set()
    for d in setup.devices:
        if here(d) and d.kind == "interface":
            source, sink = (
                graph.ends_of(node, out) for node, out in zip(interface_ends(graph, d), (True, False), strict=True)
            )
            wanted |= {(e.id, into[in_name(d.id, c)]) for c, e in enumerate(source) if in_name(d.id, c) in into}
            for x in setup.listeners:
                if x.device == d.id:
                    wanted |= {(out_of[n], e.id) for c, e in enumerate(sink) if (n := out_name(x.id, c)) in out_of}
    for m in made(setup):
        ends = graph.ends_of(graph.node(m.node), m.output)
        for c, e in enumerate(ends):
            if m.output and (name := in_name(m.of, c)) in into:
                wanted.add((e.id, into[name]))
            elif not m.output and (name := out_name(m.of, c)) in out_of:
                wanted.add((out_of[name], e.id))
    return wanted | copied(graph, setup)


PLAYS = "Stream/Output/Audio"  # what a program's stream to somewhere is called


def playing(graph: Graph) -> list[str]:
    """The programs that play something now, each once, none of ours."""
    return list(dict.fromkeys(n.program for n in graph.nodes.values() if n.media == PLAYS and n.program
        and not n.name.startswith(OURS)))  # fmt: skip


def rules(setup: Setup) -> dict[str, str]:
    """By program: the output of ours that gets what it plays, wherever that would have gone."""
    outputs = {m.of: m.node for m in made(setup) if m.output}
    direct = direct_devices(setup)
    return {
        taken_program(d): outputs[d.id]
        for d in setup.devices if d.id in outputs and taken_program(d) and d.id not in direct
    }  # fmt: skip


def direct_devices(setup: Setup) -> set[str]:
    """Those whose program is also heard directly: it goes to the headphones outside of us, and we get a copy."""
    monitors = {x.id for x in setup.listeners if x.kind == "monitor" and here(setup.device(x.device))}
    outside = {r.part for r in setup.routes if r.way == "outside" and r.on and r.listener in monitors}
    return {p.device for p in setup.parts if p.id in outside and taken_program(setup.device(p.device))}


def copied(graph: Graph, setup: Setup) -> set[tuple[int, int]]:
    """(from, to) of the links by which we get a copy of what is also heard directly."""
    wanted: set[tuple[int, int]] = set()
    for id in direct_devices(setup):
        program = taken_program(setup.device(id))
        into = graph.ends_of(next((graph.node(m.node) for m in made(setup) if m.output and m.of == id), None), False)
        for n in graph.nodes.values():
            if n.media != PLAYS or n.program != program or n.name.startswith(OURS):
                continue
            out_of = graph.ends_of(n, True)
            if len(out_of) == 1:
                wanted |= {(out_of[0].id, e.id) for e in into}
            wanted |= {(a.id, b.id) for a, b in zip(out_of, into, strict=False)}
    return wanted


def missing_links(graph: Graph, setup: Setup, wiring: ServerWiring | None = None) -> set[tuple[int, int]]:
    """Those we want and nobody has made yet."""
    return wanted_links(graph, setup, wiring) - {(x.from_end, x.to_end) for x in graph.links.values()}
