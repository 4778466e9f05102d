"""The desktop's sound server as the application sees it: what there is, the microphones and outputs we make for
others to choose, and the links to and from the engine. Programs and listeners have files of their own.

They belong to this process, not to the engine: while an engine is replaced they stay, silent.
"""

import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from ..core.document.setup import Setup
from ..core.edits.route_edits import change_device
from ..ports.devices.kind import DeviceError, Found
from ..ports.devices.server.graph import Graph, devices_there, interface_ends, missing_links, wanted_links
from ..ports.devices.server.mistakes import Mistake, mistakes
from ..ports.devices.server.names import chosen_ends, here, on_this_computer, taking
from ..ports.devices.server.which import Spoken, spoken
from ..ports.devices.server.wiring import SERVERS, Made, ServerWiring, made
from ..words.translation import _
from .ears import Ear, Ears
from .programs import Programs
from .server_side import ServerSide
from .session import Session

AGAIN_S = 1.0  # until it is tried again to reach a server, or to make a link
OLDER = _(
    "Only the older sound protocol is spoken on this computer: everything takes longer on its way, and what "
    "programs play is not drawn. The newer one's library was not found, or nothing answers it."
)  # fmt: skip
CHANNELS = {1: "MONO", 2: "FL,FR"}


class _Told:
    """What the library's thread tells, done in ours; `wake` is called where nothing was waiting before."""

    def __init__(self, wake: Callable[[], None]):
        self._wake = wake
        self._waiting: deque[Callable[[], None]] = deque()

    def append(self, do: Callable[[], None]) -> None:
        was_waiting = bool(self._waiting)
        self._waiting.append(do)
        if not was_waiting:
            self._wake()

    def __bool__(self) -> bool:
        return bool(self._waiting)

    def do_all(self) -> None:
        while self._waiting:
            self._waiting.popleft()()

    def clear(self) -> None:
        self._waiting.clear()


class Desktop(QObject):
    """`state`: off while nothing of the setup is of this computer, else up or down; ended for good. `tick` once a frame.
    `moved(device)`: what an interface records from or plays to has become another by itself; `traced`: there is more to
    see of `traces`."""

    changed = pyqtSignal()
    _woken = pyqtSignal()
    moved = pyqtSignal(str)
    traced = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.state = "off"
        self.spoken: Spoken = ""  # by which of its protocols it is reached
        self.there = False  # whether a server answers, whatever the setup says
        self.mistakes: tuple[Mistake, ...] = ()
        self.sources: tuple[tuple[str, str], ...] = ()  # (name, what it is called) of microphones
        self.sinks: tuple[tuple[str, str], ...] = ()  # and of what plays
        self.programs, self._ears = Programs(), Ears()
        self._side: ServerSide | None = None
        self._absent: set[str] = set()
        self.ends: dict[
            str, tuple[str, str]
        ] = {}  # of interfaces: what they record from and play to, “” what is not there
        self.end_names: dict[str, tuple[str, str]] = {}  # the same, as the server names them
        self._ends_before: dict[str, tuple[str, str]] = {}
        self._pool = ThreadPoolExecutor(1)
        self._asked: Future[list[Found]] | None = None
        self._told = _Told(self._woken.emit)
        self._woken.connect(self.tick, Qt.ConnectionType.QueuedConnection)
        self._tried = self._looked = -AGAIN_S
        self._setup = session.setup
        # What a running engine carries, and in which rows; None while none runs.
        self.carried: Callable[[], tuple[Setup, ServerWiring | None] | None] = lambda: None
        self._carried: tuple[Setup, ServerWiring | None] | None = None
        self._made: dict[str, tuple[Made, Any, float]] = {}
        self._links: dict[tuple[int, int], tuple[float, Any]] = {}
        self._shown: tuple[object, ...] = ()

    @property
    def ears(self) -> dict[str, tuple[Ear, ...]]:
        """By listener: the programs that have chosen its microphone."""
        return self._ears.of

    @property
    def playing(self) -> tuple[str, ...]:
        """Programs that play, or could at once."""
        return tuple(p.name for p in self.programs.there)

    @property
    def version(self) -> str:
        """Of what carries the sound of this computer, “” while nothing answers."""
        return str(self._side.connection.version) if self._side is not None else ""

    def tick(self) -> None:
        """Once a frame, and as soon as the server tells something."""
        if self.state == "ended":
            return
        if self._asked is not None and self._asked.done():
            asked, self._asked = self._asked, None
            self.there = asked.exception() is None and bool(asked.result())
            self.changed.emit()
        wanted = on_this_computer(self.session.setup)
        news = bool(self._told) or self.session.setup is not self._setup or self.carried() != self._carried
        self._told.do_all()
        if self._side is not None and (not wanted or not self._side.connection.alive):
            self._leave("off" if not wanted else "down")
        if not wanted:
            self._set("off")
            return
        if self._side is None and time.monotonic() - self._tried > AGAIN_S:
            self._reach()
        if self._side is None:
            return
        try:
            if news or time.monotonic() - self._looked > AGAIN_S / 2:
                self._look(self._side)
            if self.programs.trace(self._side, time.monotonic()):
                self.traced.emit()
        except DeviceError:  # it ends just now
            self._leave("down")

    def _look(self, side: ServerSide) -> None:
        """After something was told, or some time."""
        self._setup, self._looked = self.session.setup, time.monotonic()
        side.setup = self._setup
        self._carried = self.carried()
        side.carried, side.wiring = self._carried or (side.setup, None)
        self._find_metadata(side)
        self._make_nodes(side)
        self.programs.look(side)
        self._make_links(side)
        self._ears.look(side, {name: (m, at) for name, (m, _proxy, at) in self._made.items()})
        self._see_devices(side)
        self.mistakes = mistakes(side.graph, side.setup, self._ears.levels, side.states)
        shown = (self.ears, self.mistakes, self.programs.there, self.sources, self.sinks, self.ends)
        if shown != self._shown:
            self._shown = shown
            self.changed.emit()

    def mend(self, mistake: Mistake) -> None:
        """Asked for with one press."""
        side = self._side
        if mistake.code == "straight":
            setup = self.session.setup
            name = setup.device(mistake.device).name
            after = change_device(setup, mistake.device, card=taking(mistake.program))
            self.session.edit(f"{name} takes over {mistake.program}", after, "gather", f"device/{mistake.device}")
        elif side is None or side.metadata is None or not mistake.target:
            return
        elif mistake.code == "bare":
            side.connection.direct(side.metadata, mistake.node, mistake.target)
        elif mistake.code == "default":
            side.connection.choose(side.metadata, "source", mistake.target)
        elif mistake.code in ("muted", "softer"):
            made_as, watched = self._made.get(mistake.target), side.watched.get(mistake.node)
            if made_as is not None and watched is not None:  # it may have gone since it was shown
                side.connection.restore_level(watched, made_as[0].channels)

    def look(self) -> None:
        """Ask whether there is a server; the window does not wait for it."""
        if self._asked is None:
            self._asked = self._pool.submit(SERVERS.found)

    @property
    def linked(self) -> bool:
        """Whether everything that can be linked is."""
        side = self._side
        return side is None or self.state != "up" or not missing_links(side.graph, side.carried, side.wiring)

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
        setup = self.session.setup
        side = ServerSide(None, Graph(), setup, setup, None, self._told.append)

        def came(id: int, type: str, properties: dict[str, str]) -> None:
            self._told.append(partial(side.graph.came, id, type, properties))
            self.programs.came(side, id, type, properties)

        def gone(id: int) -> None:
            self._told.append(partial(side.gone, id))

        try:
            self.spoken = spoken()
            if self.spoken == "older":
                from ..ports.devices.older.connection import OlderConnection

                side.connection = OlderConnection("brucke", came, gone, lambda _why: None)
            else:
                side.connection = Connection("brucke", came, gone, lambda _why: None)
        except DeviceError as e:
            if self.state != "down":
                why = str(e)
                text = f"{why[:1].upper()}{why[1:]}. It is looked for; what goes through it is silent."
                self.session.noticed.emit(text, "coral")
            self._set("down")
            return
        self._side = side
        if self.spoken == "older" and self.state != "up":
            self.session.noticed.emit(OLDER, "amber")
        self._set("up")

    def _leave(self, state: str) -> None:
        side, self._side = self._side, None
        if side is not None:
            self.programs.end(side)
            if side.connection.alive is False and state == "down":
                self.session.noticed.emit("The desktop's sound server has gone. It is looked for; it joins by itself.", "coral")  # fmt: skip
            side.connection.close()
        self._told.clear()
        self._ears.end()
        self._made.clear()
        self._links.clear()
        self.mistakes, self.sources, self.sinks, self.ends, self.end_names = (), (), (), {}, {}
        self._set(state)

    # What we make

    def _make_nodes(self, side: ServerSide) -> None:
        from ..ports.devices.server.connection import NODE

        wanted = {m.node: m for m in made(side.carried)}
        for node, (made_as, proxy, _at) in list(self._made.items()):
            if wanted.get(node) != made_as:
                side.connection.end(proxy)
                del self._made[node]
        for node, m in wanted.items():
            if node in self._made:
                continue
            properties = {
                "factory.name": "support.null-audio-sink", "node.name": node, "node.description": m.shown,
                "media.class": "Audio/Sink" if m.output else "Audio/Source/Virtual", "node.virtual": "true",
                "priority.session": 0, "audio.channels": m.channels,
                "audio.position": CHANNELS.get(m.channels, ",".join(f"AUX{c}" for c in range(m.channels))),
            }  # fmt: skip
            self._made[node] = (m, side.connection.make("adapter", NODE, properties), time.monotonic())

    def _make_links(self, side: ServerSide) -> None:
        from ..ports.devices.server.connection import LINK

        now = time.monotonic()
        wanted = wanted_links(side.graph, side.carried, side.wiring) | self.programs.trace_links(side)
        for pair in [p for p in self._links if p not in wanted]:
            side.connection.end(self._links.pop(pair)[1])
        there = {(x.from_end, x.to_end) for x in side.graph.links.values()}
        for pair in wanted - there:
            asked, proxy = self._links.get(pair, (-AGAIN_S, None))
            if now - asked < AGAIN_S:
                continue
            if proxy is not None:
                side.connection.end(proxy)
            properties = {"link.output.port": pair[0], "link.input.port": pair[1]}
            self._links[pair] = (now, side.connection.make("link-factory", LINK, properties))

    # What the desktop has chosen

    def _find_metadata(self, side: ServerSide) -> None:
        for id, name in side.graph.metadata.items():
            if name == "default" and id not in side.watched:
                side.metadata = side.watched[id] = side.connection.watch_metadata(
                    id, lambda _of, key, value: self._told.append(partial(side.graph.property, key, value))
                )

    def _see_devices(self, side: ServerSide) -> None:
        """What there is to record from and to play to; what was chosen and is not there, or has become another."""
        graph, setup = side.graph, side.setup
        self.sources, self.sinks = devices_there(graph, False), devices_there(graph, True)
        absent, ends, names = set(), {}, {}
        for d in setup.devices:
            if not here(d) or d.kind != "interface":
                continue
            absent |= {name for name in chosen_ends(d) if name and graph.node(name) is None}
            source, sink = interface_ends(graph, d)
            ends[d.id] = source.description if source else "", sink.description if sink else ""
            names[d.id] = source.name if source else "", sink.name if sink else ""
        self.ends, self.end_names = ends, names
        if time.monotonic() - self._tried < AGAIN_S:
            return  # it still tells what there is
        for name in sorted(absent - self._absent):
            self.session.noticed.emit(f"{name} is not there. It is silent and joins by itself.", "coral")
        self._absent = absent
        for id, now in ends.items():
            self._see_ends(id, self._ends_before.get(id, now), now)
        self._ends_before = ends

    def _see_ends(self, device: str, before: tuple[str, str], now: tuple[str, str]) -> None:
        """A default device that changed by itself: another way in or out takes another time."""
        for what, old, new in zip(("records from", "plays to"), before, now, strict=True):
            if old and new and old != new:
                self.session.noticed.emit(
                    f"This computer {what} {new} now, no longer {old}. Confirm the round trip.", "coral"
                )
                self.moved.emit(device)
