"""Hand claps against their sound: how much later the picture shows the hands meeting.

Where the hands are is never looked for. First: in which blocks, and how much later than the sounds, does more move than before and after? Then, for each clap,
how unlike any two pictures around it are: on the way to meeting hands are at one place after another, so that pictures are the more unlike the farther
apart they were; the moment of meeting is the corner of the way that explains the unlikeness best. How they come, stop and leave is not known: fast or slowly, hard or
softly, resting or coming back; each is tried.
"""

from dataclasses import dataclass
from itertools import product

import numpy as np
import numpy.typing as npt

from .correlation import top_of
from .flashes import EventOffset
from .seen import Seen, pixels_of

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I64 = npt.NDArray[np.int64]
WIDTH_S = 0.15  # so long hands are on their way to meet
STEP_S = 0.01
REACH_S = 0.24  # around a clap, whose pictures are compared
SURE = 4.0  # standard deviations by which the blocks of hands move more at claps than elsewhere
SURE_OF_SOME = 6.2  # the same of the best of many sounds, which are better than usual by being chosen
WITH_HANDS = 0.4  # of what moves at claps, that moves at a sound that is one
HANDS = 0.12  # of the surest block, that another of theirs may be
BLOCKS, PIXELS, CLAPS = 48, 700, 24
AGREE_S, MOST_AGREE = 0.03, 0.6
LEAST_ALIKE = 0.5  # share of the unlikeness that has to be explained
FLOOR_S = 0.015  # how exposure and the way hands move may mislead
BETWEEN, SOFT = 1, 2  # of the ways of stopping
QUICK = 0.8  # by how much more leaving has to explain than resting, that hands came back as quickly as they met
SLOWLY_S, RESTING_S = 0.028, 0.04  # ± where they did not: how they stopped is not seen, and whether they rest even less
EXPOSED = 0.12  # of a period, that a picture shows what is on average later than its time
PICTURES = 24  # of one clap that are compared


@dataclass(frozen=True)
class Ways:
    """That are tried: how long hands come (seconds), how fast they leave of that, how softly they stop (the power of time with which they near), and how soon
    pictures are as unlike as can be."""

    coming: tuple[float, ...]
    leaving: tuple[float, ...]
    stopping: tuple[float, ...]
    unlike: tuple[float, ...]


EVERY_WAY = Ways((0.08, 0.1, 0.125, 0.15, 0.175, 0.2, 0.25), (0.0, 0.25, 0.5, 1.0), (1.0, 1.5, 2.0), (0.1, 0.3, 1.0))
SOME_WAYS = Ways((0.09, 0.14, 0.21), (0.0, 0.3, 1.0), (1.5,), (0.3,))  # to find out where to look closely


def clap_offset(seen: Seen, sounds_s: F64, search_s: float = 0.6) -> EventOffset | None:
    """None where nothing that moves goes with the sounds within ± `search_s`."""
    if len(seen.times_s) < 8 or not len(sounds_s):
        return None
    coarse = _coarse(seen, sounds_s, search_s)
    if coarse is None:
        return None
    about, blocks, sounds_s = coarse
    moments = np.arange(-0.21, 0.2101, 0.015)
    around = [_unlike(seen, blocks, s + about) for s in sounds_s[:CLAPS]]
    there = [(s, a) for s, a in zip(sounds_s[:CLAPS], around, strict=True) if a is not None]
    if not there:
        return None
    rough = [_explained(times, unlike, moments, SOME_WAYS) for _, (times, unlike) in there]
    best = float(moments[np.argmax(sum(r.max(axis=(0, 1)) for r in rough))])
    fine = best + np.arange(-0.0275, 0.0276, 0.0035)
    curves = [_explained(times, unlike, fine) for _, (times, unlike) in there]
    return _together(seen.period_s, about, fine, curves, np.array([s for s, _ in there]))


def _coarse(seen: Seen, sounds_s: F64, search_s: float) -> tuple[float, I64, F64] | None:
    """(about how much later the movement is, the blocks that move, the sounds with which they do), or None. Other things may sound sharply between claps."""
    times = seen.times_s
    moved = np.vstack([np.zeros((1, seen.moved.shape[1])), np.cumsum(seen.moved[1:], axis=0, dtype=np.float64)])

    def more(at: F64) -> F64:
        """How much more moves around each moment, above all before it, than farther from it, [moments, blocks]: hands come, and then they rest, or come back."""
        here, since, until = (_at(times, moved, at + d) for d in (0.0, -WIDTH_S, WIDTH_S))
        far = _at(times, moved, at + 3 * WIDTH_S) - _at(times, moved, at - 3 * WIDTH_S)
        return 1.5 * (here - since) + 0.5 * (until - here) - far / 3

    usual = more(np.arange(times[0] + WIDTH_S, times[-1], STEP_S * 3))
    if not len(usual):
        return None
    spread = usual.std(axis=0) + 1e-3 * max(1e-6, float(usual.std())) + 1e-6
    offsets = np.arange(-search_s, search_s + STEP_S / 2, STEP_S)
    inside = sounds_s[(sounds_s > times[0] - search_s) & (sounds_s < times[-1] + search_s)]
    if not len(inside):
        return None
    at = (inside[:, None] + offsets[None, :]).ravel()
    each = more(at).reshape(len(inside), len(offsets), -1) / spread
    # Even claps fit one beat later as well: the nearest counts.
    nearer = 1 - 0.3 * np.abs(offsets) / search_s
    for count, least in ((len(inside), SURE if len(inside) > 2 else 2.0), (max(4, len(inside) // 5), SURE_OF_SOME)):
        if count > len(inside):
            break
        sure = np.sort(each, axis=0)[-count:].mean(axis=0) * count**0.5
        best = int(np.argmax(np.sort(sure, axis=1)[:, -3:].mean(axis=1) * nearer))
        most = float(sure[best].max())
        if most >= least:
            blocks = np.argsort(-sure[best], kind="stable")[:BLOCKS]
            blocks = np.sort(blocks[sure[best][blocks] >= max(HANDS * most, 1.5)])
            hands = each[:, best, np.argsort(-sure[best], kind="stable")[:3]].mean(axis=1)
            return float(offsets[best]), blocks, inside[hands >= WITH_HANDS * float(np.sort(hands)[-count:].mean())]
    return None


def _at(times: F64, totals: F64, at: F64) -> F64:
    """`totals` [n, blocks] at moments between those of `times`."""
    place = np.clip(np.interp(at, times, np.arange(len(times))), 0, len(times) - 1)
    low = np.minimum(place.astype(np.int64), len(times) - 2)
    share = (place - low)[:, None]
    return np.asarray(totals[low] * (1 - share) + totals[low + 1] * share)


def _unlike(seen: Seen, blocks: I64, at_s: float) -> tuple[F64, F32] | None:
    """(times from `at_s` on, how unlike every two pictures around it are [m, m])."""
    times, pictures = seen.around(at_s, REACH_S)
    if len(times) < 5:
        return None
    thin = -(-len(times) // PICTURES)
    times, pictures = times[::thin], pictures[::thin]
    pixels = pixels_of(pictures, blocks)
    pixels = pixels[:, :: -(-pixels.shape[1] // PIXELS)].astype(np.int16)
    unlike = np.stack([np.abs(pixels - p).mean(axis=1, dtype=np.float32) for p in pixels])
    return times - at_s, unlike


def _explained(times: F64, unlike: F32, moments: F64, ways: Ways = EVERY_WAY) -> F64:
    """How much of the unlikeness each moment of meeting explains at best, for hands that rest then and for those that leave, and every way of stopping:
    [2, stops, moments], from 0 to 1."""
    first, second = np.triu_indices(len(times), 1)
    seen = unlike[first, second]
    seen = seen - seen.mean()
    all_of_it = float(seen @ seen) or 1.0
    before = (moments[:, None] - times[None, :]).astype(np.float32)
    best = np.zeros((2, len(ways.stopping), len(moments)))
    for coming, leaving in product(ways.coming, ways.leaving):
        after = np.clip(-before * (leaving / coming), 0, 1)
        here = best[int(leaving > 0)]
        for s, stop in enumerate(ways.stopping):
            way = np.where(before > 0, np.clip(before / coming, 0, 1) ** stop, after)
            apart = np.abs(way[:, first] - way[:, second])
            for soon in ways.unlike:
                model = apart / (apart + np.float32(soon))
                model -= model.mean(axis=1, keepdims=True)
                together = np.maximum(model @ seen, 0.0)
                share = together * together / (np.einsum("ij,ij->i", model, model) * all_of_it + 1e-12)
                np.maximum(here[s], share, out=here[s])
    return best


def _together(period: float, about: float, moments: F64, curves: list[F64], sounds_s: F64) -> EventOffset | None:
    """One offset of all claps, where enough of them agree."""
    each = np.array([moments[int(np.argmax(c.max(axis=(0, 1))))] for c in curves])
    sure = np.array([c.max() for c in curves])
    good = sure >= LEAST_ALIKE
    if not good.any():
        return None
    # Where most of them agree: what sounds between claps has its moment anywhere.
    agree = good[None, :] & (np.abs(each[:, None] - each[None, :]) <= max(AGREE_S, period))
    near = agree[int(np.argmax(agree.sum(axis=1) * good))]
    near = good & (np.abs(each - float(np.median(each[near]))) <= max(AGREE_S, period))
    if near.sum() < MOST_AGREE * len(each):
        return None
    total = sum(c for c, n in zip(curves, near, strict=True) if n)
    assert isinstance(total, np.ndarray)
    left = float(total[1].max() - total[0].max()) / float(near.sum())
    peaks = [float(moments[0] + (moments[1] - moments[0]) * top_of(t)) for t in total.max(axis=0)]
    # Hard and soft stops look nearly alike: the way between them, and of hands that rest then the last is hardly seen.
    moment = (peaks[BETWEEN] if left > 0 else (peaks[BETWEEN] + peaks[SOFT]) / 2) + EXPOSED * period
    unsure = 0.0 if left > QUICK else SLOWLY_S if left > 0 else RESTING_S
    floor = max(period / 2, FLOOR_S)
    scatter = 1.4826 * float(np.median(np.abs(each[near] - float(np.median(each[near])))))
    spread = 1.96 * 1.25 * scatter / float(near.sum()) ** 0.5
    offset = about + moment
    return EventOffset(offset, max(floor, unsure, spread), sounds_s[near], sounds_s[near] + about + each[near])
