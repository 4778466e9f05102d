"""A stream of plain RTP as a session description: RFC 8866, with L16 and L24 as in RFC 3551 and RFC 3190. Pure."""

import ipaddress
import re
from typing import Literal, NamedTuple, cast

from ..errors import BruckeError

MOST_BYTES, MOST_LINES = 8192, 200
SOUND = "audio"  # as the standard calls it
Encoding = Literal["L16", "L24"]
STATIC = {10: ("L16", 44100, 2), 11: ("L16", 44100, 1)}  # RFC 3551, table 4
NUMBER = re.compile(r"[0-9]{1,9}")
RTPMAP = re.compile(r"rtpmap:([0-9]{1,3})\s+([A-Za-z0-9._-]+)/([0-9]{1,6})(?:/([0-9]{1,2}))?$")


class DescriptionError(BruckeError, ValueError):
    """Why a text describes no stream that can be taken, in one sentence."""

    code = "description"


class Stream(NamedTuple):
    """`source` is the address it comes from, `destination` the one it goes to; `channels` 1 or 2."""

    source: str
    destination: str
    port: int
    payload_type: int
    encoding: Encoding
    rate_hz: int
    channels: int


def describe(stream: Stream, name: str) -> str:
    """The text that another program opens."""
    s = stream
    plain = "".join(c for c in name if c.isprintable())[:100] or "-"
    return "\r\n".join(
        (
            "v=0", f"o=- 1 1 IN IP4 {s.source}", f"s={plain}", f"c=IN IP4 {s.destination}", "t=0 0",
            f"m={SOUND} {s.port} RTP/AVP {s.payload_type}",
            f"a=rtpmap:{s.payload_type} {s.encoding}/{s.rate_hz}/{s.channels}",
            f"a=ptime:{128e3 / s.rate_hz:.3f}", "",
        )
    )  # fmt: skip


def read_description(data: bytes) -> Stream:
    """The first stream of sound in it. Errors: DescriptionError."""
    if len(data) > MOST_BYTES:
        raise DescriptionError(f"it has {len(data)} bytes, a description at most {MOST_BYTES}")
    try:
        text = data.decode()
    except UnicodeDecodeError as e:
        raise DescriptionError("it is no text") from e
    lines = [line.strip() for line in text.splitlines() if line.strip()][:MOST_LINES]
    if not lines or lines[0] != "v=0":
        raise DescriptionError("it does not begin with “v=0”, as a session description does")
    if any(len(line) < 2 or line[1] != "=" for line in lines):
        raise DescriptionError("a line in it is no “x=…”")
    return _stream([(line[0], line[2:].strip()) for line in lines])


def _stream(fields: list[tuple[str, str]]) -> Stream:
    media = next((i for i, (kind, value) in enumerate(fields) if kind == "m" and value.split()[:1] == [SOUND]), None)
    if media is None:
        raise DescriptionError("it describes no sound")
    end = next((i for i in range(media + 1, len(fields)) if fields[i][0] == "m"), len(fields))
    session = fields[: next(i for i, (kind, _) in enumerate(fields) if kind == "m")]
    own = fields[media + 1 : end]
    port, payload_type = _media(fields[media][1])
    encoding, rate_hz, channels = _encoding(own, payload_type)
    connection = next((v for k, v in (*own, *session) if k == "c"), "")
    origin = next((v for k, v in session if k == "o"), "")
    return Stream(_source(own + session, origin), _address(connection.split()[-1:], "c="), port, payload_type, encoding,
                  rate_hz, channels)  # fmt: skip


def _media(value: str) -> tuple[int, int]:
    words = value.split()
    if len(words) < 4 or words[2] != "RTP/AVP":
        raise DescriptionError("its sound does not go by plain RTP (RTP/AVP)")
    if not (NUMBER.fullmatch(words[1]) and NUMBER.fullmatch(words[3])):
        raise DescriptionError("its port or its format is no number")
    port, payload_type = int(words[1]), int(words[3])
    if not 1 <= port <= 65535 or not 0 <= payload_type <= 127:
        raise DescriptionError(f"port {port}, format {payload_type}: there are none such")
    return port, payload_type


def _encoding(own: list[tuple[str, str]], payload_type: int) -> tuple[Encoding, int, int]:
    found = STATIC.get(payload_type)
    for kind, value in own:
        match = RTPMAP.match(value) if kind == "a" else None
        if match is not None and int(match[1]) == payload_type:
            found = (match[2].upper(), int(match[3]), int(match[4] or 1))
    if found is None or found[0] not in ("L16", "L24"):
        raise DescriptionError(f"its sound is {found[0] if found else 'of a format it does not name'}, not L16 or L24")
    if not 8000 <= found[1] <= 192000 or found[2] not in (1, 2):
        raise DescriptionError(f"{found[1]} Hz, {found[2]} channels: 8000 to 192000 Hz and one or two can be taken")
    return cast(Encoding, found[0]), found[1], found[2]


def _address(words: list[str], what: str) -> str:
    text = words[0].split("/")[0] if words else ""
    try:
        return str(ipaddress.IPv4Address(text))
    except ValueError as e:
        raise DescriptionError(f"{what} names no address of four numbers") from e


def _source(fields: list[tuple[str, str]], origin: str) -> str:
    """RFC 4570 where it is named, else whoever made the description."""
    for kind, value in fields:
        if kind == "a" and value.startswith("source-filter:"):
            words = value.removeprefix("source-filter:").split()
            if len(words) == 5 and words[0] == "incl":
                return _address(words[4:], "source-filter")
    return _address(origin.split()[-1:], "o=")
