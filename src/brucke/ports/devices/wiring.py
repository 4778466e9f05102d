"""The sound card that stands in place of an interface: what goes in and out of it, and what it says of itself."""

import msgspec

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts
from ...core.routing.captures import capture_channels
from ...core.units import buffer_seconds
from .card import Wiring


def card_wiring(setup: Setup) -> Wiring | None:
    """The interface that is a real sound card, and what goes in and out of it; None where all are stand-ins."""
    at = next((i for i, d in enumerate(setup.devices) if d.kind == "interface" and d.card), None)
    if at is None:
        return None
    device = setup.devices[at]
    rows = tuple((row, c) for row, (d, c) in enumerate(capture_channels(setup)) if d == device.id)
    listener = next((i for i, x in enumerate(setup.listeners) if x.device == device.id), -1)
    return Wiring(
        name=device.card, device=at, inputs=max([1, *(c + 1 for _, c in rows)]),
        outputs=setup.listeners[listener].channels if listener >= 0 else 1, rows=rows, listener=listener,
        latency_s=buffer_seconds(device.buffer_frames, device.buffers, device.rate_hz),
    )  # fmt: skip


def reported_with_card(facts: Facts, device: str, in_s: float, out_s: float) -> Facts:
    """`facts` with what the open card says of itself; without it where it says nothing."""
    said = {k: v for k, v in facts.reported_s.items() if not k.startswith(f"{device}:")}
    if in_s > 0 and out_s > 0:
        said |= {f"{device}:in": in_s, f"{device}:out": out_s}
    return msgspec.structs.replace(facts, reported_s=said)
