"""Plain RTP to and from one address: nothing is encrypted, nobody agreed, and when its sound was made is not known."""

import contextlib
import socket
import time
from collections import deque

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.network.clock_offset import OffsetFit
from ...core.network.control_messages import EngineClock
from ...core.network.linear_pcm import decode_pcm
from ...core.network.rtp_packet import RtpError, parse_rtp, unwrapped
from ..devices.clocks.loop import Clock
from .gstreamer import GStreamerError
from .packet_inbox import MOST_AT_ONCE, MOST_PACKET
from .plain_stream import PlainStream
from .sound_streams import RtpSender

F32 = npt.NDArray[np.float32]
GONE_S = 1.0
MOST_WAITING = 1024  # packets, while nothing sounds


class PlainReceived:
    """Listens on a port; what does not come from the address that was named, or in the format, is left out. `clock`
    says where its sender is, as its packets come."""

    def __init__(self, how: PlainStream):
        self.how, self.refused, self.port = how, 0, how.port
        self.clock = Clock(how.rate_hz)
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 524288)
        try:
            self._socket.bind(("0.0.0.0", how.port))
        except OSError as e:
            self._socket.close()
            raise GStreamerError(f"port {how.port} of this computer is taken: {e.strerror}") from e
        self._socket.setblocking(False)
        self._near, self._heard = 0, -1e9
        self._source: int | None = None
        self._came: deque[tuple[int, F32]] = deque(maxlen=MOST_WAITING)

    def look(self) -> None:
        """What has come since is kept for `taken`, and says where its sender is."""
        how = self.how
        for _ in range(MOST_AT_ONCE):
            try:
                data, (address, _port) = self._socket.recvfrom(MOST_PACKET)
            except OSError:
                return
            try:
                packet = parse_rtp(data)
            except RtpError:
                self.refused += 1
                continue
            # A second one from there, while the first goes on, is none of it either.
            another = self._source not in (None, packet.ssrc) and self.heard_of()
            if another or address != how.address or packet.payload_type != how.payload_type:
                self.refused += 1
                continue
            if packet.ssrc != self._source:
                self._source, self._near = packet.ssrc, packet.timestamp + 2**32
                self.clock = Clock(how.rate_hz)
            first = unwrapped(packet.timestamp, self._near)
            self._near = max(self._near, first)
            sound = decode_pcm(packet.payload, how.encoding, how.channels)
            self._heard = time.monotonic()
            self.clock.see(first + len(sound), self._heard)
            self._came.append((first, sound if how.channels == 2 else np.repeat(sound, 2, axis=1)))

    def taken(self) -> list[tuple[int, F32]]:
        """What came since: (frame of its sender, sound [frames, 2])."""
        self.look()
        found = list(self._came)
        self._came.clear()
        return found

    @property
    def life(self) -> int:
        """Another number where its frames no longer count on."""
        return self._source or 0

    def heard_of(self) -> bool:
        """Whether packets come."""
        return time.monotonic() - self._heard < GONE_S

    def trouble(self) -> str:
        return ""

    def stop(self) -> None:
        self._socket.close()


class PlainTalk:
    """In place of a conversation: there is none. Frames are placed by when packets come, so the clock is ours."""

    def __init__(self, streams: "PlainStreams"):
        self._streams = streams
        self.watched_s = 0.0

    @property
    def fit(self) -> OffsetFit:
        return OffsetFit(0.0, 0.0, 0.0, 0.0, 0.0, 0.0)

    @property
    def address(self) -> str:
        return self._streams.address

    @property
    def there(self) -> bool:
        """Whether packets come; where none are wanted nobody can know."""
        return self._streams.there

    @property
    def followed(self) -> bool:
        return self.there

    def start(self) -> None:
        """Nobody is called."""

    def say(self, said: object) -> None:
        """Nobody hears it."""

    def doubt(self) -> None:
        """Nothing is known."""

    def end(self) -> None:
        """Nobody is told."""


class PlainStreams:
    """As `engine/processes/peer_streams.py` has them, without anybody to talk to."""

    far = None

    def __init__(self, comes: PlainStream | None, goes: PlainStream | None, ssrc: int):
        self._comes, self._goes, self._ssrc = comes, goes, ssrc
        self.rate_hz = 48000
        self.received: dict[str, PlainReceived] = {}
        self.sent: dict[str, RtpSender] = {}
        self._wanted: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())
        self.lost = self.late = 0
        self.trouble = ""

    @property
    def address(self) -> str:
        way = self._comes or self._goes
        return way.address if way is not None else ""

    @property
    def there(self) -> bool:
        """Whether packets come; where none are wanted nobody can know."""
        for received in self.received.values():
            received.look()
        return not self.received or any(r.heard_of() for r in self.received.values())

    @property
    def clock(self) -> EngineClock | None:
        """Where the sender is, by how its packets come; None before that is known."""
        received = next(iter(self.received.values()), None)
        if received is None:
            return None
        received.look()
        if not received.clock.known:
            return None
        now = time.monotonic_ns()
        clock = received.clock
        return EngineClock(at_ns=now, frame=clock.frames_at(now / 1e9), rate_hz=clock.rate_hz, life=received.life)

    def want(self, comes: tuple[str, ...], sends: tuple[str, ...]) -> None:
        self._wanted = comes, sends

    def settle(self) -> bool:
        """What is wanted is opened, what is not is closed; True where what comes in has changed."""
        comes, sends = self._wanted
        before = dict(self.received)
        for key in [k for k in self.received if k not in comes]:
            self.received.pop(key).stop()
        for key in [k for k in self.sent if k not in sends]:
            self.sent.pop(key).stop()
        try:
            if comes and self._comes is not None and not self.received:
                self.received[comes[0]] = PlainReceived(self._comes)
            if sends and self._goes is not None and not self.sent:
                how = msgspec.structs.replace(self._goes, rate_hz=self.rate_hz)
                self.sent[sends[0]] = RtpSender(how, self._ssrc)
            self.trouble = ""
        except GStreamerError as e:
            self.trouble = str(e)
        return before != self.received

    def pull(self, near: int) -> list[tuple[str, int, F32]]:
        """What came since: (stream, frame of its sender, sound [frames, 2]); frames count on by themselves."""
        return [(key, first, sound) for key, r in self.received.items() for first, sound in r.taken()]

    def check(self) -> None:
        """A chain that has stopped is made anew."""
        for key in [k for k, s in self.sent.items() if s.trouble()]:
            self.sent.pop(key).stop()

    def end(self) -> None:
        with contextlib.suppress(GStreamerError):
            self.want((), ())
            self.settle()
