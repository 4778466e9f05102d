"""Which channels of the equipment are captured, and in which order the engine has them."""

from ..document.setup import Setup
from .outside_steps import placed_steps


def capture_channels(setup: Setup) -> list[tuple[str, int]]:
    """(device, channel) of every capture channel, in the order of the engine's input: of parts, then of what comes back
    from steps outside."""
    found: dict[tuple[str, int], None] = {}
    for part in setup.parts:
        if part.kind != "picture":
            for channel in part.channels:
                found[(part.device, channel)] = None
    for placed in placed_steps(setup):
        found |= dict.fromkeys(placed.comes)
    return list(found)
