"""The devices of the real world, whatever their kind: what there is, how a setup goes through one, what it reports."""

from typing import cast

import msgspec

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts
from ...core.routing.clocks import of_this_computer
from ...core.routing.rows import Order, rows_of
from .card import CARDS, CardWiring, matched_wirings
from .kind import Found
from .older.wiring import older_wirings
from .peer import PeerWiring, peer_wirings
from .server.wiring import SERVERS, ServerWiring
from .server_choice import spoken

# Every kind, and what the engine's process may be told to open; the first that knows a setup's device takes it, and a
# sound card knows any name.
KINDS = (SERVERS, CARDS)
Wiring = CardWiring | ServerWiring


class Wirings(msgspec.Struct, frozen=True, kw_only=True):
    """How the real devices of a setup are opened: the one that leads, None where all are stand-ins, those whose clock
    is matched to it, and other computers."""

    leading: Wiring | None = None
    matched: tuple[CardWiring, ...] = ()
    peers: tuple[PeerWiring, ...] = ()

    @property
    def devices(self) -> tuple[int, ...]:
        """The rows of all of them."""
        leading = self.leading.devices if self.leading is not None else ()
        return (*leading, *(d for w in (*self.matched, *self.peers) for d in w.devices))

    def check(self, rate_hz: int) -> None:
        """Errors: DeviceError with the reason why one of them cannot be opened so."""
        if self.leading is not None:
            self.leading.check(rate_hz)
        for wiring in self.matched:
            wiring.check(wiring.rate_hz)


def found_devices() -> list[Found]:
    """Everything there is now that can play and record. Errors: DeviceError."""
    return [device for kind in KINDS for device in kind.found()]


def wiring_of(setup: Setup, order: Order | None = None) -> Wiring | None:
    """The real device a setup goes through, with its things in the rows of `order` or its own; None where all are
    stand-ins."""
    return wirings_of(setup, order).leading


def wirings_of(setup: Setup, order: Order | None = None) -> Wirings:
    """All real devices of a setup, with its things in the rows of `order` or its own."""
    order = order or rows_of(setup).order(setup)
    if any(of_this_computer(d) for d in setup.devices) and spoken() == "older":
        first, others = older_wirings(setup, order)
        return Wirings(leading=first, matched=others, peers=peer_wirings(setup, order))
    leading = next((w for kind in KINDS if (w := kind.wiring(setup, order)) is not None), None)
    return Wirings(
        leading=cast(Wiring | None, leading), matched=matched_wirings(setup, order), peers=peer_wirings(setup, order)
    )


def reported_with(facts: Facts, device: str, in_s: float, out_s: float) -> Facts:
    """`facts` with what the open device says of itself; without it where it says nothing."""
    said = {k: v for k, v in facts.reported_s.items() if not k.startswith(f"{device}:")}
    said |= {f"{device}:{way}": s for way, s in (("in", in_s), ("out", out_s)) if s > 0}
    return msgspec.structs.replace(facts, reported_s=said)
