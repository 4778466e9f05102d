"""A stretch of a track as loud as what is around it."""

import math
from pathlib import Path

import numpy as np

from ..core.sound.loudness import LoudnessMeter
from .edits import Stretch
from .sounds import track_stretch
from .take import Take, TakeError

AROUND_S = 5.0  # of what is before and after it
MOST_DB = 18.0
LEAST_S = 0.4  # what the loudness of ITU-R BS.1770 needs


def gain_like_neighbours(folder: Path, take: Take, part: str, s: Stretch) -> float:
    """The gain in dB that makes a stretch of a part as loud as the five seconds before and after it together, at most
    MOST_DB either way. Errors: TakeError, also where one of them is silent or too short."""
    own = _lufs(folder, take, part, [s])
    before = Stretch(max(0.0, s.begin_s - AROUND_S), s.begin_s)
    around = _lufs(folder, take, part, [before, Stretch(s.end_s, s.end_s + AROUND_S)])
    if not (math.isfinite(own) and math.isfinite(around)):
        raise TakeError("it is silent, or what is around it is, or it is shorter than 0.4 s")
    return max(-MOST_DB, min(MOST_DB, around - own))


def _lufs(folder: Path, take: Take, part: str, stretches: list[Stretch]) -> float:
    """Of all of them together; minus infinity where nothing is heard."""
    meter: LoudnessMeter | None = None
    for s in stretches:
        if s.end_s - s.begin_s < LEAST_S:
            continue
        rate, sound = track_stretch(folder, take.parts[part], s.begin_s, s.end_s - s.begin_s)
        if meter is None:
            meter = LoudnessMeter(rate, sound.shape[1])
        meter.push(np.ascontiguousarray(np.nan_to_num(sound).T))
    return meter.result().integrated_lufs if meter is not None else -math.inf
