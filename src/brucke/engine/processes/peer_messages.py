"""Messages to and from the process that speaks with another computer; see `messages.py`."""

import msgspec

from ...core.network.control_messages import Goodbye, Offer, Taken
from ...ports.devices.peer import PeerWiring
from ...ports.network.plain_stream import PlainStream


class _PeerMessage(msgspec.Struct, frozen=True, kw_only=True, tag=True):
    """What all of them are."""


class Found(msgspec.Struct, frozen=True, kw_only=True):
    """What a process knows that takes time to find, for the one that comes after it: the set point, and how far the
    engine of region `engine` is before its clock, in frames."""

    set_point_s: float
    ahead: float
    engine: int


class PeerArguments(msgspec.Struct, frozen=True, kw_only=True):
    """`folder` is where the identity lies, `certificate` the other side's; `name` what we are called, `address` and
    `port` where the other side listens. With `comes` or `goes` it is no Brucke: plain RTP, and nobody to talk to."""

    folder: str = ""
    certificate: bytes = b""
    name: str = ""
    address: str = ""
    port: int = 0
    found: Found | None = None
    comes: PlainStream | None = None
    goes: PlainStream | None = None

    @property
    def is_plain(self) -> bool:
        return self.comes is not None or self.goes is not None


class UseEngine(_PeerMessage, frozen=True, kw_only=True):
    """Sound goes between the other computer and the engine of this region, whose handle comes along."""

    shape: str


class LeaveEngine(_PeerMessage, frozen=True, kw_only=True):
    """The engine ends."""


class RewirePeer(_PeerMessage, frozen=True, kw_only=True):
    wiring: PeerWiring


class FindSetPoint(_PeerMessage, frozen=True, kw_only=True):
    """How late what comes from there has to be used is found anew; it is silent until then."""


class SayToPeer(_PeerMessage, frozen=True, kw_only=True):
    """What is offered to the other computer, or taken from it."""

    said: Offer | Taken


class Slept(_PeerMessage, frozen=True, kw_only=True):
    """This computer did."""


class PeerSays(_PeerMessage, frozen=True, kw_only=True):
    """What the other computer offers or takes, or that its person has closed."""

    said: Offer | Taken | Goodbye


class PeerState(_PeerMessage, frozen=True, kw_only=True):
    """How it stands: whether the other one answers and why not, where it is and what it calls itself; the smallest
    round trip, the ± of its clock, for how long that was watched; which streams flow in, and frames lost and late in
    all."""

    there: bool
    why: str = ""
    address: str = ""
    name: str = ""
    round_trip_s: float = 0.0
    plus_minus_s: float = 0.0
    watched_s: float = 0.0
    flows: tuple[str, ...] = ()
    lost: int = 0
    late: int = 0
    found: Found | None = None


PeerMessage = UseEngine | LeaveEngine | RewirePeer | FindSetPoint | SayToPeer | Slept | PeerSays | PeerState
