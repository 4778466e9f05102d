"""Who has chosen a microphone of ours, whether sound flows there, and what they or the desktop do to it."""

import time

import msgspec

from ...ports.devices.server.graph import Node
from ...ports.devices.server.mistakes import RECORDS, RUNNING, Level
from ...ports.devices.server.names import ENGINE
from ...ports.devices.server.wiring import Made
from .device_names import keep_names, load_names
from .server_connection import ServerSide

GIVE_BACK_S = 5.0  # as long after a microphone was made
SETTLES_S = 0.5  # until the desktop's session manager knows it
READERS = "readers"


class MicrophoneConsumer(msgspec.Struct, frozen=True):
    """A program that has chosen a microphone of ours; `flows` while it takes sound from it."""

    program: str
    flows: bool


class MicrophoneConsumers:
    """`of` by listener; `levels` is what the desktop's mixer does to our microphones, by their nodes' ids."""

    def __init__(self) -> None:
        self.of: dict[str, tuple[MicrophoneConsumer, ...]] = {}
        self.levels: dict[int, Level] = {}
        self._chose = load_names(READERS)  # by our microphone: the programs that had chosen it
        self._given: dict[int, float] = {}

    def look(self, side: ServerSide, made: dict[str, tuple[Made, float]]) -> None:
        """`made` are our nodes by name, and when each was made. A link alone lies: a recorder that pauses is linked
        too."""
        consumers, listening_ids, ours = {}, set(), set()
        for m, made_at in made.values():
            if m.output:
                continue
            node = side.graph.node(m.node)
            listening = [n for n in side.graph.linked_from(node) if n.name != ENGINE] if node is not None else []
            listening_ids |= {n.id for n in listening}
            ours |= {node.id} if node is not None else set()
            self._give_back(side, m, made_at, listening)
            consumers[m.of] = tuple(
                MicrophoneConsumer(n.program or n.description, side.states.get(n.id) == RUNNING) for n in listening
            )
        side.watch(listening_ids)
        side.watch(ours, self._heard)
        self.levels = {id: level for id, level in self.levels.items() if id in ours}
        self.of = consumers

    def _heard(self, id: int, volume: float, muted: bool) -> None:
        self.levels[id] = Level(volume, muted)

    def _give_back(self, side: ServerSide, m: Made, made_at: float, listening: list[Node]) -> None:
        """A microphone that was made anew (another name, a server that came back) goes to the programs that had chosen
        it; one that has left it since is not asked again."""
        chose = self._chose.setdefault(m.node, set())
        before = set(chose)
        now = time.monotonic()
        there = {n.program for n in listening}
        for n in list(side.graph.nodes.values()):
            if n.media != RECORDS or n.program not in chose or n.program in there:
                continue
            if now - made_at > GIVE_BACK_S:
                chose.discard(n.program)
            elif side.metadata is not None and now - self._given.get(n.id, made_at) > SETTLES_S:
                # What is said of a microphone that the session manager does not know yet is not heard, nor the same
                # twice.
                side.connection.direct(side.metadata, n.id, "")
                side.connection.direct(side.metadata, n.id, m.node)
                self._given[n.id] = now
        chose |= there - {""}
        if chose != before:
            keep_names(READERS, self._chose)

    def end(self) -> None:
        self.of, self.levels = {}, {}
        self._given.clear()
