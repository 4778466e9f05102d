"""Facts for the soundcheck: what a few seconds of the running setup sound like, and what the computer says."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace
from platformdirs import user_data_path

from ..core.checks.soundcheck import SILENT_DB, sounds_by_itself
from ..core.document.setup import Setup
from ..core.knowledge.evidence import Facts
from ..core.measure.heard import hear, merged, peak_db
from ..engine.step.plan import PlanError
from ..ports.devices.computer import free_bytes, may_sleep
from ..ports.sounds.files import F32

if TYPE_CHECKING:
    from .offline import Offline

SETTLE_S = 5.0  # until the players have heard the music and play along
LISTEN_S = 4.0
LEAST_S, MOST_S = 8.0, 28.0


def computer_facts(facts: Facts) -> Facts:
    return replace(facts, free_bytes=free_bytes(user_data_path("brucke")), may_sleep=may_sleep())


def heard_facts(facts: Facts, setup: Setup, parts: F32, sum_peaks: F32) -> Facts:
    """`facts` with one more stretch heard: parts [P, S, frames] and the peaks of the
    listeners' sums [L], as they would be beyond full scale, as the engine has them."""
    sounds = {p.id: np.ascontiguousarray(parts[i]) for i, p in enumerate(setup.parts)}
    heard = {id: merged(facts.heard.get(id), h) for id, h in hear(setup, sounds).items()}
    sums = {x.id: max(facts.sums_db.get(x.id, -120.0), peak_db(sum_peaks[i])) for i, x in enumerate(setup.listeners)}
    seconds = facts.listened_s + parts.shape[2] / setup.rate_hz
    return replace(facts, heard=heard, sums_db=sums, listened_s=seconds)


def unheard(facts: Facts) -> Facts:
    """Before listening anew."""
    return replace(facts, heard={}, sums_db={}, listened_s=0.0)


def _all_heard(setup: Setup, facts: Facts) -> bool:
    expected = [p.id for p in setup.parts if sounds_by_itself(p) and p.id in facts.heard]
    return all(facts.heard[id].peak_db > SILENT_DB for id in expected)


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
    while facts.listened_s < MOST_S and (facts.listened_s < LEAST_S or not _all_heard(setup, facts)):
        facts = heard_facts(facts, setup, *_stretch(world))
    return facts


def _stretch(world: "Offline") -> tuple[F32, F32]:
    shape = world.runner.shape
    blocks = round(LISTEN_S * shape.rate / shape.block)
    parts = np.zeros((shape.parts, shape.sides, blocks * shape.block), np.float32)
    engine = world.runner.engine
    engine.sum_peaks[:] = 0.0
    for i in range(blocks):
        world.block()
        parts[:, :, i * shape.block : (i + 1) * shape.block] = engine.raw
    return parts, engine.sum_peaks.copy()
