"""One stream of sound each way to another computer: two channels, encrypted (SRTP, RFC 3711). What goes out says by its
RTP time which frame of its sender it is."""

import math
import secrets

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.network.linear_pcm import decode_pcm
from ...core.network.rtp_packet import RtpPacket
from .gstreamer import Chain
from .packet_inbox import PacketInbox
from .plain_stream import PlainStream

F32 = npt.NDArray[np.float32]
PACKET_FRAMES = 128
PAYLOAD_TYPE = 96
KEY_BYTES = 30  # of which 14 are the salt: RFC 3711, section 8.2
NS = 1_000_000_000
FRAME_BYTES = 6  # two channels of 24 bits
PROTECTION = "aes-128-icm", "hmac-sha1-80"


class StreamKey(msgspec.Struct, frozen=True):
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
    """Listens on a port of its own; what it decrypts goes to `inbox` as packets with the key's SSRC."""

    def __init__(self, rate_hz: int, key: StreamKey, inbox: PacketInbox, address: str = "0.0.0.0", port: int = 0):
        self.key = key
        self._chain = Chain(
            f'udpsrc name=in address={address} port={port} reuse=false buffer-size=524288 caps="'
            f'{_encrypted_caps(rate_hz, key)}" ! srtpdec ! fdsink fd={inbox.handle} sync=false async=false',
            ("in",),
        )
        self._chain.start()
        self.port = self._chain.port("in")

    def trouble(self) -> str:
        return self._chain.trouble()

    def stop(self) -> None:
        self._chain.stop()


def decode_together(packets: list[RtpPacket]) -> list[F32]:
    """The sound [frames, 2] of each, at once."""
    payloads = [p.payload[: len(p.payload) // FRAME_BYTES * FRAME_BYTES] for p in packets]
    sound, pieces, at = decode_pcm(b"".join(payloads), "L24", 2), list[F32](), 0
    for payload in payloads:
        end = at + len(payload) // FRAME_BYTES
        pieces.append(sound[at:end])
        at = end
    return pieces


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
        return self._chain.push("in", np.ascontiguousarray(sound, np.float32), begins, lasts)

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
