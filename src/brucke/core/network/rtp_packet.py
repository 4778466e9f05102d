"""A packet of the real-time transport protocol, read: RFC 3550, section 5.1 and 5.3.1. Pure."""

import struct
from typing import NamedTuple

from ..errors import BruckeError

FIXED = struct.Struct("!BBHII")
WORD = 4


class RtpError(BruckeError, ValueError):
    """Why bytes are no such packet."""

    code = "rtp"


class RtpPacket(NamedTuple):
    """`sequence` counts packets in 16 bits, `timestamp` frames in 32, both from anywhere and round and round."""

    payload_type: int
    marker: bool
    sequence: int
    timestamp: int
    ssrc: int
    payload: bytes


def parse_rtp(data: bytes) -> RtpPacket:
    """Errors: RtpError for what is none, whatever it is."""
    if len(data) < FIXED.size:
        raise RtpError("shorter than a header")
    first, second, sequence, timestamp, ssrc = FIXED.unpack_from(data)
    if first >> 6 != 2:
        raise RtpError("not version 2")
    begin, end = FIXED.size + WORD * (first & 0x0F), len(data)
    if first & 0x10:
        if begin + WORD > end:
            raise RtpError("its extension is cut off")
        begin += WORD + WORD * struct.unpack_from("!HH", data, begin)[1]
    if first & 0x20:
        padding = data[-1]
        if not padding:
            raise RtpError("padding without a length")
        end -= padding
    if begin > end:
        raise RtpError("its parts are longer than itself")
    return RtpPacket(second & 0x7F, bool(second & 0x80), sequence, timestamp, ssrc, data[begin:end])


def unwrapped(timestamp: int, near: int) -> int:
    """The number nearest to `near` whose lowest 32 bits are `timestamp`."""
    return near + ((timestamp - near + 0x80000000) & 0xFFFFFFFF) - 0x80000000
