"""The desktop's sound server as the application sees it: what there is, the microphones and outputs we make for
others to choose, and the links to and from the engine. Programs and listeners have files of their own.

They belong to this process, not to the engine: while an engine is replaced they stay, silent.
"""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from ...core.document.setup import Setup
from ...core.edits.route_edits import change_device
from ...ports.devices.kind import DeviceError, Found
from ...ports.devices.server.graph import Graph, Node, devices_there, missing_links, wanted_links
from ...ports.devices.server.held_microphones import left_over, microphones
from ...ports.devices.server.microphone_lock import MicrophoneLock
from ...ports.devices.server.mistakes import Mistake, mistakes
from ...ports.devices.server.names import NOWHERE, on_this_computer, taking
from ...ports.devices.server.wiring import SERVERS, Made, ServerWiring, made, nowhere
from ...ports.devices.server_choice import Spoken, spoken
from ...words.this_computer import looked_for_text, still_records_text
from ...words.translation import _
from ..jobs.background import in_background
from ..session.session import Session
from .interface_ends import InterfaceEnds
from .microphone_consumers import MicrophoneConsumer, MicrophoneConsumers
from .microphone_keeper import Keeper
from .programs import Programs
from .radio_ways import RadioWays
from .server_connection import ServerSide, Told
from .server_facts import with_server

MADE_WITHIN_S = 2.0  # what is not there by then was taken away by somebody
HELD_S = 0.25
SETTLES_S = 0.3  # as long the server is given to do what was asked of it last
AGAIN_S = 1.0  # until it is tried again to reach a server, or to make a link
OLDER = _(
    "Only the older sound protocol is spoken on this computer: everything takes longer on its way, and what "
    "programs play is not drawn. The newer one's library was not found, or nothing answers it."
)  # fmt: skip
CHANNELS = {1: "MONO", 2: "FL,FR"}


class Desktop(QObject):
    """`state`: off while nothing of the setup is of this computer, else up or down; ended for good. `tick` once a
    frame. `moved(device)`: what an interface records from or plays to has become another by itself; `traced`: there is
    more to see of `traces`."""

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
        self.programs, self.microphones = Programs(), MicrophoneConsumers()
        self._side: ServerSide | None = None
        self._interfaces, self.radio = InterfaceEnds(), RadioWays()
        self._pool = ThreadPoolExecutor(1)
        self._asked: Future[list[Found]] | None = None
        self._told = Told(self._woken.emit)
        self._woken.connect(self.tick, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self._tried = self._looked = -AGAIN_S
        self._setup = session.setup
        # What a running engine carries, and in which rows; None while none runs.
        self.carried: Callable[[], tuple[Setup, ServerWiring | None] | None] = lambda: None
        self._carried: tuple[Setup, ServerWiring | None] | None = None
        self._made: dict[str, tuple[Made, Any, float]] = {}
        self._reaching: tuple[ServerSide, Future[tuple[Spoken, Any]]] | None = None
        self._charge = MicrophoneLock()
        self._kept: set[str] = set()  # microphones that are only there because a program has them
        self._keeper: Keeper | None = None
        self._links: dict[tuple[int, int], tuple[float, Any]] = {}
        self._shown: tuple[object, ...] = ()

    @property
    def consumers(self) -> dict[str, tuple[MicrophoneConsumer, ...]]:
        """By listener: the programs that have chosen its microphone."""
        return self.microphones.of

    @property
    def ends(self) -> dict[str, tuple[str, str]]:
        """Of interfaces: what they record from and play to, “” what is not there."""
        return self._interfaces.now

    @property
    def end_names(self) -> dict[str, tuple[str, str]]:
        """The same, as the server names them."""
        return self._interfaces.names

    @property
    def held(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """(what it is called, the programs that have chosen it) of our microphones, also of listeners that are gone."""
        side = self._side
        there = microphones(side.graph) if side is not None else []
        return tuple((h.node.description, h.programs) for h in there if h.programs)

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
        self._see_reached()
        if self._side is None and self._reaching is None and time.monotonic() - self._tried > AGAIN_S:
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
        side.runs = self._carried is not None
        self._find_metadata(side)
        self._make_nodes(side)
        self.programs.look(side)
        self._make_links(side)
        self.microphones.look(side, {name: (m, at) for name, (m, _proxy, at) in self._made.items()})
        self._see_devices(side)
        self.mistakes = mistakes(side.graph, side.setup, self.microphones.levels, side.states)
        self._tell_facts()
        shown = (self.consumers, self.mistakes, self.programs.there, self.sources, self.sinks, self.ends)
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
            self.session.edit(
                _("{name} takes over {program}").format(name=name, program=mistake.program),
                after,
                "gather",
                f"device/{mistake.device}",
            )
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

    def end(self, let_go: bool = False) -> None:
        """The window closes: nothing of ours is left at the server but the microphones that somebody has chosen,
        silent; neither those where they are to be `let_go`."""
        side = self._side
        if side is not None and side.connection.alive and let_go:
            self._take_away(side, [h.node for h in microphones(side.graph)])
        self._pool.shutdown(wait=False, cancel_futures=True)
        if self._reaching is not None:
            self._reaching[1].add_done_callback(lambda f: f.result()[1].close() if f.exception() is None else None)
        self._leave("ended")

    def _set(self, state: str) -> None:
        if state != self.state:
            self.state = state
            self.changed.emit()

    # The connection

    def _reach(self) -> None:
        from ...ports.devices.server.connection import Connection

        self._tried = time.monotonic()
        setup = self.session.setup
        side = ServerSide(None, Graph(), setup, setup, None, self._told.append)

        def came(id: int, type: str, properties: dict[str, str]) -> None:
            self._told.append(partial(side.graph.came, id, type, properties))
            self.programs.came(side, id, type, properties)

        def gone(id: int) -> None:
            self._told.append(partial(side.gone, id))

        def ready() -> None:
            self._told.append(partial(setattr, side, "complete", True))

        def connect() -> tuple[Spoken, Any]:
            found = spoken()
            if found == "older":
                from ...ports.devices.older.connection import OlderConnection

                return found, OlderConnection("brucke", came, gone, lambda _why: None, ready)
            return found, Connection("brucke", came, gone, lambda _why: None, ready=ready)

        # A server that hangs holds up nobody but this thread.
        self._reaching = side, in_background("server", connect, HELD_S)
        self._see_reached()

    def _see_reached(self) -> None:
        """Once the server has answered, or refused."""
        if self._reaching is None or not self._reaching[1].done():
            return
        (side, answer), self._reaching = self._reaching, None
        try:
            self.spoken, side.connection = answer.result()
        except DeviceError as e:
            if self.state != "down":
                self.session.stands.emit(looked_for_text(str(e)), "coral", lambda: self.state == "down")
            self._set("down")
            return
        self._side = side
        if self.spoken == "newer":
            self._keeper = Keeper()
        if self.spoken == "older" and self.state != "up":
            self.session.noticed.emit(OLDER, "amber")
        self._set("up")

    def _leave(self, state: str) -> None:
        side, self._side = self._side, None
        if side is not None:
            self.programs.end(side)
            self._hand_over(side)
            if side.connection.alive is False and state == "down":
                said = _("The desktop's sound server has gone. It is looked for; it joins by itself.")
                self.session.stands.emit(said, "coral", lambda: self.state == "down")
            side.connection.close()
        self._told.clear()
        self.microphones.end()
        self._made.clear()
        self._links.clear()
        self.mistakes, self.sources, self.sinks = (), (), ()
        self._interfaces.forget()
        self._tell_facts()
        self._set(state)

    def _hand_over(self, side: ServerSide) -> None:
        """From now on the keeper looks after our microphones."""
        if side.connection.alive and side.complete:
            self._take_away(side, left_over(side.graph, {}))
            side.connection.settle(SETTLES_S)
        self._charge.leave()
        if self._keeper is not None:
            self._keeper.leave()
            self._keeper = None

    # What we make

    def _make_nodes(self, side: ServerSide) -> None:
        from ...ports.devices.server.connection import NODE

        if not side.complete or not self._charge.take():
            return  # what another Brucke left is taken over, not made twice
        ours, now = made(side.carried), time.monotonic()
        if self.spoken == "newer":
            ours = (*ours, *nowhere(ours, devices_there(side.graph, True)))
        wanted = {m.node: m for m in ours}
        for name, (made_as, proxy, at) in list(self._made.items()):
            lost = now - at > MADE_WITHIN_S and side.graph.node(name) is None
            if wanted.get(name) != made_as or lost:
                if made_as.output:
                    side.connection.end(proxy)
                del self._made[name]
        self._say_kept(side, wanted)
        gone = left_over(side.graph, wanted, self._made)
        self._take_away(side, gone)
        for name, m in wanted.items():
            there = None if m.output else side.graph.node(name)
            if there is not None and there not in gone and name not in self._made:
                self._made[name] = m, None, now
            if there is not None or name in self._made:
                continue
            properties = {
                "factory.name": "support.null-audio-sink", "node.name": name, "node.description": m.shown,
                "media.class": "Audio/Sink" if m.output else "Audio/Source/Virtual", "node.virtual": "true",
                "priority.session": int(name == NOWHERE), "audio.channels": m.channels,
                "audio.position": CHANNELS.get(m.channels, ",".join(f"AUX{c}" for c in range(m.channels))),
                # A microphone outlives us: whoever has chosen it never gets the bare one. See `held_microphones.py`.
                "object.linger": "false" if m.output else "true",
                # A session manager of 0.4 falls over where a node that it wants to suspend is taken away before it
                # does.
                "session.suspend-timeout-seconds": 0,
            }  # fmt: skip
            self._made[name] = (m, side.connection.make("adapter", NODE, properties), time.monotonic())

    def _take_away(self, side: ServerSide, nodes: Sequence[Node]) -> None:
        """Each once: its number may be somebody else's by the time that it is gone."""
        side.taken_away &= set(side.graph.nodes)
        for node in nodes:
            if node.id not in side.taken_away:
                side.taken_away.add(node.id)
                side.connection.destroy(node.id)

    def _say_kept(self, side: ServerSide, wanted: dict[str, Made]) -> None:
        """A microphone of a listener that is gone stays for as long as a program has it; that is said once."""
        kept = {h.node.name: h for h in microphones(side.graph) if h.programs and h.node.name not in wanted}
        for name in kept.keys() - self._kept:
            text = still_records_text(kept[name].programs, kept[name].node.description)
            self.session.noticed.emit(text, "amber")
        self._kept = set(kept)

    def _make_links(self, side: ServerSide) -> None:
        from ...ports.devices.server.connection import LINK

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
        self.sources, self.sinks = devices_there(side.graph, False), devices_there(side.graph, True)
        self._interfaces.look(side.graph, side.setup)
        by_radio = self.radio.look(side, self._interfaces.names)
        if time.monotonic() - self._tried < AGAIN_S:
            return  # it still tells what there is
        said, moved = self._interfaces.see(side.setup)
        for text, tone, gone in said:
            self.session.notice(text, tone, partial(self._interfaces.misses, gone) if gone else None)
        for device in (*moved, *by_radio):
            self.moved.emit(device)

    def _tell_facts(self) -> None:
        """Only once they hold: while nothing is known nobody is called unplugged."""
        session, silent = self.session, self.programs.silent(time.monotonic())
        session.see(with_server(session.facts, session.setup, silent, self._interfaces.gone, self.mistakes))
