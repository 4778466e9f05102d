"""One stream of sound each way to another computer: two channels, encrypted (SRTP, RFC 3711). What goes out says by its
RTP time which frame of its sender it is."""

import math
import secrets
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ...core.network.linear_pcm import decode_pcm
from ...core.network.rtp_packet import RtpError, parse_rtp, unwrapped
from .gstreamer import Chain
from .plain_stream import PlainStream

F32 = npt.NDArray[np.float32]
PACKET_FRAMES = 128
PAYLOAD_TYPE = 96
KEY_BYTES = 30  # of which 14 are the salt: RFC 3711, section 8.2
NS = 1_000_000_000
MOST_AT_ONCE = 256  # packets that are looked at in one turn
PROTECTION = "aes-128-icm", "hmac-sha1-80"


@dataclass(frozen=True)
class StreamKey:
    """What both sides know of one stream; a new one for every start. The key itself never stands in a text that is
    shown."""

    ssrc: int
    key: bytes

    @classmethod
    def fresh(cls) -> "StreamKey":
        return cls(secrets.randbelow(2**32 - 1) + 1, secrets.token_bytes(KEY_BYTES))

    def __repr__(self) -> str:
        return f"StreamKey(ssrc={self.ssrc}, key=…)"


def _encrypted_caps(rate_hz: int, key: StreamKey) -> str:
    cipher, auth = PROTECTION
    return (
        f"application/x-srtp,media=audio,clock-rate={rate_hz},encoding-name=L24,channels=2,payload={PAYLOAD_TYPE},"
        f"ssrc=(uint){key.ssrc},srtp-key=(buffer){key.key.hex()},srtp-cipher=(string){cipher},srtp-auth=(string){auth},"
        f"srtcp-cipher=(string){cipher},srtcp-auth=(string){auth}"
    )


class ReceivedStream:
    """Listens on a port of its own. `frames_at` counts on from `near` where RTP times go round."""

    def __init__(self, rate_hz: int, key: StreamKey, address: str = "0.0.0.0", port: int = 0):
        self.key, self.refused = key, 0
        self._near: int | None = None
        self._chain = Chain(
            f'udpsrc name=in address={address} port={port} reuse=false buffer-size=524288 caps="'
            f'{_encrypted_caps(rate_hz, key)}" ! srtpdec ! '
            "appsink name=out sync=false async=false max-buffers=1024 drop=true emit-signals=false",
            ("in", "out"),
        )
        self._chain.start()
        self.port = self._chain.port("in")

    def pull(self, near: int) -> list[tuple[int, F32]]:
        """What came since: (frame of its sender, sound [frames, 2]). `near` is about which frame is expected."""
        found = []
        for _ in range(MOST_AT_ONCE):
            data = self._chain.pull("out")
            if data is None:
                break
            try:
                packet = parse_rtp(data)
            except RtpError:
                self.refused += 1
                continue
            if packet.ssrc != self.key.ssrc or packet.payload_type != PAYLOAD_TYPE:
                self.refused += 1
                continue
            near = unwrapped(packet.timestamp, near)
            found.append((near, decode_pcm(packet.payload, "L24", 2)))
        return found

    def trouble(self) -> str:
        return self._chain.trouble()

    def stop(self) -> None:
        self._chain.stop()


class RtpSender:
    """Two channels to an address and a port, until it is stopped; `protection` is the element that encrypts, and “! ”
    behind it, or “”."""

    def __init__(self, how: PlainStream, ssrc: int, protection: str = ""):
        self.rate_hz = rate_hz = how.rate_hz
        self.sent_to: int | None = None  # the frame that goes next; None before the first
        packet_ns, bits = PACKET_FRAMES * NS / rate_hz, {"L16": "S16BE", "L24": "S24BE"}[how.encoding]
        self._chain = Chain(
            "appsrc name=in format=time is-live=true do-timestamp=false block=false max-bytes=1048576 "
            f'caps="audio/x-raw,format=F32LE,rate={rate_hz},channels=2,layout=interleaved,channel-mask=(bitmask)0x3" ! '
            f"audioconvert dithering=none noise-shaping=none ! audio/x-raw,format={bits} ! "
            f"rtp{how.encoding}pay ssrc={ssrc} pt={how.payload_type} mtu=1400 min-ptime={math.floor(packet_ns)} "
            f"max-ptime={math.ceil(packet_ns)} timestamp-offset=0 seqnum-offset={secrets.randbelow(32768)} "
            f"perfect-rtptime=false ! {protection}udpsink host={how.address} port={how.port} sync=false async=false",
            ("in",),
        )
        self._chain.start()

    def push(self, first: int, sound: F32) -> bool:
        """[frames, 2] that begin with the sender's frame `first`; False where it did not go out."""
        begins = -(-first * NS // self.rate_hz)  # rounded up, so that the payloader counts the same frame
        lasts = -(-(first + len(sound)) * NS // self.rate_hz) - begins
        data = np.ascontiguousarray(sound, np.float32).tobytes()
        return self._chain.push("in", data, begins, lasts)

    def trouble(self) -> str:
        return self._chain.trouble()

    def stop(self) -> None:
        self._chain.stop()


class SentStream(RtpSender):
    """The same, encrypted with a key that the receiver gave."""

    def __init__(self, rate_hz: int, key: StreamKey, host: str, port: int):
        self.host, self.port, self.key = host, port, key
        cipher, auth = PROTECTION
        how = PlainStream(address=host, port=port, encoding="L24", payload_type=PAYLOAD_TYPE, rate_hz=rate_hz)
        super().__init__(
            how, key.ssrc,
            f"srtpenc key={key.key.hex()} rtp-cipher={cipher} rtp-auth={auth} rtcp-cipher={cipher} rtcp-auth={auth} ! ",
        )  # fmt: skip
