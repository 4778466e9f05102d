"""Hand claps against their sound: how much later the picture shows the hands meeting.

Where the hands are is never looked for. First: in which blocks, and how much later than the sounds, does more move than
before and after? Then, for each clap, how unlike any two pictures around it are: on the way to meeting hands are at one
place after another, so that pictures are the more unlike the farther apart they were (`way_of_hands`).
"""

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .candidates import Candidate, clearer_beyond
from .clap_motion_fit import NEAR_ROUGHLY, Grid, Meeting, meeting, unexplained
from .flashes import EventOffset
from .video_features import VideoFeatures, pixels_of

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I64 = npt.NDArray[np.int64]
WIDTH_S = 0.15  # so long hands are on their way to meet
FAR_S = 3 * WIDTH_S  # so far around a clap is what moves compared with elsewhere
STEP_S = 0.01
SURE = 4.0  # standard deviations by which the blocks of hands move more at claps than elsewhere
SURE_OF_SOME = 6.2  # the same of the best of many sounds, which are better than usual by being chosen
WITH_HANDS = 0.4  # of what moves at claps, that moves at a sound that is one
HANDS = 0.12  # of the surest block, that another of theirs may be
BLOCKS, CLAPS = 48, 24
FARTHEST_S = 0.5  # around a clap, whose pictures are kept
REACH_S = 0.26  # around where hands meet, whose pictures are compared
PICTURES = 18  # of one clap
# every so-many-th pixel, to find out where to look closely; no divisor of a block's width: every column is seen
SPARSELY = 7
MOST_LEFT = 0.5  # of the unlikeness, that the best way of hands may leave unexplained
EDGE_S = 0.025  # so far from where one looked closely, one looks again from there
MOST_LOOKS = 4
AGREE_S, MOST_AGREE = 0.03, 0.6
FLOOR_S = 0.015  # how exposure and the way hands move may mislead
HALF_SEEN_S = (
    0.04  # the same where they rest once they have met, or the film ends: only half of the way is there to tell
)
WIDEST_S = 0.055  # several that are known no better, beside other offsets that fit as well, tell nothing
RESTED = 0.5  # so sure it has to be
LOOK_S = 2.0  # so far is looked for what may be meant as well
NAMED, RIVAL_APART_S = 0.75, 0.15  # so well another offset has to fit, and so far away
LEAST_SHARE, MUCH, ENOUGH = 0.6, 12, 5
POSTERIOR = 1.5  # so many σ of the ways that explain what is seen
EXPOSED = 0.16  # of a period, that a picture shows what is later than its time: half of an exposure of a third


def clap_offset(seen: VideoFeatures, sounds_s: F64, search_s: float = 0.6) -> EventOffset | None:
    """How much later than the sounds `sounds_s` [claps] (seconds, on the clock of the pictures) hands are seen to meet
    in `seen`. Returns None where nothing that moves goes with the sounds within ± `search_s`, or it goes better with
    them beyond."""
    if len(seen.times_s) < 8 or not len(sounds_s):
        return None
    coarse = _coarse(seen, sounds_s, search_s)
    if coarse is None:
        return None
    about, blocks, rivals, sounds_s, of = coarse
    pictures = [_pictures(seen, blocks, s + about) for s in sounds_s[:CLAPS]]
    rough = Grid.rough()
    roughly = [unexplained(rough, *_unlike(*p, 0.0, SPARSELY), NEAR_ROUGHLY) for p in pictures]
    moment = meeting(rough, roughly).best_s
    good = np.array([x.min() <= MOST_LEFT for x in roughly])
    for _ in range(MOST_LOOKS):
        grid = Grid.around(moment)
        left = [unexplained(grid, *_unlike(*p, moment)) for p in pictures]
        found = _together(grid, left, good, seen.period_s)
        if found is None or abs(found[0].moment_s - moment) < EDGE_S:
            break
        moment = found[0].moment_s
    if found is None:
        return None
    meet = sounds_s[:CLAPS] + about + found[0].moment_s
    if not _most_reach(seen.times_s, meet, 0.0):
        return None  # before the film begins, or after its end
    if not _enough(int(found[2].sum()), min(of, CLAPS)):
        return None
    whole = _most_reach(seen.times_s, meet, FAR_S)
    offset = _offset(seen.period_s, about, sounds_s[:CLAPS], *found, whole)
    if rivals and offset.events > 1 and offset.plus_minus_s > WIDEST_S:
        return None
    moved = offset.seconds - about
    return replace(
        offset, rivals=tuple(replace(r, value=r.value + moved, plus_minus=offset.plus_minus_s) for r in rivals), of=of
    )


def _enough(matched: int, of: int) -> bool:
    """Three fifths of what sounds; of much, five are enough, for other things may sound as sharply."""
    return matched >= LEAST_SHARE * of or (of >= MUCH and matched >= ENOUGH)


def best_known(period_s: float) -> float:
    """± of the moment of a clap, at best: nobody knows how long each picture was exposed."""
    return float(np.hypot(max(period_s / 2, FLOOR_S), EXPOSED * period_s))


def _coarse(seen: VideoFeatures, sounds_s: F64, search_s: float) -> tuple[float, I64, list[Candidate], F64, int] | None:
    """(about how much later the movement is, the blocks that move, other offsets that fit as well, the sounds with
    which they move, of how many), or None. Other things may sound sharply between claps."""
    times = seen.times_s
    moved = np.vstack([np.zeros((1, seen.moved.shape[1])), np.cumsum(seen.moved[1:], axis=0, dtype=np.float64)])

    def more(at: F64) -> F64:
        """How much more moves around each moment, above all before it, than farther from it, [moments, blocks]: hands
        come, and then they rest, or come back."""
        here, since, until = (_at(times, moved, at + d) for d in (0.0, -WIDTH_S, WIDTH_S))
        far = _at(times, moved, at + FAR_S) - _at(times, moved, at - FAR_S)
        return 1.5 * (here - since) + 0.5 * (until - here) - far / 3

    usual = more(np.arange(times[0] + WIDTH_S, times[-1], STEP_S * 3))
    if not len(usual):
        return None
    spread = usual.std(axis=0) + 1e-3 * max(1e-6, float(usual.std())) + 1e-6
    offsets = np.arange(-LOOK_S, LOOK_S + STEP_S / 2, STEP_S)
    inside = sounds_s[(sounds_s > times[0] - search_s) & (sounds_s < times[-1] + search_s)]
    if not len(inside):
        return None
    at = (inside[:, None] + offsets[None, :]).ravel()
    each = more(at).reshape(len(inside), len(offsets), -1) / spread
    # Even claps fit one beat later as well: the nearest counts.
    nearer = np.where(np.abs(offsets) <= search_s + STEP_S / 2, 1 - 0.3 * np.abs(offsets) / search_s, 0.0)
    for count, least in ((len(inside), SURE if len(inside) > 2 else 2.0), (max(4, len(inside) // 5), SURE_OF_SOME)):
        if count > len(inside):
            break
        sure = np.sort(each, axis=0)[-count:].mean(axis=0) * count**0.5
        fits = np.sort(sure, axis=1)[:, -3:].mean(axis=1)
        best = int(np.argmax(fits * nearer))
        most = float(sure[best].max())
        if most >= least:
            rivals = _rivals(offsets, fits, best)
            if clearer_beyond(rivals, search_s):
                return None
            blocks = np.argsort(-sure[best], kind="stable")[:BLOCKS]
            blocks = np.sort(blocks[sure[best][blocks] >= max(HANDS * most, 1.5)])
            hands = each[:, best, np.argsort(-sure[best], kind="stable")[:3]].mean(axis=1)
            return (
                float(offsets[best]),
                blocks,
                rivals,
                inside[hands >= WITH_HANDS * float(np.sort(hands)[-count:].mean())],
                len(inside),
            )
    return None


def _rivals(offsets: F64, fits: F64, best: int) -> list[Candidate]:
    """Other offsets at which what moves fits the sounds about as well."""
    from scipy import signal

    apart = round(RIVAL_APART_S / STEP_S)
    tops, _ = signal.find_peaks(fits, distance=apart)
    weights = fits / max(float(fits[best]), 1e-9)
    found = [
        Candidate(float(offsets[t]), 0.0, float(weights[t]))
        for t in tops
        if abs(int(t) - best) > apart and weights[t] >= NAMED
    ]
    return sorted(found, key=lambda c: (-round(c.weight, 2), abs(c.value)))


def _at(times: F64, totals: F64, at: F64) -> F64:
    """`totals` [n, blocks] at moments between those of `times`."""
    place = np.clip(np.interp(at, times, np.arange(len(times))), 0, len(times) - 1)
    low = np.minimum(place.astype(np.int64), len(times) - 2)
    share = (place - low)[:, None]
    return np.asarray(totals[low] * (1 - share) + totals[low + 1] * share)


def _pictures(seen: VideoFeatures, blocks: I64, at_s: float) -> tuple[F64, npt.NDArray[np.int16]]:
    """(times from `at_s` on, what the blocks show [m, pixels]) of the pictures around it."""
    times, pictures = seen.around(at_s, FARTHEST_S)
    pixels = pixels_of(pictures, blocks) if len(times) else np.zeros((0, 1), np.uint8)
    return times - at_s, pixels.astype(np.int16)


def _unlike(times: F64, pixels: npt.NDArray[np.int16], moment_s: float, thin: int = 1) -> tuple[F64, F32]:
    """(times of the pictures around the moment, how unlike every two are [m, m]), by every `thin`-th of their
    pixels."""
    near = np.flatnonzero(np.abs(times - moment_s) <= REACH_S)
    near = near[:: max(1, -(-len(near) // PICTURES))]
    some = pixels[near, ::thin]
    unlike = [np.abs(some - p).mean(axis=1, dtype=np.float32) for p in some]
    return times[near], np.array(unlike, np.float32).reshape(len(near), len(near))


def _most_reach(times: F64, meet: F64, reach_s: float) -> bool:
    """Whether the film shows most claps from so long before hands meet to so long after."""
    return bool(np.mean((times[0] <= meet - reach_s) & (meet + reach_s <= times[-1])) > 0.5)


def _together(
    grid: Grid, left: list[F64], good: npt.NDArray[np.bool_], period: float
) -> tuple[Meeting, F64, npt.NDArray[np.bool_]] | None:
    """(where all meet that agree, where each meets, which agree), or None where too few do: what sounds between claps
    has its moment anywhere."""
    good = good & [bool(x.min() < 1) for x in left]
    if not good.any():
        return None
    each = np.array([meeting(grid, [x]).moment_s for x in left])
    near_s = max(AGREE_S, period)
    agree = good[None, :] & (np.abs(each[:, None] - each[None, :]) <= near_s)
    near = agree[int(np.argmax(agree.sum(axis=1) * good))]
    near = good & (np.abs(each - float(np.median(each[near]))) <= near_s)
    if near.sum() < MOST_AGREE * len(each):
        return None
    return meeting(grid, [x for x, n in zip(left, near, strict=True) if n]), each, near


def _offset(
    period: float,
    about: float,
    sounds_s: F64,
    all_of_them: Meeting,
    each: F64,
    near: npt.NDArray[np.bool_],
    whole: bool,
) -> EventOffset:
    """Half a period or FLOOR_S where hands are seen to come and to come back, more elsewhere."""
    scatter = 1.4826 * float(np.median(np.abs(each[near] - float(np.median(each[near])))))
    spread = 1.96 * 1.25 * scatter / float(near.sum()) ** 0.5
    rested = all_of_them.rested > RESTED
    known = best_known(period) if whole and not rested else HALF_SEEN_S
    offset = about + all_of_them.moment_s + EXPOSED * period
    known = max(known, POSTERIOR * all_of_them.spread_s)
    return EventOffset(offset, max(known, spread), sounds_s[near], sounds_s[near] + about + each[near], rested)
