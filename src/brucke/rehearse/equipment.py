"""What the equipment of a setup says of itself, and the command that brings it up. Here: the stand-ins."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from ..core.document.setup import Setup
from ..core.knowledge.evidence import Facts
from ..core.units import buffer_seconds
from ..engine.step.plan import capture_channels
from ..ports.devices.card import Wiring
from ..standins.options import Options
from ..standins.truth import invent, reports

WORLD_MODULE = "brucke.standins.live"
SEED = 1


def facts_of(setup: Setup) -> Facts:
    return Facts(reported_s=reports(setup, invent(setup, SEED, True)))


def world_command(
    setup_file: Path, folders: Sequence[Path], exact: bool = False, real: Sequence[str] = ()
) -> list[str]:
    options = Options(str(setup_file), tuple(str(f) for f in folders), SEED, exact, tuple(real))
    return [WORLD_MODULE, msgspec.json.encode(options).decode()]


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
