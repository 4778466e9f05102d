"""Facts for the soundcheck from what was heard, stretch by stretch."""

import numpy as np
from msgspec.structs import replace

from ..document.setup import Setup
from ..knowledge.evidence import Facts
from ..measure.correlation import F32
from .signal_checks import SILENT_DB, sounds_by_itself
from .signal_facts import hear, merged, peak_db


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


def all_heard(setup: Setup, facts: Facts) -> bool:
    expected = [p.id for p in setup.parts if sounds_by_itself(p) and p.id in facts.heard]
    return all(facts.heard[id].peak_db > SILENT_DB for id in expected)
