"""What an outside step's measurement makes of a setup."""

from msgspec.structs import replace

from ..document.setup import OF_THIS_COMPUTER, Setup
from ..routing.clocks import of_this_computer
from ..routing.outside_steps import path_ids, placed_steps
from ..sound.processors import OutsideStep, held
from .chain_edits import change_processor
from .listener_edits import new_device, without_unused_devices
from .route_edits import change_device

Ids = tuple[str, ...]


def new_step(setup: Setup) -> OutsideStep:
    """At the first interface whose sockets are ours to name, on the first two pairs that nobody uses; nowhere where
    there is none."""
    device = next((d for d in setup.devices if d.kind == "interface" and not of_this_computer(d)), None)
    if device is None:
        return OutsideStep(name="Outside step")
    steps = [p.step for p in placed_steps(setup) if p.step.send_device == device.id]
    used = {c for p in setup.parts if p.device == device.id for c in p.channels}
    used |= {c for s in steps for c in s.return_channels}
    out = max([2, *(x.channels for x in setup.listeners if x.device == device.id and x.kind == "monitor")])
    sent = {s.send_channel for s in steps}
    first = next(c for c in range(out + out % 2, 256, 2) if c not in sent)
    back = next(c for c in range(0, 256, 2) if not {c, c + 1} & used)
    return OutsideStep(
        name="Outside step", send_device=device.id, send_channel=first, return_device=device.id,
        return_channels=(back, back + 1),
    )  # fmt: skip


def to_program(setup: Setup, owner: str, slot: int) -> Setup:
    """Out to a program of this computer as a microphone of ours, and back from what it plays."""
    setup, device = new_device(setup, "program", "Outside program")
    setup = change_device(setup, device.id, card=OF_THIS_COMPUTER)
    return move_step(setup, owner, slot, send_device=device.id, send_channel=0, return_device=device.id, back=0)


def move_step(
    setup: Setup, owner: str, slot: int, *, send_device: str, send_channel: int, return_device: str, back: int
) -> Setup:
    """Elsewhere; what was measured there before counts no longer."""
    after = change_processor(
        setup, owner, slot, send_device=send_device, send_channel=send_channel, return_device=return_device,
        return_channels=(back, back + 1), latency_frames=0, gain_db=0.0,
    )  # fmt: skip
    return without_unused_devices(after)


def measured_step(setup: Setup, ids: Ids, seconds: float, gain_db: float) -> Setup:
    """Every step on that way waits for so long, and what comes back is as loud again as it went."""
    for placed in placed_steps(setup):
        if path_ids(placed.step) == ids:
            louder = held(replace(placed.step, gain_db=round(gain_db, 1)), "gain_db")
            setup = change_processor(
                setup, placed.owner, placed.slot, latency_frames=round(seconds * setup.rate_hz), gain_db=louder,
                measured_rate_hz=setup.rate_hz, measured_block=setup.block_frames,
            )  # fmt: skip
    return setup
