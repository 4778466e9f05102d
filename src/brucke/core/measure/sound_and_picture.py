"""Sound against picture of any recording with both: by flashes and beeps, else by claps."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .claps import clap_offset
from .flashes import EventOffset, flash_offset
from .seen import Seen
from .sharp_sounds import SharpSounds

F64 = npt.NDArray[np.float64]
MOST_SOUNDS, WITHIN_DB = 40, 20.0
DRIFT_EVENTS, DRIFT_S = 6, 30.0  # so many events over so long tell whether it drifts


@dataclass(frozen=True)
class Drifting:
    """How the offset changes, in parts per million, positive: the picture falls more and more behind; 95 %."""

    ppm: float
    plus_minus_ppm: float


@dataclass(frozen=True)
class SoundAndPicture:
    """`seen` is “flashes” or “claps”, and then `offset` stands; else it is empty, and `reason` is a code: “silent”: nothing sharp sounds, “still”: nothing
    is seen that goes with what sounds."""

    seen: str
    reason: str = ""
    offset: EventOffset | None = None
    drift: Drifting | None = None


def telling(sounds: SharpSounds) -> SharpSounds:
    """The sharp sounds that are looked at: not so many that nobody could keep the pictures around them."""
    return sounds.strongest(MOST_SOUNDS, WITHIN_DB)


def sound_and_picture(seen: Seen, sounds_s: F64) -> SoundAndPicture:
    """From when something sharp sounds, on the clock of the pictures."""
    if not len(sounds_s):
        return SoundAndPicture("", "silent")
    for name, look in (("flashes", flash_offset), ("claps", clap_offset)):
        found = look(seen, sounds_s)
        if found is not None:
            return SoundAndPicture(name, "", found, _drift(found))
    return SoundAndPicture("", "still")


def _drift(found: EventOffset) -> Drifting | None:
    """A straight line through the offsets of the events, where there are enough over a long enough time."""
    n = found.events
    if n < DRIFT_EVENTS or np.ptp(found.sounds_s) < DRIFT_S:
        return None
    from scipy import stats

    line = stats.linregress(found.sounds_s, found.pictures_s - found.sounds_s)
    return Drifting(float(line.slope) * 1e6, float(line.stderr) * float(stats.t.ppf(0.975, n - 2)) * 1e6)
