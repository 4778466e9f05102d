"""Which streams of sound go between this computer and another one now. Who receives a stream gives its port and a fresh
key whenever the conversation begins; who sends it starts anew with them."""

import contextlib
import threading
from collections.abc import Callable

from ...core.network.control_messages import EngineClock, Receive, Received, Said
from ...core.network.rtp_packet import unwrapped
from ...ports.network.gstreamer import GStreamerError
from ...ports.network.packet_inbox import PacketInbox
from ...ports.network.sound_streams import F32, PAYLOAD_TYPE, ReceivedStream, SentStream, StreamKey, decode_together

MOST_STREAMS = 32


class PeerStreams:
    """`say` tells the other side. What is heard comes in the conversation's thread, all else in the sound's."""

    def __init__(self, say: Callable[[Said], None]):
        self._say, self._lock = say, threading.Lock()
        self.rate_hz = 48000
        self._inbox = PacketInbox()
        self._keys: dict[int, str] = {}  # of the received streams, by their SSRC
        self.received: dict[str, ReceivedStream] = {}
        self.sent: dict[str, SentStream] = {}
        self._comes: tuple[str, ...] = ()
        self._sends: tuple[str, ...] = ()
        self._asked: dict[str, Receive] = {}  # by the other side: where each stream is to go
        self._address, self._changed = "", False
        self.clock: EngineClock | None = None  # of the other side's engine
        self.far: Received | None = None  # how it lies there with what we send
        self.lost = self.late = 0
        self.trouble = ""

    # In the conversation's thread

    def begin_anew(self, address: str) -> None:
        """The other side is at this address, or nowhere with “”; nothing of before holds."""
        with self._lock:
            self._address, self._changed = address, True
            self._asked.clear()
            self.clock = self.far = None

    def hears(self, said: Said) -> None:
        match said:
            case Receive():
                with self._lock:
                    if said.key in self._asked or len(self._asked) < MOST_STREAMS:
                        self._asked[said.key] = said
            case EngineClock():
                self.clock = said
            case Received():
                self.far = said

    # In the sound's thread

    def want(self, comes: tuple[str, ...], sends: tuple[str, ...]) -> None:
        """These streams come from there, and these go there."""
        with self._lock:
            self._comes, self._sends = comes, sends

    def settle(self) -> bool:
        """What is wanted is opened, what is not is closed; True where what comes in has changed."""
        with self._lock:
            address, changed, self._changed = self._address, self._changed, False
            comes, sends = (self._comes, self._sends) if address else ((), ())
            asked = {key: r for key, r in self._asked.items() if key in sends}
        self.trouble = ""  # what goes wrong again is said again
        self._settle_sent(address, asked)
        was = dict(self.received)
        for key in [k for k in self.received if changed or k not in comes]:
            self.received.pop(key).stop()
        for key in [k for k in comes if k not in self.received]:
            self._listen(key)
        self._keys = {stream.key.ssrc: key for key, stream in self.received.items()}
        return was != self.received

    def pull(self, near: int) -> list[tuple[str, int, F32]]:
        """What came since: (stream, frame of its sender, sound [frames, 2]). `near` is about which frame is
        expected."""
        packets = [p for p in self._inbox.pull() if p.ssrc in self._keys and p.payload_type == PAYLOAD_TYPE]
        if not packets:
            return []
        sounds = decode_together(packets)
        return [
            (self._keys[p.ssrc], unwrapped(p.timestamp, near), sound)
            for p, sound in zip(packets, sounds, strict=True)
        ]  # fmt: skip

    def _listen(self, key: str) -> None:
        try:
            made = ReceivedStream(self.rate_hz, StreamKey.fresh(), self._inbox)
        except GStreamerError as e:
            self.trouble = str(e)
            return
        self.received[key] = made
        self._say(Receive(key=key, port=made.port, ssrc=made.key.ssrc, secret=made.key.key))

    def _settle_sent(self, address: str, asked: dict[str, Receive]) -> None:
        for key, stream in list(self.sent.items()):
            r = asked.get(key)
            if r is None or (stream.host, stream.port, stream.key.ssrc) != (address, r.port, r.ssrc):
                self.sent.pop(key).stop()
        for key in [k for k in asked if k not in self.sent]:
            r = asked[key]
            try:
                self.sent[key] = SentStream(self.rate_hz, StreamKey(r.ssrc, r.secret), address, r.port)
            except GStreamerError as e:
                self.trouble = str(e)

    def check(self) -> None:
        """A chain that has stopped is made anew."""
        for key, stream in list(self.sent.items()):
            if stream.trouble():
                self.sent.pop(key).stop()
        for key, listening in list(self.received.items()):
            if listening.trouble():
                self.received.pop(key).stop()

    def end(self) -> None:
        with contextlib.suppress(GStreamerError):
            self.want((), ())
            self.settle()
        self._inbox.close()
