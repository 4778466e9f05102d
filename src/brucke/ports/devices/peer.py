"""Another computer as a device: which streams of sound come from it and go to it, and where in the engine they lie."""

from ...core.document.setup import Setup
from ...core.routing.captures import capture_channels
from ...core.routing.rows import Order
from .kind import WiringBase


class PeerWiring(WiringBase, frozen=True, kw_only=True, tag="peer"):
    """`name` is who it is (its certificate's fingerprint). `rows` are (row of the captures, channel of the device);
    `comes` (stream, the first of its two channels), `sends` (stream, row of the listeners)."""

    rows: tuple[tuple[int, int], ...] = ()
    comes: tuple[tuple[str, int], ...] = ()
    sends: tuple[tuple[str, int], ...] = ()


def peer_wirings(setup: Setup, order: Order) -> tuple[PeerWiring, ...]:
    """Of every other computer of a setup, with its things in the rows of `order`."""
    captures = list(zip(order.captures, capture_channels(setup), strict=True))
    found = []
    for device, row in zip(setup.devices, order.devices, strict=True):
        if device.kind != "peer":
            continue
        comes = {p.at_peer: min(p.channels) // 2 * 2 for p in setup.parts if p.device == device.id and p.at_peer}
        sends = tuple(
            (x.at_peer, at)
            for x, at in zip(setup.listeners, order.listeners, strict=True)
            if x.device == device.id and x.at_peer
        )
        rows = tuple((at, c) for at, (d, c) in captures if d == device.id)
        found.append(
            PeerWiring(name=device.card, devices=(row,), rows=rows, comes=tuple(comes.items()), sends=sends)
        )  # fmt: skip
    return tuple(found)
