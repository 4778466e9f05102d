"""Two computers in step: finding, agreeing, opening, offering and taking. Nothing of it listens, and nothing is sent,
before the person here has chosen “Two computers”, nor after it is closed.
"""

import socket
import time
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from platformdirs import user_config_path
from PyQt6.QtCore import QObject, QSettings, pyqtSignal

from ...core.document.setup import Listener
from ...core.edits.peer_edits import (
    device_of_peer,
    give_to_peer,
    given_keys,
    leave_at_peer,
    take_from_peer,
    taken_keys,
)
from ...core.network.control_messages import Offer, Offered, Taken
from ...core.network.socket_address import parse_socket_address
from ...core.timing.peer_offer import offer_of
from ...core.timing.stage import Stage
from ...engine.processes.backoff import Backoff
from ...engine.processes.peer_messages import PeerArguments
from ...engine.step.live import with_door
from ...ports.devices.peer import PeerWiring
from ...ports.network.listening import listening_socket
from ...ports.network.lobby_messages import (
    AgreeingEnded,
    Answer,
    Asked,
    AskingEnded,
    AskToAgree,
    AskToOpen,
    Forget,
    FromLobby,
    GiveUp,
    LookAt,
    Neighbour,
    OpenedTo,
    SessionPort,
    ShowCode,
    ToLobby,
    Trouble,
    TypeCode,
    WantCode,
)
from ...ports.network.lobby_messages import Neighbours as NeighboursNow
from ...words.timing import stage_text
from ...words.translation import _
from ...words.two_computers import (
    LOOKING,
    NO_PLACE,
    agreeing_ended_text,
    asking_ended_text,
    closed_there_text,
    opened_text,
    trouble_text,
)
from ..engine.live_engine import LiveEngine
from ..session.session import Session
from .headphones import with_headphones
from .lobby_process import LobbyProcess
from .network_facts import alike, network_of
from .open_file import write_open
from .peer_session import PeerSession
from .talking import Talking

NAME_KEY, MOST_NAME = "two_computers/name", 60
FOLLOWS_S = 0.5  # what is taken there is followed no more often


class TwoComputers(QObject):
    """`changed`: anything a person could see is another."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, settings: QSettings, folder: Path | None = None):
        super().__init__()
        self.session, self.running, self.settings = session, running, settings
        self.folder = folder or user_config_path("brucke") / "peers"
        self.lobby: LobbyProcess | None = None
        self.sessions: dict[str, PeerSession] = {}
        self.neighbours: tuple[Neighbour, ...] = ()
        self.agreed: tuple[Neighbour, ...] = ()
        self.here: tuple[str, ...] = ()  # places at which this computer is found
        self.asks: dict[str, str] = {}
        self.talking = Talking()
        self.said, self.tone = "", "mute"
        self.offered: frozenset[str] = frozenset()
        # Who may open without a person being asked, by number and name: see `commands/open_to.py`.
        self.agrees_to_ask: Callable[[str, str], bool] = lambda _id, _name: False
        self._spare: socket.socket | None = None
        self._seen: dict[str, tuple[int, frozenset[str]]] = {}
        self._shown: object = None
        self._offer_of: tuple[object, ...] | None = None
        self._offer_now = Offer()
        self._pauses, self._followed = Backoff(), dict[str, float]()
        running.slept.connect(self._slept)
        session.replaced.connect(self._replaced)

    # Open and closed

    @property
    def name(self) -> str:
        """What this computer is called to others."""
        return str(self.settings.value(NAME_KEY, "") or socket.gethostname())[:MOST_NAME]

    def set_name(self, name: str) -> None:
        """From the next opening on."""
        if name.strip() == self.name:
            return
        self.settings.setValue(NAME_KEY, name.strip()[:MOST_NAME])
        if self.lobby is not None:
            self._end_lobby()
            self._begin_lobby()

    def open(self) -> None:
        """From now on this computer can be found, and finds others."""
        if self.lobby is None:
            self.said = ""
            self._begin_lobby()
            self.changed.emit()

    def stop_looking(self) -> None:
        """Nobody new is found or finds; who is open stays so."""
        self._end_lobby()
        self.changed.emit()

    def close_all(self) -> None:
        """Nothing is found, sent or received any more."""
        self._end_lobby()
        for id in list(self.sessions):
            self.part(id)
        self.changed.emit()

    def _begin_lobby(self) -> None:
        self.lobby = LobbyProcess(self.folder, self.name)
        self._offer_port()

    def _end_lobby(self) -> None:
        lobby, self.lobby = self.lobby, None
        if lobby is not None:
            lobby.end()
        if self._spare is not None:
            self._spare.close()
            self._spare = None
        self.neighbours, self.here, self.asks, self.talking = (), (), {}, Talking()

    def _offer_port(self) -> None:
        """Where the next conversation will listen: a socket of its own that is handed to its process."""
        if self.lobby is not None:
            self._spare = listening_socket()
            self.lobby.say(SessionPort(port=self._spare.getsockname()[1]))

    # What the person here does

    def look_at(self, place: str) -> None:
        """Whether another computer is there, for networks on which none finds another."""
        found = parse_socket_address(place)
        text, self.tone = (LOOKING, "mute") if found is not None else (NO_PLACE, "coral")
        self.said = text.format(place=place.strip()[:60])
        if found is not None:
            self._say_to_lobby(LookAt(address=found[0], port=found[1]))
        self.changed.emit()

    def agree(self, id: str) -> None:
        """Get to know a neighbour."""
        self._say_to_lobby(AskToAgree(id=id))

    def type_code(self, digits: str) -> None:
        self.talking = replace(self.talking, types=0, waits=True)
        self._say_to_lobby(TypeCode(digits=digits))

    def ask(self, id: str) -> None:
        """To open, where both know each other."""
        name = next((n.name for n in (*self.neighbours, *self.agreed) if n.id == id), "")
        self.talking = Talking(name=name, waits=True)
        self._say_to_lobby(AskToOpen(id=id))

    def answer(self, id: str, yes: bool) -> None:
        self.asks.pop(id, None)
        self._say_to_lobby(Answer(id=id, yes=yes))

    def give_up(self) -> None:
        self.talking = Talking()
        self._say_to_lobby(GiveUp())

    def forget(self, id: str) -> None:
        """That computer is a stranger from now on."""
        self.part(id)
        self._say_to_lobby(Forget(id=id))

    def _say_to_lobby(self, order: ToLobby) -> None:
        if self.lobby is not None:
            self.lobby.say(order)
        self.changed.emit()

    def offer(self, key: str, on: bool) -> None:
        """One of ours may be taken there, or no more."""
        self.offered = self.offered | {key} if on else self.offered - {key}
        self.changed.emit()

    def take(self, id: str, thing: Offered) -> None:
        """One of theirs."""
        session = self.sessions.get(id)
        if session is None:  # it has closed just now
            return
        after = take_from_peer(with_headphones(self.session.setup), id, session.name, thing)
        self.session.edit(_("take {name} from {peer}").format(name=thing.name, peer=session.name), after, "gather")
        if self.running.state == "stopped" and taken_keys(self.session.setup, id):
            self.running.start()

    def leave(self, id: str, key: str) -> None:
        after = leave_at_peer(self.session.setup, id, key)
        self.session.edit(_("leave what was taken at another computer"), after, "gather")

    def takes(self, id: str) -> tuple[str, ...]:
        return taken_keys(self.session.setup, id)

    def given(self, id: str) -> tuple[Listener, ...]:
        """Our listeners there: what goes to that computer, each behind a door of its own."""
        device = device_of_peer(self.session.setup, id)
        return tuple(x for x in self.session.setup.listeners if device is not None and x.device == device.id)

    def let_hear(self, listener: str, on: bool) -> None:
        """One of them opens or closes, by the hand of the person here."""
        self.running.set_doors(with_door(self.session.setup, self.session.live, listener, on))

    def part(self, id: str) -> None:
        """Nothing goes to that computer or comes from it any more; what was taken stays in the setup, silent."""
        session = self.sessions.pop(id, None)
        if session is not None:
            session.end()
            self._seen.pop(id, None)
            self._see_networks()
            self.changed.emit()

    # The clock

    def tick(self) -> None:
        """Once a frame."""
        lobby, now = self.lobby, time.monotonic()
        if lobby is None and not self.sessions:
            return
        if lobby is not None:
            while lobby.told:
                self._hear(lobby.told.popleft())
            if not lobby.alive and self._pauses.may(now):
                self._pauses.begins(now)
                self._end_lobby()
                self._begin_lobby()
        setup = self.session.setup
        for id, peer in list(self.sessions.items()):
            peer.tick(self.running.link, self._wiring(id), self._offer(), Taken(keys=taken_keys(setup, id)))
            self._follow(id, peer, now)
        self._see_networks()
        self._show()

    def _offer(self) -> Offer:
        """What is offered, and when it arrives here: computed anew where something of it is another."""
        session = self.session
        of = (session.setup, session.knowledge, session.facts, session.live.moment, self.offered)
        if self._offer_of is None or any(a is not b for a, b in zip(of, self._offer_of, strict=True)):
            self._offer_of = of
            self._offer_now = offer_of(session.situation, self.offered, self._stage_name)
        return self._offer_now

    def _stage_name(self, stage: Stage) -> str:
        return stage_text(self.session.setup, stage)

    def _wiring(self, id: str) -> PeerWiring | None:
        following = self.running.following
        wirings = following.carried.wirings.peers if following is not None else ()
        return next((w for w in wirings if w.name == id), None)

    def _hear(self, said: FromLobby) -> None:
        match said:
            case NeighboursNow():
                self.said = "" if self.tone == "mute" else self.said  # whoever was looked at is there
                self.neighbours, self.agreed, self.here = said.found, said.agreed, said.here
            case ShowCode():
                self.talking = Talking(name=said.name, shows=said.digits)
            case WantCode():
                self.talking = Talking(name=said.name, types=said.tries)
            case AgreeingEnded() | AskingEnded():
                ended_text = agreeing_ended_text if isinstance(said, AgreeingEnded) else asking_ended_text
                self.talking = Talking()
                self._say(*ended_text(said.why, said.name))
            case Asked():
                self._asked(said)
            case OpenedTo():
                self.talking = Talking()
                self._opened(said)
            case Trouble():
                self._say(trouble_text(said.why), "coral")
        self.changed.emit()

    def _asked(self, said: Asked) -> None:
        if said.over:
            self.asks.pop(said.id, None)
        elif self.agrees_to_ask(said.id, said.name):
            self.answer(said.id, True)
        else:
            self.asks[said.id] = said.name

    def _opened(self, said: OpenedTo) -> None:
        spare, self._spare = self._spare, None
        if spare is None or spare.getsockname()[1] != said.ours:
            if spare is not None:
                spare.close()
            self._offer_port()
            return
        self.part(said.id)
        self.offered |= set(given_keys(self.session.setup, said.id))  # what goes there stands in the setup already
        given = PeerArguments(
            folder=str(self.folder), certificate=said.certificate, name=self.name, address=said.address, port=said.port
        )
        self.sessions[said.id] = PeerSession(said.id, said.name, given, spare)
        self._offer_port()
        self._say(opened_text(said.name), "water")

    def _say(self, text: str, tone: str) -> None:
        self.said, self.tone = text, tone
        if text:
            self.session.noticed.emit(text, tone)

    def _follow(self, id: str, peer: PeerSession, at: float) -> None:
        """What the other side takes of what is offered goes there; what it takes beyond that does not."""
        if peer.goodbye:
            self.part(id)
            self._say(closed_there_text(peer.name), "coral")
            return
        now = (peer.taken_seen, self.offered)
        if self._seen.get(id) == now or not peer.taken_seen or at - self._followed.get(id, 0.0) < FOLLOWS_S:
            return
        self._followed[id] = at
        wanted = [k for k in peer.taken.keys if k in self.offered]
        if set(wanted) != set(given_keys(self.session.setup, id)):
            after = give_to_peer(self.session.setup, id, peer.name, wanted)
            self.session.edit(_("what {peer} takes").format(peer=peer.name), after, "gather")
            if self.running.state == "stopped" and wanted:
                self.running.start()
        self._seen[id] = now

    # What is known

    def _see_networks(self) -> None:
        facts, networks = self.session.facts, {}
        for id, peer in self.sessions.items():
            device = device_of_peer(self.session.setup, id)
            if device is not None and not peer.given.is_plain:  # of plain RTP nobody knows when its sound was made
                now = network_of(peer)
                before = facts.networks.get(device.id)
                networks[device.id] = before if before is not None and alike(before, now) else now
        if networks != facts.networks:
            self.session.see(replace(facts, networks=networks))

    def _show(self) -> None:
        """Told on where somebody would see it; and to other commands of this user."""
        now = (
            self.neighbours, self.agreed, tuple(self.asks), self.talking,
            tuple((p.id, p.name, p.state.there, p.state.why, p.offer, p.taken, p.state.flows) for p in
                  self.sessions.values()),
        )  # fmt: skip
        if now != self._shown:
            self._shown = now
            self._write()
            self.changed.emit()

    def _write(self) -> None:
        """Which are open, for `peers --json`."""
        told = [
            {"id": p.id, "name": p.name, "address": p.state.address, "there": p.state.there}
            for p in self.sessions.values()
        ]
        write_open(told)

    def _slept(self) -> None:
        for peer in self.sessions.values():
            peer.slept()

    def _replaced(self) -> None:
        """Another document offers what goes there in it, and nothing else before somebody says so."""
        setup = self.session.setup
        self.offered = frozenset(key for id in self.sessions for key in given_keys(setup, id))
        self._seen = {}

    def close(self) -> None:
        """The application ends."""
        self._end_lobby()
        for peer in self.sessions.values():
            peer.end()
        self.sessions.clear()
        self._write()
