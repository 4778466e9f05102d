"""The desktop's sound server as the application sees it: what there is, the microphones and outputs we make for
others to choose, the links to and from the engine, and who has chosen us.

They belong to this process, not to the engine: while an engine is replaced they stay, silent.
"""

import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ..ports.devices.kind import DeviceError, Found
from ..ports.devices.server.graph import PLAYS, Graph, Node, devices_there, missing_links, playing, rules, wanted_links
from ..ports.devices.server.mistakes import RECORDS, Mistake, mistakes
from ..ports.devices.server.names import ENGINE, GROUP, OURS, chosen_ends, here, program_name
from ..ports.devices.server.wiring import SERVERS, Made, made
from .readers import keep_readers, load_readers
from .session import Session

AGAIN_S = 1.0  # until it is tried again to reach a server, or to make a link
GIVE_BACK_S = 5.0  # as long after a microphone was made
SETTLES_S = 0.5  # until the desktop's session manager knows it
RUNNING = 3  # a node's state while sound goes through it
CHANNELS = {1: "MONO", 2: "FL,FR"}


@dataclass(frozen=True)
class Ear:
    """A program that has chosen a microphone of ours; `flows` while it takes sound from it."""

    program: str
    flows: bool


class Desktop(QObject):
    """`state`: off while nothing of the setup is of this computer, else up or down; ended for good. `tick` once a frame."""

    changed = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.state = "off"
        self.graph = Graph()
        self.ears: dict[str, tuple[Ear, ...]] = {}
        self.mistakes: tuple[Mistake, ...] = ()
        self.playing: tuple[str, ...] = ()  # programs that play something now
        self.sources: tuple[tuple[str, str], ...] = ()  # (name, what it is called) of microphones
        self.sinks: tuple[tuple[str, str], ...] = ()  # and of what plays
        self._absent: set[str] = set()
        self._rules: dict[str, str] = {}
        self._directed: dict[int, str] = {}
        self._clients: dict[str, str] = {}
        self._given: dict[int, float] = {}
        self._metadata: Any = None
        self.there = False  # whether a server answers, whatever the setup says
        self._pool = ThreadPoolExecutor(1)
        self._asked: Future[list[Found]] | None = None
        self._told: deque[Callable[[], None]] = deque()  # by the library's thread, done in ours
        self._connection: Any = None
        self._tried = self._looked = -AGAIN_S
        self._setup = session.setup
        self._made: dict[str, tuple[Made, Any]] = {}
        self._links: dict[tuple[int, int], tuple[float, Any]] = {}
        self._made_at: dict[str, float] = {}
        self._chose = load_readers()  # by our microphone: the programs that had chosen it
        self._watched: dict[int, Any] = {}
        self._states: dict[int, int] = {}

    def tick(self) -> None:
        if self.state == "ended":
            return
        if self._asked is not None and self._asked.done():
            asked, self._asked = self._asked, None
            self.there = asked.exception() is None and bool(asked.result())
            self.changed.emit()
        wanted = any(here(d) for d in self.session.setup.devices)
        news = bool(self._told) or self.session.setup is not self._setup
        while self._told:
            self._told.popleft()()
        if self._connection is not None and (not wanted or not self._connection.alive):
            self._leave("off" if not wanted else "down")
        if not wanted:
            self._set("off")
            return
        if self._connection is None and time.monotonic() - self._tried > AGAIN_S:
            self._reach()
        if self._connection is not None and (news or time.monotonic() - self._looked > AGAIN_S / 2):
            self._setup, self._looked = self.session.setup, time.monotonic()
            try:
                self._look_what_is_chosen()
                self._make_nodes()
                self._take_over()
                self._make_links()
                self._look_who_listens()
            except DeviceError:  # it ends just now
                self._leave("down")

    def mend(self, mistake: Mistake) -> None:
        """Asked for with one press."""
        if self._connection is None or self._metadata is None or not mistake.target:
            return
        if mistake.code == "bare":
            self._connection.direct(self._metadata, mistake.node, mistake.target)
        elif mistake.code == "default":
            self._connection.choose(self._metadata, "source", mistake.target)

    def look(self) -> None:
        """Ask whether there is a server; the window does not wait for it."""
        if self._asked is None:
            self._asked = self._pool.submit(SERVERS.found)

    @property
    def linked(self) -> bool:
        """Whether everything that can be linked is."""
        return self.state != "up" or not missing_links(self.graph, self.session.setup)

    def end(self) -> None:
        """The window closes: nothing of ours is left at the server."""
        self._pool.shutdown(wait=False, cancel_futures=True)
        self._leave("ended")

    def _set(self, state: str) -> None:
        if state != self.state:
            self.state = state
            self.changed.emit()

    # The connection

    def _reach(self) -> None:
        from ..ports.devices.server.connection import Connection

        self._tried = time.monotonic()
        self.graph = Graph()
        try:
            self._connection = Connection(
                "brucke", self._came, lambda id: self._told.append(partial(self.graph.gone, id)), lambda _why: None
            )
        except DeviceError as e:
            if self.state != "down":
                self.session.noticed.emit(f"{e}. It is looked for; what goes through it is silent.", "coral")
            self._set("down")
            return
        self._set("up")

    def _came(self, id: int, type: str, properties: dict[str, str]) -> None:
        """In the library's thread. A program that is taken over is so before a frame of it is heard elsewhere."""
        self._told.append(partial(self.graph.came, id, type, properties))
        if type.endswith(":Client"):
            self._clients[str(id)] = properties.get("application.name", "")
        if properties.get("media.class") == PLAYS and self._metadata is not None:
            said = properties.get("application.name") or self._clients.get(properties.get("client.id", ""), "")
            program = program_name(said)
            if program in self._rules:
                self._connection.direct(self._metadata, id, self._rules[program])
                self._directed[id] = self._rules[program]

    def _leave(self, state: str) -> None:
        connection, self._connection = self._connection, None
        if connection is not None:
            for id, target in list(self._directed.items()):
                if target and self._metadata is not None:
                    connection.direct(self._metadata, id, "")
            if connection.alive is False and state == "down":
                self.session.noticed.emit("The desktop's sound server has gone. It is looked for; it joins by itself.", "coral")  # fmt: skip
            connection.close()
        self._told.clear()
        self.graph = Graph()
        self._metadata = None
        for kept in (self._made, self._links, self._watched, self._states, self._directed, self._given, self._clients):
            kept.clear()  # type: ignore[attr-defined]
        self.ears, self.mistakes, self.playing, self.sources, self.sinks = {}, (), (), (), ()
        self._set(state)

    # What we make

    def _make_nodes(self) -> None:
        from ..ports.devices.server.connection import NODE

        wanted = {m.node: m for m in made(self.session.setup)}
        for node, (made_as, proxy) in list(self._made.items()):
            if wanted.get(node) != made_as:
                self._connection.end(proxy)
                del self._made[node]
        for node, m in wanted.items():
            if node in self._made:
                continue
            properties = {
                "factory.name": "support.null-audio-sink", "node.name": node, "node.description": m.shown,
                "media.class": "Audio/Sink" if m.output else "Audio/Source/Virtual", "node.virtual": "true",
                "priority.session": 0, "audio.channels": m.channels, "node.group": GROUP,
                "audio.position": CHANNELS.get(m.channels, ",".join(f"AUX{c}" for c in range(m.channels))),
            }  # fmt: skip
            self._made[node] = (m, self._connection.make("adapter", NODE, properties))
            self._made_at[node] = time.monotonic()

    def _make_links(self) -> None:
        from ..ports.devices.server.connection import LINK

        now = time.monotonic()
        wanted = wanted_links(self.graph, self.session.setup)
        for pair in [p for p in self._links if p not in wanted]:
            self._connection.end(self._links.pop(pair)[1])
        for pair in missing_links(self.graph, self.session.setup):
            asked, proxy = self._links.get(pair, (-AGAIN_S, None))
            if now - asked < AGAIN_S:
                continue
            if proxy is not None:
                self._connection.end(proxy)
            properties = {"link.output.port": pair[0], "link.input.port": pair[1]}
            self._links[pair] = (now, self._connection.make("link-factory", LINK, properties))

    # Who listens, and what the desktop has chosen

    def _look_what_is_chosen(self) -> None:
        for id, name in self.graph.metadata.items():
            if name == "default" and id not in self._watched:
                self._metadata = self._watched[id] = self._connection.watch_metadata(
                    id, lambda _of, key, value: self._told.append(partial(self.graph.property, key, value))
                )

    def _take_over(self) -> None:
        """What plays already when a rule comes, and what is no longer wanted goes back."""
        found = rules(self.session.setup)
        self._rules = {program: node for program, node in found.items() if self.graph.node(node) is not None}
        if self._metadata is None:
            return
        for n in list(self.graph.nodes.values()):
            target = self._rules.get(n.program, "") if n.media == PLAYS and not n.name.startswith(OURS) else ""
            if target != self._directed.get(n.id, ""):
                self._connection.direct(self._metadata, n.id, target)
                self._directed[n.id] = target
        for id in [i for i in list(self._directed) if i not in self.graph.nodes and not self._told]:
            del self._directed[id]
        now = tuple(playing(self.graph)), devices_there(self.graph, False), devices_there(self.graph, True)
        if now != (self.playing, self.sources, self.sinks):
            self.playing, self.sources, self.sinks = now
            self.changed.emit()
        self._say_what_is_absent()

    def _say_what_is_absent(self) -> None:
        """A microphone or headphones that were chosen and are not there: said once, joined by itself."""
        if time.monotonic() - self._tried < AGAIN_S:
            return  # it still tells what there is
        absent = set()
        for d in self.session.setup.devices:
            if here(d) and d.kind == "interface":
                absent |= {name for name in chosen_ends(d) if name and self.graph.node(name) is None}
        for name in sorted(absent - self._absent):
            self.session.noticed.emit(f"{name} is not there. It is silent and joins by itself.", "coral")
        self._absent = absent

    def _give_back(self, m: Made, listening: list[Node]) -> None:
        """A microphone that was made anew (another name, a server that came back) goes to the programs that had chosen it; one
        that has left it since is not asked again."""
        chose = self._chose.setdefault(m.node, set())
        before = set(chose)
        now, made_at = time.monotonic(), self._made_at[m.node]
        there = {n.program for n in listening}
        for n in list(self.graph.nodes.values()):
            if n.media != RECORDS or n.program not in chose or n.program in there:
                continue
            if now - made_at > GIVE_BACK_S:
                chose.discard(n.program)
            elif self._metadata is not None and now - self._given.get(n.id, made_at) > SETTLES_S:
                # What is said of a microphone that the session manager does not know yet is not heard, nor the same twice.
                self._connection.direct(self._metadata, n.id, "")
                self._connection.direct(self._metadata, n.id, m.node)
                self._given[n.id] = now
        chose |= there - {""}
        if chose != before:
            keep_readers(self._chose)

    def _look_who_listens(self) -> None:
        """A link alone lies: a recorder that pauses is linked too."""
        ears = {}
        seen = set()
        for m, _proxy in list(self._made.values()):
            if m.output:
                continue
            node = self.graph.node(m.node)
            listening = [n for n in self.graph.linked_from(node) if n.name != ENGINE] if node is not None else []
            seen |= {n.id for n in listening}
            self._give_back(m, listening)
            ears[m.of] = tuple(Ear(n.program or n.description, self._states.get(n.id) == RUNNING) for n in listening)
        for gone in [i for i in self._watched if i not in seen and i not in self.graph.metadata]:
            self._connection.end(self._watched.pop(gone))
            self._states.pop(gone, None)
        for id in seen - set(self._watched):
            self._watched[id] = self._connection.watch_node(
                id, lambda state, _properties, id=id: self._told.append(partial(self._states.__setitem__, id, state))
            )
        wrong = mistakes(self.graph, self.session.setup)
        if (ears, wrong) != (self.ears, self.mistakes):
            self.ears, self.mistakes = ears, wrong
            self.changed.emit()
