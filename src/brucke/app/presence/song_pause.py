"""In a moment that pauses the song: a track of ours stands still, a program is asked to by the desktop's media control,
and goes on afterwards.

By the desktop's own specification of media players on the session bus (MPRIS 2.2).
"""

from functools import partial
from typing import Any

from PyQt6.QtCore import QObject

from ...home.bus import Address, Bus
from ...ports.devices.server.names import taken_program
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session

BUS = Address("org.freedesktop.DBus", "/org/freedesktop/DBus", "org.freedesktop.DBus")
PLAYER = "org.mpris.MediaPlayer2"
GOES_ON = _("{program} cannot be paused from here, so it goes on. Pause it there.")


def _value(answer: list[Any] | None) -> str:
    first = answer[0] if answer else ""
    return str(first.variant() if hasattr(first, "variant") else first)


def is_player_of(program: str, identity: str, service: str) -> bool:
    """Whether a media player on the bus is the program that the sound server knows by another name."""
    wanted = program.casefold()
    short = service.removeprefix(f"{PLAYER}.").partition(".")[0].casefold()
    return bool(wanted) and (wanted in (identity.casefold(), short) or (len(short) > 3 and short in wanted))


class _Player:
    """One on the bus."""

    def __init__(self, bus: Bus, service: str):
        self.bus, self.service = bus, service
        self._of = Address(service, "/org/mpris/MediaPlayer2", "org.freedesktop.DBus.Properties")
        self._does = Address(service, "/org/mpris/MediaPlayer2", f"{PLAYER}.Player")

    def ask(self, interface: str, name: str, told: Any) -> None:
        self.bus.call(self._of, "Get", interface, name, told=lambda answer: told(_value(answer)))

    def do(self, what: str) -> None:
        self.bus.call(self._does, what)


class SongPause(QObject):
    """Follows the moment that is in force; what it paused, and nothing else, plays again when that moment is over."""

    def __init__(self, session: Session, running: LiveEngine, bus: Bus):
        super().__init__()
        self.session, self.running, self.bus = session, running, bus
        self._pauses = self._track = False
        self._paused: list[_Player] = []
        session.changed.connect(self._see)
        session.replaced.connect(self._forget)

    def _forget(self) -> None:
        self._pauses = self._track = False
        self._paused = []

    def _see(self) -> None:
        moment = self.session.setup.moment(self.session.live.moment)
        pauses = moment is not None and moment.pauses
        if pauses == self._pauses:
            return
        self._pauses = pauses
        if pauses:
            self._pause()
        else:
            self._go_on()

    def _pause(self) -> None:
        if self.running.state != "running":
            return
        self._track = self.running.playing
        if self._track:
            self.running.play(False)
        setup = self.session.setup
        leads = (setup.device(p.device) for p in setup.parts if p.kind == "lead")
        for program in dict.fromkeys(name for d in leads if d.kind != "interface" and (name := taken_program(d))):
            self.bus.call(BUS, "ListNames", told=partial(self._look_for, program))

    def _look_for(self, program: str, answer: list[Any] | None) -> None:
        """Among the media players that are there."""
        names = [n for n in (answer[0] if answer else []) if str(n).startswith(f"{PLAYER}.")]
        players = [_Player(self.bus, str(n)) for n in names]
        waiting = len(players)
        found = False

        def told(player: _Player, identity: str) -> None:
            nonlocal waiting, found
            waiting -= 1
            if is_player_of(program, identity, player.service):
                found = True
                player.ask(f"{PLAYER}.Player", "PlaybackStatus", lambda status: self._stop(player, status))
            if not waiting and not found:
                self._say(program)

        for player in players:
            player.ask(PLAYER, "Identity", lambda identity, p=player: told(p, identity))
        if not players:
            self._say(program)

    def _say(self, program: str) -> None:
        if self._pauses and not self._is_silent(program):
            self.session.noticed.emit(GOES_ON.format(program=program), "amber")

    def _is_silent(self, program: str) -> bool:
        setup = self.session.setup
        return any(taken_program(setup.device(setup.part(p).device)) == program for p in self.session.facts.quiet)

    def _stop(self, player: _Player, status: str) -> None:
        if self._pauses and status == "Playing":
            player.do("Pause")
            self._paused.append(player)

    def _go_on(self) -> None:
        track, players = self._track, self._paused
        self._track, self._paused = False, []
        if track and self.running.state == "running" and not self.running.playing:
            self.running.play(True)
        for player in players:
            player.do("Play")
