"""The server's plain old data: what we ask for in it, and what of it we read. Layouts as in the library's headers
0.3.65.

A pod is its body's size and type, and the body filled up to eight bytes; an object's body is its own type and id, and
its properties: key, flags, pod.
"""

import struct
from collections.abc import Iterator
from typing import Any

from .library import ffi

BOOL, ID, INT, FLOAT, ARRAY, OBJECT = 2, 3, 4, 6, 13, 15
FORMAT_OBJECT, ENUM_FORMAT = 0x40003, 3
PROPS_OBJECT, PROPS = 0x40002, 2
MEDIA_TYPE, MEDIA_SUBTYPE, SAMPLES, RATE, CHANNELS = 1, 2, 0x10001, 0x10003, 0x10004
AUDIO, RAW, FLOAT_LE = 1, 1, 0x11B
MUTE, CHANNEL_VOLUMES = 0x10004, 0x10008
MOST_BYTES = 1 << 16


def _property(key: int, type: int, body: bytes) -> bytes:
    pod = struct.pack("<II", len(body), type) + body
    return struct.pack("<II", key, 0) + pod + bytes(-len(pod) % 8)


def sound_format(rate: int, channels: int) -> bytes:
    """Sound of 32-bit floats, its channels in turn."""
    body = struct.pack("<II", FORMAT_OBJECT, ENUM_FORMAT)
    for key, type, value in (
        (MEDIA_TYPE, ID, AUDIO), (MEDIA_SUBTYPE, ID, RAW), (SAMPLES, ID, FLOAT_LE), (RATE, INT, rate),
        (CHANNELS, INT, channels),
    ):  # fmt: skip
        body += _property(key, type, struct.pack("<I", value))
    return struct.pack("<II", len(body), OBJECT) + body


def as_it_is(channels: int) -> bytes:
    """A node's properties: not muted, every channel at full volume."""
    body = struct.pack("<II", PROPS_OBJECT, PROPS) + _property(MUTE, BOOL, struct.pack("<i", 0))
    body += _property(CHANNEL_VOLUMES, ARRAY, struct.pack(f"<II{channels}f", 4, FLOAT, *[1.0] * channels))
    return struct.pack("<II", len(body), OBJECT) + body


def volume_of(pod: Any) -> tuple[float, bool] | None:
    """(loudest of the channels, linear; muted) of a node's properties; None where they say neither."""
    if pod == ffi.NULL:
        return None
    size, type = struct.unpack("<II", bytes(ffi.buffer(ffi.cast("char *", pod), 8)))
    if type != OBJECT or not 8 <= size <= MOST_BYTES:
        return None
    volume, muted, found = 1.0, False, False
    for key, kind, body in _properties(bytes(ffi.buffer(ffi.cast("char *", pod) + 8, size))):
        if key == MUTE and kind == BOOL and len(body) >= 4:
            muted, found = struct.unpack_from("<i", body)[0] != 0, True
        elif key == CHANNEL_VOLUMES and kind == ARRAY and len(body) >= 12:
            each, of = struct.unpack_from("<II", body)
            if each == 4 and of == FLOAT:
                volumes = struct.unpack_from(f"<{(len(body) - 8) // 4}f", body, 8)
                volume, found = max(volumes), True
    return (volume, muted) if found else None


def _properties(body: bytes) -> Iterator[tuple[int, int, bytes]]:
    """(key, type, body) of an object's properties, as far as they are whole."""
    at = 8
    while at + 16 <= len(body):
        key, _flags, size, type = struct.unpack_from("<IIII", body, at)
        at += 16
        if at + size > len(body):
            return
        yield key, type, body[at : at + size]
        at += size + -size % 8
