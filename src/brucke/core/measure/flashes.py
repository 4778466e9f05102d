"""Flashes against beeps: how much later the picture shows a flash than the sound brings its beep.

A flash is seen first in the picture that begins after it: it fell into the period before that picture's time, and
nothing tells where in it. So every event gives an interval for the offset, and many events that fall differently into
their periods give its intersection. Where all fall alike, the film was made by a program, and its pictures are shown at
their times.

A camera's picture collects light from its time on, for as long as it is exposed: a flash that comes within the first
half of that is still taken for seen in it. How long it is exposed is told by how many flashes are seen only partly in
their first picture, or partly in the one before (Clopper and Pearson 1934, for the share of a count).
"""

import math

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .candidates import Candidate, clearer_beyond
from .video_features import VideoFeatures

F64 = npt.NDArray[np.float64]
I64 = npt.NDArray[np.int64]
SUDDEN = 12.0  # levels of 255 that a flash makes a part of the picture lighter
GOES_ON = 1.15  # of its rise, that it may have risen a picture later
STILL = 0.15  # of its rise, that it may have moved before
AROUND_S, ALONE = 0.15, 0.2  # so long before and after it nothing else changes there by more than that share of it
EXACTLY_S = 1e-3
HEARD_S = 0.5e-3  # so well is known when a beep begins
MOST = 300
CHANCE = 0.01
ACCIDENT = 1e-3  # so seldom may a film that has nothing to do with the sounds be believed
PARTLY = 0.15  # of its rise, that a flash lacks or has too early where a picture saw only part of it
LONGEST_EXPOSURE = 0.5  # of a period: the half circle of a shutter; common practice, no source
ENOUGH = 4  # flashes that go with their sounds, or two fifths of the sounds, are believed
LOOK_S = 2.0  # so far is looked for what may be meant as well
NAMED, RIVAL_APART_S, MOST_RIVALS = 0.8, 0.1, 6
# Where in its period one flash is taken to have been: the middle, a hair nearer to the picture, where films by programs
# have it.
MIDDLE = 0.53


class EventOffset(msgspec.Struct, frozen=True):
    """`seconds` positive: the picture is later than the sound; `plus_minus_s` 95 %. `sounds_s` and `pictures_s`
    [events] are the events that were matched, the picture's at the middle of where it can have been. `rested`: hands
    that did not come back, of which less can be known. `rivals`: other offsets that fit about as well; `of` so many
    sounds. `by_program`: flashes that all fall alike into their periods, which only a program makes."""

    seconds: float
    plus_minus_s: float
    sounds_s: F64
    pictures_s: F64
    rested: bool = False
    rivals: tuple[Candidate, ...] = ()
    of: int = 0
    by_program: bool = False

    @property
    def events(self) -> int:
        return len(self.sounds_s)


def flashes(seen: VideoFeatures) -> tuple[I64, F64, npt.NDArray[np.bool_]]:
    """(index of the first picture that shows each, how much light it brings, whether a picture saw it only partly), in
    order."""
    light = seen.light
    if len(light) < 6:
        return np.zeros(0, np.int64), np.zeros(0), np.zeros(0, bool)
    noise = 1.4826 * np.median(np.abs(np.diff(light, axis=0)), axis=0)
    light = np.concatenate([light, light[-1:]])
    low, now, last, after, later = light[1:-4], light[3:-2], light[2:-3], light[4:-1], light[5:]
    rise = np.maximum(now, after) - low
    sudden = rise > np.maximum(SUDDEN, 8.0 * noise)
    first = (now - low >= 0.5 * rise) & (last - low < 0.5 * rise)
    still = np.abs(low - light[:-5]) < STILL * rise
    lit = sudden & first & still & (later - low < GOES_ON * rise)  # a lamp that glows up is no flash
    brought = np.where(lit, rise, 0.0).sum(axis=1)
    found = np.flatnonzero(brought)
    strongest = np.sort(found[np.argsort(-brought[found], kind="stable")[:MOST]])
    alone = np.array([_comes_alone(seen, int(i) + 3, lit[i]) for i in strongest], bool)
    lacking = np.where(lit, np.abs(rise - (now - low)) + np.abs(last - low), 0.0).sum(axis=1)
    strongest = strongest[alone]
    return strongest + 3, brought[strongest], lacking[strongest] > PARTLY * brought[strongest]


def _comes_alone(seen: VideoFeatures, k: int, lit: npt.NDArray[np.bool_]) -> bool:
    """Whether all is still around the lit blocks before, then and after, and nothing is taken from beside them: else it
    is something light that moves."""
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


def flash_offset(
    seen: VideoFeatures, sounds_s: F64, search_s: float = 1.0, known_s: float = HEARD_S, exposed: bool = True
) -> EventOffset | None:
    """How much later than the sounds `sounds_s` [sounds] (seconds, on the clock of the pictures) flashes are seen.
    Returns None where they have no offset in common within ± `search_s`. `known_s`: so well are the moments of both
    known; `exposed`: a picture's time is when its exposure begins, not when somebody had it."""
    at, light, partly = flashes(seen)
    if not len(at) or not len(sounds_s):
        return None
    ends, begins = seen.times_s[at], seen.times_s[at - 1]
    j, k = np.nonzero(np.abs(ends[None, :] - sounds_s[:, None]) <= LOOK_S)
    low, high = begins[k] - sounds_s[j] - known_s, ends[k] - sounds_s[j] + known_s
    near = np.abs(ends[k] - sounds_s[j]) <= search_s
    if not near.any():
        return None
    inside = near & _most_in_common(low[near], high[near], j[near], light[k[near]], low, high)
    matched, chosen = np.unique(j[inside], return_index=True)
    chosen = np.flatnonzero(inside)[chosen]
    if not _more_than_chance(len(matched), len(sounds_s), len(at), seen, search_s):
        return None
    found = _offset(seen.period_s, low[chosen], high[chosen], sounds_s[matched], known_s)
    if not exposed:
        found = _one_held_up(found, low[chosen], high[chosen]) if known_s > EXACTLY_S else found
    elif not found.by_program:
        found = _exposed(found, partly[k[chosen]], seen.period_s)
    rivals = _rivals(low, high, j, found.seconds, len(matched))
    if clearer_beyond(rivals, search_s):
        return None
    return replace(found, rivals=rivals, of=len(sounds_s))


def _rivals(low: F64, high: F64, sound: I64, best_s: float, matched: int) -> tuple[Candidate, ...]:
    """Other offsets that nearly as many sounds have in common with flashes."""
    edges = np.unique(np.concatenate([low, high]))
    counts = np.array([len(np.unique(sound[(low <= e) & (e <= high)])) for e in edges])
    found: list[Candidate] = []
    for i in np.argsort(-counts, kind="stable"):
        if counts[i] < max(2, NAMED * matched) or len(found) >= MOST_RIVALS:
            break
        if all(abs(edges[i] - v) > RIVAL_APART_S for v in (best_s, *(c.value for c in found))):
            found.append(Candidate(float(edges[i]), 0.0, float(counts[i]) / matched))
    return tuple(found)


def _most_in_common(low: F64, high: F64, sound: I64, light: F64, all_low: F64, all_high: F64) -> npt.NDArray[np.bool_]:
    """Which of all intervals hold the offset that most sounds have in common; of several, the one whose flashes bring
    most light, then the smallest."""

    def worth(offset: float) -> tuple[int, float, float]:
        here = holding(offset)
        # Light only to the tenth of its logarithm: what is about as light is as good.
        return len(np.unique(sound[here])), round(float(np.log1p(light[here].sum())), 1), -abs(offset)

    def holding(offset: float) -> npt.NDArray[np.bool_]:
        return np.asarray((low <= offset) & (offset <= high))

    best = max(map(float, np.unique(np.concatenate([low, high]))), key=worth)
    return np.asarray((all_low <= best) & (best <= all_high))


def _more_than_chance(matched: int, sounds: int, flashes: int, seen: VideoFeatures, search_s: float) -> bool:
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
    return float(bdtrc(matched - 1, sounds, p)) * 2 * search_s / seen.period_s < ACCIDENT or (
        flashes <= 1.5 * sounds and matched >= 0.8 * flashes
    )


def _offset(period: float, low: F64, high: F64, sounds_s: F64, known_s: float) -> EventOffset:
    n = len(low)
    # By accident all of n would fall so close together with a chance of about n·r^(n−1).
    alike = min(0.25, (CHANCE / n) ** (1 / (n - 1))) if n > 1 else 0.0
    ends = high - known_s
    by_program = (
        not _in_time_with(sounds_s, period, alike) or abs(math.remainder(float(np.median(ends)), period)) <= EXACTLY_S
    )
    if n > 1 and float(np.ptp(ends)) <= alike * period and by_program:
        offset = float(np.median(ends))
        return EventOffset(offset, period / 8, sounds_s, sounds_s + ends, by_program=True)
    first, last = float(low.max()), float(high.min())
    half = max((last - first) / 2, 2 * known_s)
    if n == 1:
        half = period / 2 if abs(half - period / 2) < 0.1 * period else MIDDLE * (last - first)
    middles = low + MIDDLE * (high - low)
    return EventOffset(first + MIDDLE * (last - first), half, sounds_s, sounds_s + middles)


def _one_held_up(found: EventOffset, low: F64, high: F64) -> EventOffset:
    """The same, as well as it is known without whichever one picture came late: it would make the intersection narrow,
    and move it."""
    if len(low) < ENOUGH:
        return found
    first, last = float(np.partition(low, -2)[-2]), float(np.partition(high, 1)[1])
    half = max(found.plus_minus_s, found.seconds - first, last - found.seconds)
    return replace(found, plus_minus_s=half)


def _exposed(found: EventOffset, partly: npt.NDArray[np.bool_], period: float) -> EventOffset:
    """Later by half of the exposure, as far as what was seen partly tells how long that was."""
    from scipy.special import betaincinv

    n, k = len(partly), int(partly.sum())
    least = float(betaincinv(k, n - k + 1, 0.025)) if k else 0.0
    most = min(LONGEST_EXPOSURE, float(betaincinv(k + 1, n - k, 0.975))) if k < n else LONGEST_EXPOSURE
    least = min(least, most)
    later, unsure = (least + most) / 4 * period, (most - least) / 4 * period
    moved = found.pictures_s + later
    return replace(found, seconds=found.seconds + later, plus_minus_s=found.plus_minus_s + unsure, pictures_s=moved)


def _in_time_with(sounds_s: F64, period: float, alike: float) -> bool:
    """Whether the sounds come at whole numbers of periods after one another: then whatever films them sees all of them
    alike, and only a program has them exactly at its pictures' times."""
    turns = np.exp(2j * np.pi * sounds_s / period)
    apart = np.abs(np.angle(turns * np.conj(turns.mean()))) / (2 * np.pi)
    return bool(2 * apart.max() <= 1.5 * alike)
