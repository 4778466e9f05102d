"""Facts for the soundcheck: what a few seconds of the running setup sound like, and what the computer says."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ..core.checks.listening import all_heard, heard_facts
from ..core.document.setup import Setup
from ..core.knowledge.evidence import Facts
from ..core.routing.rows import SIDES, parts_of, rows_of
from ..engine.step.plan import PlanError
from ..ports.sounds.files import F32

if TYPE_CHECKING:
    from .offline import Offline

SETTLE_S = 5.0  # until the players have heard the music and play along
LISTEN_S = 4.0
LEAST_S, MOST_S = 8.0, 28.0


def listen_offline(setup: Setup, facts: Facts, folders: Sequence[Path]) -> Facts:
    """The setup played on the stand-ins, faster than real time, until everything was heard or half a minute is over.

    Unheard where the engine cannot run it. Errors: SoundFileError for a sound that cannot be read.
    """
    from ..ports.sounds.beat_sounds import beat_sounds
    from ..standins.truth import invent
    from .equipment import SEED
    from .offline import Offline

    try:
        world = Offline(setup, invent(setup, SEED, True), beat_sounds(setup, folders))
    except PlanError:
        return facts
    world.world.play()
    world.run(SETTLE_S)
    while facts.listened_s < MOST_S and (facts.listened_s < LEAST_S or not all_heard(setup, facts)):
        facts = heard_facts(facts, setup, *_stretch(world))
    return facts


def _stretch(world: "Offline") -> tuple[F32, F32]:
    shape = world.runner.shape
    blocks = round(LISTEN_S * shape.rate / shape.block)
    parts = np.zeros((shape.parts, SIDES, blocks * shape.block), np.float32)
    engine = world.runner.engine
    engine.sum_peaks[:] = 0.0
    for i in range(blocks):
        world.block()
        parts[:, :, i * shape.block : (i + 1) * shape.block] = engine.raw
    return parts_of(parts, rows_of(world.setup).order(world.setup).parts), engine.sum_peaks.copy()
