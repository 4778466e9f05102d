"""The devices of the real world, whatever their kind: what there is, how a setup goes through one, what it reports."""

import msgspec

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts
from ...core.routing.rows import Order, rows_of
from .card import CARDS, CardWiring
from .kind import Found
from .server.wiring import SERVERS, ServerWiring

# Every kind, and what the engine's process may be told to open; the first that knows a setup's device takes it, and a
# sound card knows any name.
KINDS = (SERVERS, CARDS)
Wiring = CardWiring | ServerWiring


def found_devices() -> list[Found]:
    """Everything there is now that can play and record. Errors: DeviceError."""
    return [device for kind in KINDS for device in kind.found()]


def wiring_of(setup: Setup, order: Order | None = None) -> Wiring | None:
    """The real device a setup goes through, with its things in the rows of `order` or its own; None where all are
    stand-ins."""
    order = order or rows_of(setup).order(setup)
    return next((w for kind in KINDS if (w := kind.wiring(setup, order)) is not None), None)


def reported_with(facts: Facts, device: str, in_s: float, out_s: float) -> Facts:
    """`facts` with what the open device says of itself; without it where it says nothing."""
    said = {k: v for k, v in facts.reported_s.items() if not k.startswith(f"{device}:")}
    if in_s > 0 and out_s > 0:
        said |= {f"{device}:in": in_s, f"{device}:out": out_s}
    return msgspec.structs.replace(facts, reported_s=said)
