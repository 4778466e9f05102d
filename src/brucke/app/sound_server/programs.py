"""The programs that play here: what of it is taken over, by a rule; what sounds now; how loud, as a trace."""

import time
from collections import deque
from typing import Any

import msgspec

from ...core.document.setup import Setup
from ...ports.devices.server.graph import PLAYS, playing, rules
from ...ports.devices.server.mistakes import RUNNING
from ...ports.devices.server.names import OURS, program_name
from .device_names import keep_names, load_names
from .server_connection import ServerSide
from .stream_capture import part_of

TRACE_S, EVERY_S = 10.0, 0.1
STARTS_ANEW_S = 3.0  # in between nothing goes to the loudspeakers
SILENT_S = 3.0  # between two songs nobody is told that nothing plays
MOST_TRACES = 12
USED = "used"


class Program(msgspec.Struct, frozen=True):
    """One that plays here, by what it says of itself; `sounds` while it does, `used` where it was a part before."""

    name: str
    sounds: bool
    used: bool


class Programs:
    """`rules` are the outputs of ours by program; `there` all programs that could be heard, in no order; `traces`
    levels by program, or by a microphone's node."""

    def __init__(self) -> None:
        self.rules: dict[str, str] = {}
        self.there: tuple[Program, ...] = ()
        self.used: set[str] = set(load_names(USED).get(USED, ()))
        self.traced: tuple[str, ...] = ()  # of which a trace is wanted
        self.traced_nodes: tuple[str, ...] = ()  # and of which microphones, by their nodes' names
        self.traces: dict[str, deque[float]] = {}
        self._traces: dict[int, Any] = {}
        self._traced_at = 0.0
        self._directed: dict[int, str] = {}
        self._clients: dict[str, str] = {}
        self._ran_at = -STARTS_ANEW_S
        self._sounded: dict[str, float] = {}  # when what is a part was last known to sound

    def came(self, side: ServerSide, id: int, type: str, properties: dict[str, str]) -> None:
        """In the library's thread. A program that is taken over is so before a frame of it is heard elsewhere."""
        if type.endswith(":Client"):
            self._clients[str(id)] = properties.get("application.name", "")
        if properties.get("media.class") == PLAYS and side.metadata is not None:
            said = properties.get("application.name") or self._clients.get(properties.get("client.id", ""), "")
            target = self.rules.get(program_name(said))
            if target is not None:
                side.connection.direct(side.metadata, id, target)
                self._directed[id] = target

    def look(self, side: ServerSide) -> None:
        """What plays already when a rule comes is taken over, and what is no longer wanted goes back. Only while an
        engine carries it: what is chosen before that goes on sounding where it did."""
        graph = side.graph
        found = rules(side.setup)
        self._ran_at = time.monotonic() if side.runs else self._ran_at
        runs = time.monotonic() - self._ran_at < STARTS_ANEW_S
        self.rules = {program: node for program, node in found.items() if runs and graph.node(node) is not None}
        streams = [n for n in list(graph.nodes.values()) if n.media == PLAYS and not n.name.startswith(OURS)]
        if side.metadata is not None:
            for n in streams:
                target = self.rules.get(n.program, "")
                if target != self._directed.get(n.id, ""):
                    side.connection.direct(side.metadata, n.id, target)
                    self._directed[n.id] = target
        for id in [i for i in list(self._directed) if i not in graph.nodes]:
            del self._directed[id]
        side.watch({n.id for n in streams})
        sounds = {n.program for n in streams if side.states.get(n.id) == RUNNING}
        self.there = tuple(Program(p, p in sounds, p in self.used) for p in playing(graph))
        self._use(found)

    def silent(self, now: float) -> set[str]:
        """Programs that are parts and have played nothing for a few seconds, ended or not."""
        sounding = {p.name for p in self.there if p.sounds}
        self._sounded = {p: now if p in sounding else self._sounded.get(p, now) for p in self.rules}
        return {p for p, at in self._sounded.items() if now - at > SILENT_S}

    def _use(self, found: dict[str, str]) -> None:
        """What is a part once is offered first from then on."""
        if not found.keys() <= self.used:
            self.used |= found.keys()
            keep_names(USED, {USED: self.used})

    def trace(self, side: ServerSide, now: float) -> bool:
        """Follow those that are wanted; whether it was time for another look."""
        if not side.connection.traces:
            return False
        from ...ports.devices.server.trace import Trace  # reading the definitions takes a moment

        wanted = (*self.traced[:MOST_TRACES], *self.traced_nodes[:MOST_TRACES])
        nodes = list(side.graph.nodes.values())
        ids = {n.id: n.program for n in nodes if n.media == PLAYS and n.program in self.traced[:MOST_TRACES]}
        ids |= {n.id: n.name for n in nodes if n.name in self.traced_nodes[:MOST_TRACES]}
        for gone in [i for i in self._traces if i not in ids]:
            self._traces.pop(gone).end()
        for id in ids.keys() - self._traces.keys():
            self._traces[id] = Trace(side.connection, id)
        if now - self._traced_at < EVERY_S:
            return False
        self._traced_at = now
        for program in wanted:
            heard = [t.take() for id, t in self._traces.items() if ids.get(id) == program]
            line = self.traces.setdefault(program, deque(maxlen=round(TRACE_S / EVERY_S)))
            line.append(max((h for h in heard if h is not None), default=0.0))
        for gone_program in self.traces.keys() - set(wanted):
            del self.traces[gone_program]
        return True

    def trace_links(self, side: ServerSide) -> set[tuple[int, int]]:
        """(from, to) of what the traces listen to."""
        wanted: set[tuple[int, int]] = set()
        for id, t in self._traces.items():
            node, of = side.graph.node(t.node), side.graph.nodes.get(id)
            ends = side.graph.ends_of(node, False)
            if ends and of is not None:
                wanted |= {(e.id, ends[0].id) for e in side.graph.ends_of(of, True)}
        return wanted

    def end(self, side: ServerSide) -> None:
        """Everything goes back to where it was."""
        for id, target in list(self._directed.items()):
            if target and side.metadata is not None:
                side.connection.direct(side.metadata, id, "")
        for t in self._traces.values():
            t.end()
        self.rules, self.there = {}, ()
        for kept in (self._directed, self._clients, self._traces, self.traces):
            kept.clear()


def in_their_order(there: tuple[Program, ...], setup: Setup, before: tuple[str, ...], still: bool) -> tuple[str, ...]:
    """Programs as they stand on the page: those that are parts, those that sound, those used before, the others; within
    each as they stood `before`. Nothing moves while `still`: what is new comes at the end."""
    names = [p.name for p in there]
    if still:
        kept = [n for n in before if n in names]
        return (*kept, *(n for n in names if n not in kept))
    taken, place = {n for n in names if part_of(setup, n)}, {n: i for i, n in enumerate(before)}

    def rank(p: Program) -> tuple[int, int, str]:
        first = 0 if p.name in taken else 1 if p.sounds else 2 if p.used else 3
        return first, place.get(p.name, len(before)), p.name

    return tuple(p.name for p in sorted(there, key=rank))
