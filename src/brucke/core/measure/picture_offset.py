"""Sound against picture from claps: how much later the picture shows a clap than the sound brings it.

Conventions: `brightness` is the mean absolute difference of each picture from the resting picture, one
value per picture at `times_s` (its presentation time); claps are symmetric about the moment the hands meet.
A positive offset means the picture is later than the sound.
"""

import msgspec
import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
HALF_WIDTH_S = 0.16


class PictureOffset(msgspec.Struct, frozen=True):
    """`plus_minus_s` is 95 % over the claps, and never less than an eighth of a picture period."""

    seconds: float
    plus_minus_s: float
    claps: int
    period_s: float


def picture_offset(
    times_s: F64, brightness: F64, claps_s: F64, expected_s: float = 0.0, search_s: float = 0.4
) -> PictureOffset | None:
    """How much later than their sound claps are seen: `brightness` [pictures] at `times_s` [pictures], and `claps_s`
    [claps], when each clap sounds, all in seconds on one clock. Returns the median over the claps that are seen; None
    where fewer than half of them are."""
    if len(times_s) < 8 or len(claps_s) == 0:
        return None
    period = float(np.median(np.diff(times_s)))
    rest = np.median(brightness)
    change = np.abs(brightness - rest)
    # Six standard deviations of the still picture: noise alone never looks like a clap.
    floor = max(6 * 1.4826 * float(np.median(change)), 0.15 * float(np.max(change)))
    found = []
    for clap in claps_s:
        near = np.abs(times_s - clap - expected_s) <= search_s
        if not near.any():
            continue
        index = np.flatnonzero(near)[int(np.argmax(change[near]))]
        if change[index] < floor:
            continue
        found.append(_centre(times_s, change, int(index)) - clap)
    if len(found) * 2 < len(claps_s):
        return None
    offsets = np.array(found)
    spread = 2.5 * float(np.std(offsets)) / len(offsets) ** 0.5 if len(offsets) > 1 else period / 2
    return PictureOffset(float(np.median(offsets)), max(spread, period / 8), len(offsets), period)


def _centre(times_s: F64, change: F64, index: int) -> float:
    """Centre of one clap's movement; recentred until the window no longer moves."""
    centre = float(times_s[index])
    for _ in range(8):
        weight = change * np.clip(1 - np.abs(times_s - centre) / HALF_WIDTH_S, 0, None)
        moved = float(np.sum(weight * times_s) / np.sum(weight))
        if abs(moved - centre) < 1e-5:
            break
        centre += 1.6 * (moved - centre)
    return centre
