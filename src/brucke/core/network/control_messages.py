"""What two computers that know each other say, one tagged record each; everything bounded, since it comes from outside.

A message is a line of JSON. What is none of these, or too long, ends the connection.
"""

from typing import Annotated, Literal

import msgspec

VERSION = 1
MOST_BYTES = 65536
MOST_THINGS = 96
Text = Annotated[str, msgspec.Meta(max_length=120)]
Key = Annotated[str, msgspec.Meta(min_length=3, max_length=80, pattern=r"^(part|listener):[^\x00-\x1f]+$")]
Seconds = Annotated[float, msgspec.Meta(ge=-1e4, le=1e4)]
Frame = Annotated[float, msgspec.Meta(ge=-1e15, le=1e15)]
Time = Annotated[int, msgspec.Meta(ge=-(2**62), le=2**62)]
Count = Annotated[int, msgspec.Meta(ge=0, le=2**62)]
Rate = Annotated[int, msgspec.Meta(ge=8000, le=384000)]
Kind = Literal["measured", "unconfirmed", "entered", "reported", "calculated", "unknown"]


class _Said(msgspec.Struct, frozen=True, kw_only=True, tag=True, forbid_unknown_fields=True):
    pass


# While two computers get to know each other


class Hello(_Said, frozen=True, kw_only=True):
    """The first word of both sides. `wants`: “agree”, “open” or “session”, “” to look who is there."""

    version: int
    name: Text
    wants: Literal["agree", "open", "session", ""] = ""


class Refused(_Said, frozen=True, kw_only=True):
    """Why nothing more comes, as a code."""

    why: Literal["version", "busy", "tries", "late", "code", "no", "unknown", "closed"]


class Agree(_Said, frozen=True, kw_only=True):
    """One message of the agreement (SPAKE2, RFC 9382 in spirit; the library's own groups), with the certificate of who
    sends it."""

    message: Annotated[bytes, msgspec.Meta(max_length=128)]
    certificate: Annotated[bytes, msgspec.Meta(max_length=4096)]


class Proof(_Said, frozen=True, kw_only=True):
    """That the sender came to the same key, over both certificates."""

    proof: Annotated[bytes, msgspec.Meta(min_length=32, max_length=32)]


class Opened(_Said, frozen=True, kw_only=True):
    """The other side's person has agreed to open: its session listens here."""

    port: Annotated[int, msgspec.Meta(ge=1, le=65535)]


# While they are open to each other


class FarStage(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """One step at the other computer, in its own words; `terms` are the half-widths of its ± by their causes."""

    name: Text
    seconds: Seconds
    terms: Annotated[dict[Text, Seconds], msgspec.Meta(max_length=12)] = {}
    kind: Kind = "calculated"


class Offered(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A part that may be taken, or a listener that may be sent to. Parts: from their source to the engine and through
    their chain; listeners: from the engine to their named end."""

    key: Key
    name: Text
    channels: Annotated[int, msgspec.Meta(ge=1, le=2)] = 2
    stages: Annotated[tuple[FarStage, ...], msgspec.Meta(max_length=16)] = ()


class Offer(_Said, frozen=True, kw_only=True):
    """Everything that is offered now; what is not in it is offered no more."""

    things: Annotated[tuple[Offered, ...], msgspec.Meta(max_length=MOST_THINGS)] = ()


class Taken(_Said, frozen=True, kw_only=True):
    """Everything of the other's offer that is taken now."""

    keys: Annotated[tuple[Key, ...], msgspec.Meta(max_length=MOST_THINGS)] = ()


class Ping(_Said, frozen=True, kw_only=True):
    """`sent_ns` by the clock of who asks."""

    sent_ns: Time


class Pong(_Said, frozen=True, kw_only=True):
    sent_ns: Time
    arrived_ns: Time
    answered_ns: Time


class EngineClock(_Said, frozen=True, kw_only=True):
    """The engine of who sends it does frame `frame` at `at_ns` by its clock, `rate_hz` frames a second as found. `life`
    changes where frames no longer count on."""

    at_ns: Time
    frame: Frame
    rate_hz: Annotated[float, msgspec.Meta(ge=7000, le=400000)]
    life: Time


class Receive(_Said, frozen=True, kw_only=True):
    """Whoever sends this listens for one stream: send it here, with this key, from now on."""

    key: Key
    port: Annotated[int, msgspec.Meta(ge=1, le=65535)]
    ssrc: Annotated[int, msgspec.Meta(ge=1, le=2**32 - 1)]
    secret: Annotated[bytes, msgspec.Meta(min_length=30, max_length=30)]


class Received(_Said, frozen=True, kw_only=True):
    """How it lies with what is received: how much later than at its sender it is used, and how far it came away from
    there; frames that were lost or late since the last one."""

    set_point_s: Seconds
    wander_s: Seconds
    lost: Count = 0
    late: Count = 0


class Goodbye(_Said, frozen=True, kw_only=True):
    """The person there has closed."""


Said = (
    Hello | Refused | Agree | Proof | Opened | Offer | Taken | Ping | Pong | EngineClock | Receive | Received | Goodbye
)
_decoder = msgspec.json.Decoder(Said)
_encoder = msgspec.json.Encoder()


def encode(said: Said) -> bytes:
    """One line."""
    return _encoder.encode(said) + b"\n"


def decode(line: bytes) -> Said:
    """Errors: msgspec.MsgspecError (a ValueError) for whatever is no such message."""
    try:
        said: Said = _decoder.decode(line)
    except RecursionError:
        raise msgspec.DecodeError("nested too deeply") from None
    return said
