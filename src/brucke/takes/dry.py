"""What came in, as the source of a proof: for songs and players that nobody knows beforehand.

A song that another program plays, and a voice that is really sung, have no sound on the beat. What the engine took in
of them was recorded dry in the same take. A player's is moved by how much later than the lead it comes in, which the
measured round trip tells: then both lie on one beat. What is left between them at a listener is what the delays, and
the ways from the engine to that listener, make of it; on the way in it rests on the round trip, whose ± is in what is
stated.
"""

from pathlib import Path

import msgspec
import numpy as np

from ..core.measure.correlation import F32
from ..core.timing.origins import came_in
from ..core.timing.paths import Situation
from .sounds import take_sound
from .take import Take


class Dry(msgspec.Struct, frozen=True):
    """A part as it came in: mono, on the lead's beat, on the take's own frames. `plus_minus_s` is what the way in may
    be off."""

    sound: F32
    plus_minus_s: float


def dry_sources(folder: Path, take: Take, most_s: float) -> dict[str, Dry]:
    """By part, the first lead among them; empty where no lead was recorded. Errors: TakeError."""
    known = Situation(take.setup, take.knowledge, moment=take.moment)
    parts = [p for p in take.setup.parts if p.kind in ("lead", "follower") and p.channels and p.id in take.parts]
    lead = next((p for p in parts if p.kind == "lead" and p.source != "count_in"), None)
    base = came_in(known, lead.id) if lead is not None else None
    if lead is None or base is None:
        return {}
    found = {}
    for part in sorted(parts, key=lambda p: p.id != lead.id):
        arrives = came_in(known, part.id)
        if arrives is None:
            continue
        later = arrives - base
        sound, rate = take_sound(folder, take.parts[part.id], most_s)
        mono = np.ascontiguousarray(sound.mean(axis=0), np.float32)
        shift = max(0, round(later.value * rate))
        found[part.id] = Dry(np.ascontiguousarray(mono[shift:]), later.plus_minus)
    return found
