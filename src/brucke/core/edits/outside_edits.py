"""What an outside step's measurement makes of a setup."""

from msgspec.structs import replace

from ..document.setup import Setup
from ..routing.outside_steps import path_ids, placed_steps
from ..sound.processors import held
from .chain_edits import change_processor

Ids = tuple[str, ...]


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
