"""Flashes against beeps: how much later the picture shows a flash than the sound brings its beep.

A flash is seen first in the picture that begins after it: it fell into the period before that picture's time, and nothing tells where in it. So every event
gives an interval for the offset, and many events that fall differently into their periods give its intersection. Where all fall alike, the film was made by a
program, and its pictures are shown at their times.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .seen import Seen

F64 = npt.NDArray[np.float64]
I64 = npt.NDArray[np.int64]
SUDDEN = 12.0  # levels of 255 that a flash makes a part of the picture lighter
STILL = 0.15  # of its rise, that it may have moved before
AROUND_S, ALONE = 0.15, 0.2  # so long before and after it nothing else changes there by more than that share of it
HEARD_S = 0.5e-3  # so well is known when a beep begins
MOST = 300
CHANCE = 0.01
ENOUGH = 4  # flashes that go with their sounds, or two fifths of the sounds, are believed
# Where in its period one flash is taken to have been: the middle, a hair nearer to the picture, where films by programs have it.
MIDDLE = 0.53


@dataclass(frozen=True)
class EventOffset:
    """`seconds` positive: the picture is later than the sound; `plus_minus_s` 95 %. `sounds_s` and `pictures_s` [events] are the events that were matched,
    the picture's at the middle of where it can have been. `rested`: hands that did not come back, of which less can be known."""

    seconds: float
    plus_minus_s: float
    sounds_s: F64
    pictures_s: F64
    rested: bool = False

    @property
    def events(self) -> int:
        return len(self.sounds_s)


def flashes(seen: Seen) -> tuple[I64, F64]:
    """(index of the first picture that shows each, how much light it brings), in order."""
    light = seen.light
    if len(light) < 5:
        return np.zeros(0, np.int64), np.zeros(0)
    noise = 1.4826 * np.median(np.abs(np.diff(light, axis=0)), axis=0)
    low, now, last, after = light[1:-3], light[3:-1], light[2:-2], light[4:]
    rise = np.maximum(now, after) - low
    sudden = rise > np.maximum(SUDDEN, 8.0 * noise)
    first = (now - low >= 0.5 * rise) & (last - low < 0.5 * rise)
    still = np.abs(low - light[:-4]) < STILL * rise
    lit = sudden & first & still
    brought = np.where(lit, rise, 0.0).sum(axis=1)
    found = np.flatnonzero(brought)
    strongest = np.sort(found[np.argsort(-brought[found], kind="stable")[:MOST]])
    alone = np.array([_comes_alone(seen, int(i) + 3, lit[i]) for i in strongest], bool)
    return strongest[alone] + 3, brought[strongest[alone]]


def _comes_alone(seen: Seen, k: int, lit: npt.NDArray[np.bool_]) -> bool:
    """Whether all is still around the lit blocks before, then and after, and nothing is taken from beside them: else it is something light that moves."""
    near = _around(lit, seen.columns)
    since = max(1, int(np.searchsorted(seen.times_s, seen.times_s[k] - AROUND_S)))
    until = int(np.searchsorted(seen.times_s, seen.times_s[k] + AROUND_S))
    change = np.diff(seen.light[since - 1 : until + 1], axis=0)
    at = k - since  # which of the changes brings the flash, or most of it
    brought = float(np.clip(change[max(0, at - 1) : at + 2, lit].sum(axis=0), 0, None).sum())
    before = np.abs(change[: max(0, at - 1), near]).sum(axis=1).max(initial=0.0)
    beside = np.abs(change[max(0, at - 1) :, near & ~lit]).sum(axis=1).max(initial=0.0)
    return bool(max(before, beside) < ALONE * brought)


def _around(lit: npt.NDArray[np.bool_], columns: int) -> npt.NDArray[np.bool_]:
    """Those blocks and the two to every side of them."""
    rows, places = np.divmod(np.arange(len(lit)), columns)
    mine = np.flatnonzero(lit)
    far = np.maximum(np.abs(rows[:, None] - rows[mine]), np.abs(places[:, None] - places[mine]))
    return np.asarray(far.min(axis=1) <= 2)


def flash_offset(seen: Seen, sounds_s: F64, search_s: float = 1.0, known_s: float = HEARD_S) -> EventOffset | None:
    """None where flashes and sounds have no offset in common within ± `search_s`; `known_s`: so well are the moments of both known."""
    at, light = flashes(seen)
    if not len(at) or not len(sounds_s):
        return None
    ends, begins = seen.times_s[at], seen.times_s[at - 1]
    j, k = np.nonzero(np.abs(ends[None, :] - sounds_s[:, None]) <= search_s)
    if not len(j):
        return None
    low, high = begins[k] - sounds_s[j] - known_s, ends[k] - sounds_s[j] + known_s
    inside = _most_in_common(low, high, j, light[k])
    matched, chosen = np.unique(j[inside], return_index=True)
    chosen = np.flatnonzero(inside)[chosen]
    if not _more_than_chance(len(matched), len(sounds_s), len(at), seen, search_s):
        return None
    return _offset(seen.period_s, low[chosen], high[chosen], sounds_s[matched], known_s)


def _most_in_common(low: F64, high: F64, sound: I64, light: F64) -> npt.NDArray[np.bool_]:
    """Which intervals hold the offset that most sounds have in common; of several, the one whose flashes bring most light, then the smallest."""

    def worth(offset: float) -> tuple[int, float, float]:
        here = holding(offset)
        # Light only to the tenth of its logarithm: what is about as light is as good.
        return len(np.unique(sound[here])), round(float(np.log1p(light[here].sum())), 1), -abs(offset)

    def holding(offset: float) -> npt.NDArray[np.bool_]:
        return np.asarray((low <= offset) & (offset <= high))

    return holding(max(map(float, np.unique(np.concatenate([low, high]))), key=worth))


def _more_than_chance(matched: int, sounds: int, flashes: int, seen: Seen, search_s: float) -> bool:
    """Whether so many could not as well have met by accident, wherever one had looked."""
    from scipy.special import bdtrc

    if (
        matched < 0.6 * min(sounds, flashes)
        or matched < min(ENOUGH, 0.4 * sounds)
        or (matched < 2 and flashes > 3 * sounds)
    ):
        return False
    if sounds < 3:
        return True
    length = float(seen.times_s[-1] - seen.times_s[0]) or 1.0
    p = min(1.0, flashes * seen.period_s / length)
    return float(bdtrc(matched - 1, sounds, p)) * 2 * search_s / seen.period_s < CHANCE or (
        flashes <= 1.5 * sounds and matched >= 0.8 * flashes
    )


def _offset(period: float, low: F64, high: F64, sounds_s: F64, known_s: float) -> EventOffset:
    n = len(low)
    # By accident all of n would fall so close together with a chance of about n·r^(n−1).
    alike = min(0.25, (CHANCE / n) ** (1 / (n - 1))) if n > 1 else 0.0
    ends = high - known_s
    if n > 1 and float(np.ptp(ends)) <= alike * period:
        offset = float(np.median(ends))
        return EventOffset(offset, period / 8, sounds_s, sounds_s + ends)
    first, last = float(low.max()), float(high.min())
    half = max((last - first) / 2, 2 * known_s)
    if n == 1:
        half = period / 2 if abs(half - period / 2) < 0.1 * period else MIDDLE * (last - first)
    middles = low + MIDDLE * (high - low)
    return EventOffset(first + MIDDLE * (last - first), half, sounds_s, sounds_s + middles)
