"""One direction of plain RTP."""

import msgspec


class PlainStream(msgspec.Struct, frozen=True, kw_only=True):
    """How one direction goes: `address` is the other side's."""

    address: str
    port: int
    encoding: str
    payload_type: int
    rate_hz: int
    channels: int = 2
