"""One other computer, in a process of its own: the conversation with it, and the sound between it and the engine.

python -m brucke.engine.processes.peer SOCKET LISTENING ARGUMENTS — started by the application, never by hand. No key
and no code stands in the arguments.
"""

import gc
import os
import secrets
import socket
import sys
import time
from pathlib import Path

import msgspec

from ...core.files.run_log import begin
from ...core.network.control_messages import Goodbye, Offer, Received, Said, Taken
from ...core.network.plain_name import plain_name
from ...ports.network.gstreamer import GStreamerError, missing_packages
from ...ports.network.identity import Identity
from ...ports.network.plain_streams import PlainStreams, PlainTalk
from ...ports.network.session_control import SessionControl
from .channel import Channel
from .messages import Quit
from .peer_messages import (
    FindSetPoint,
    LeaveEngine,
    PeerArguments,
    PeerSays,
    PeerState,
    RewirePeer,
    SayToPeer,
    Slept,
    UseEngine,
)
from .peer_sound import PeerSound
from .peer_streams import PeerStreams
from .realtime_priority import be_prompt
from .region import attach

TURN_S = 0.001
IDLE_S = 0.02
TELL_S = 0.25


class PeerProcess:
    """What the conversation tells comes in its thread; everything else is done in `run`."""

    def __init__(self, channel: Channel, listening: int, given: PeerArguments):
        self.channel, self.given, self.name, self.why = channel, given, "", ""
        self.control: SessionControl | PlainTalk
        self.streams: PeerStreams | PlainStreams
        if given.is_plain:
            self.streams = PlainStreams(given.comes, given.goes, secrets.randbelow(2**32 - 1) + 1)
            self.control = PlainTalk(self.streams)
        else:
            self.control = SessionControl(
                Identity(Path(given.folder)), given.certificate, given.name, socket.socket(fileno=listening),
                given.address, given.port, self,
            )  # fmt: skip
            self.streams = PeerStreams(self.control.say)
        self.sound: PeerSound | None = None
        self.missing = _missing()  # without it nothing sounds, and the conversation goes on
        self._offer: Offer | None = None
        self._taken: Taken | None = None
        self._told = 0.0

    # In the conversation's thread

    def line_begins(self, address: str, name: str) -> None:
        self.name, self.why = plain_name(name), ""
        assert isinstance(self.streams, PeerStreams)
        for said in (self._offer, self._taken):
            if said is not None:
                self.control.say(said)
        self.streams.begin_anew(address)

    def line_ends(self) -> None:
        assert isinstance(self.streams, PeerStreams)
        self.streams.begin_anew("")

    def refused(self, why: str) -> None:
        self.why = why

    def hears(self, said: Said) -> None:
        if isinstance(said, Offer | Taken | Goodbye):
            self.channel.send(PeerSays(said=said))
        elif isinstance(self.streams, PeerStreams):
            self.streams.hears(said)

    # In the process's own thread

    def run(self) -> None:
        """Until the application closes."""
        self.control.start()
        while not self.channel.lost and self._orders():
            sound = self.sound
            if sound is not None:
                sound.turn(self.control.fit if self.control.followed else None)
            now = time.monotonic()
            if now - self._told > TELL_S:
                self._told = now
                self._tell()
                gc.collect()  # what strangers leave behind; all that was there at the beginning is left out of it
            time.sleep(TURN_S if sound is not None else IDLE_S)
        if self.sound is not None:
            self.sound.end()
        self.streams.end()
        self.control.end()

    def _orders(self) -> bool:
        while (message := self.channel.receive()) is not None:
            match message:
                case Quit():
                    return False
                case UseEngine():
                    self._leave()
                    region = attach(message.shape, self.channel.handles.pop(0))
                    if self.missing:
                        region.close()
                    else:
                        self.sound = PeerSound(region, self.streams, self.given.found)
                case LeaveEngine():
                    self._leave()
                case RewirePeer():
                    if self.sound is not None:
                        self.sound.rewire(message.wiring)
                case FindSetPoint():
                    if self.sound is not None:
                        self.sound.find_anew()
                case SayToPeer():
                    if isinstance(message.said, Offer):
                        self._offer = message.said
                    else:
                        self._taken = message.said
                    self.control.say(message.said)
                case Slept():
                    self.control.doubt()
        return True

    def _leave(self) -> None:
        sound, self.sound = self.sound, None
        if sound is not None:
            sound.end()
            sound.region.close()
        self.streams.want((), ())
        self.streams.settle()

    def _tell(self) -> None:
        control, fit, streams = self.control, self.control.fit, self.streams
        why = self.missing or streams.trouble or self.why
        self.channel.send(
            PeerState(
                there=control.there, why=why, address=control.address, name=self.name,
                round_trip_s=fit.round_trip_s if fit is not None else 0.0,
                plus_minus_s=fit.plus_minus_s if fit is not None else 0.0,
                watched_s=control.watched_s, flows=self.sound.flows() if self.sound is not None else (),
                lost=streams.lost, late=streams.late, found=self.sound.found if self.sound is not None else None,
            )
        )  # fmt: skip
        if self.sound is not None:
            clock = self.sound.engine_clock()
            if clock is not None:
                control.say(clock)
            set_point_s, wander_s, lost, late = self.sound.received()
            control.say(Received(set_point_s=set_point_s, wander_s=wander_s, lost=lost, late=late))


def _missing() -> str:
    """Which packages, as `words/two_computers.py` says them; “” none."""
    try:
        packages = missing_packages()
    except GStreamerError as e:
        return str(e)
    return "packages:" + " ".join(packages) if packages else ""


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "peer"))
    channel, listening = Channel.attach(int(sys.argv[1])), int(sys.argv[2])
    channel.takes_handles = True
    given = msgspec.json.decode(sys.argv[3].encode(), type=PeerArguments)
    process = PeerProcess(channel, listening, given)
    be_prompt()
    process.run()


if __name__ == "__main__":
    main()
