"""One computer that this one is open to: its process, what it offers and takes, and how it stands."""

import contextlib
import os
import socket
import subprocess
import sys
import threading
import time

import msgspec

from ...core.network.control_messages import Goodbye, Offer, Taken
from ...core.network.plain_name import MOST_NAME, plain_name
from ...core.timing.make_evidence import now as now_date
from ...engine.processes.backoff import Backoff
from ...engine.processes.channel import Channel
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import Quit
from ...engine.processes.peer_messages import (
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
from ...engine.processes.region import shape_text
from ...ports.devices.peer import PeerWiring
from .lobby_process import end_within

ENDS_S = 2.0
CALLS_S = 5.0
CONFIRMED_S = 20.0  # watched for so long since anything was strange
HANGS_S = 5.0  # it says how it stands four times a second
STARTS_S = 40.0  # before its first word: beside sound that may not wait, loading takes long


def shown(offer: Offer) -> Offer:
    """With names as they may be shown, and every key once."""
    things = {t.key: t for t in offer.things}
    return Offer(
        things=tuple(
            msgspec.structs.replace(
                t, name=plain_name(t.name) or t.key.partition(":")[2][:MOST_NAME],
                stages=tuple(msgspec.structs.replace(s, name=plain_name(s.name)) for s in t.stages),
            )
            for t in things.values()
        )
    )  # fmt: skip


class PeerSession:
    """`given` is whom both persons have agreed to open to, or how plain RTP goes; `listening` is where it may call,
    kept while the process is started anew. `goodbye`: the person there has closed."""

    def __init__(self, id: str, name: str, given: PeerArguments, listening: socket.socket | None):
        self.id, self.name, self.given, self._listening = id, name, given, listening
        self.state = PeerState(there=False, address=given.address)
        self.offer, self.taken, self.goodbye = Offer(), Taken(), False
        self.offers_seen = self.taken_seen = 0  # how often either has changed
        self._sent_offer: Offer | None = None
        self._sent_taken: Taken | None = None
        self._link: EngineLink | None = None
        self._wiring: PeerWiring | None = None
        self._pauses, self.restarts, self._heard = Backoff(), 0, 0.0
        self.answered, self._begun = False, time.monotonic()
        self.date, self._confirmed = now_date(), False  # when it was opened, or last known well
        self._start()

    def _start(self) -> None:
        self._channel, theirs = Channel.pair()
        address = self.state.address or self.given.address
        given = msgspec.structs.replace(self.given, address=address, found=self.state.found)
        handles = [theirs.fileno(), *([self._listening.fileno()] if self._listening is not None else [])]
        named = [*handles, -1][:2]
        self._process = subprocess.Popen(
            [sys.executable, "-m", "brucke.engine.processes.peer", *map(str, named),
             msgspec.json.encode(given).decode()],
            pass_fds=handles, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
            env={**os.environ, "BRUCKE_ROLE": "peer", "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip
        theirs.close()
        self._sent_offer = self._sent_taken = None
        self._link = self._wiring = None
        self._heard = time.monotonic() + STARTS_S - HANGS_S

    @property
    def calling(self) -> bool:
        """Whether it has not answered yet, and may still be about to."""
        return not self.answered and time.monotonic() - self._begun < CALLS_S

    @property
    def pid(self) -> int:
        return self._process.pid

    def tick(self, link: EngineLink | None, wiring: PeerWiring | None, offer: Offer, taken: Taken) -> None:
        """What it has said is heard, and it is told what is so now. One that has ended, or hangs, is started anew."""
        now = time.monotonic()
        self._hear(now)
        if self._process.poll() is not None or now - self._heard > HANGS_S:
            self.state = msgspec.structs.replace(self.state, there=False, flows=())
            if link is not None and self._wiring is not None:
                self._silence(link, self._wiring)
            if not self._pauses.may(now):
                return
            self._pauses.begins(now)
            self._end_process()
            self.restarts += 1
            self._start()
        self._tell(link, wiring, offer, taken)

    def _hear(self, now: float) -> None:
        while (message := self._channel.receive()) is not None:
            self._heard = now
            if isinstance(message, PeerState):
                self.state, self.name = message, message.name or self.name
                self.answered = self.answered or message.there
                confirmed = message.watched_s >= CONFIRMED_S
                if confirmed != self._confirmed:
                    self.date, self._confirmed = now_date(), confirmed
            elif isinstance(message, PeerSays):
                if isinstance(message.said, Offer):
                    self.offer, self.offers_seen = shown(message.said), self.offers_seen + 1
                elif isinstance(message.said, Taken):
                    self.taken, self.taken_seen = message.said, self.taken_seen + 1
                elif isinstance(message.said, Goodbye):
                    self.goodbye = True

    def _tell(self, link: EngineLink | None, wiring: PeerWiring | None, offer: Offer, taken: Taken) -> None:
        if wiring is None:
            link = None
        if link is not self._link:
            if link is None:
                self._channel.send(LeaveEngine())
            else:
                self._channel.send(UseEngine(shape=shape_text(link.shape)), link.region.fd)
            self._link, self._wiring = link, None
        if wiring is not None and wiring != self._wiring:
            self._channel.send(RewirePeer(wiring=wiring))
            self._wiring = wiring
        if offer != self._sent_offer:
            self._channel.send(SayToPeer(said=offer))
            self._sent_offer = offer
        if taken != self._sent_taken:
            self._channel.send(SayToPeer(said=taken))
            self._sent_taken = taken

    def _silence(self, link: EngineLink, wiring: PeerWiring) -> None:
        """Nothing of a process that is gone is heard, and its device is said to be missing."""
        with contextlib.suppress(KeyError, ValueError):  # the engine has ended, and its memory with it
            link.let_go_of_peer(wiring.devices[0])

    def find_set_point(self) -> None:
        """How late what comes from there has to be used, anew; it is silent for the while."""
        self._channel.send(FindSetPoint())

    def slept(self) -> None:
        self._channel.send(Slept())

    def _end_process(self) -> None:
        self._process.kill()
        self._process.wait()
        self._channel.close()

    def end(self) -> None:
        """The other side is told, and nothing listens any more; whoever asked goes on at once."""
        self._channel.send(Quit())
        threading.Thread(target=self._wait, name="peer ends", daemon=True).start()
        if self._link is not None and self._wiring is not None:
            self._silence(self._link, self._wiring)
        if self._listening is not None:
            self._listening.close()

    def _wait(self) -> None:
        end_within(self._process, ENDS_S)
        self._channel.close()
