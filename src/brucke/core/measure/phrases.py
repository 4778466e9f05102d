"""Voice against music, phrase by phrase: what is fixed, how much the singer scatters, and whether it slides.

Conventions: float32 mono, shape (frames,), one rate for both, both beginning together. Positive: the voice is later
than the music. Two different sounds on the same beats have no waveform in common, so what is compared is when something
begins in them: the rise of their spectra (Bello et al. 2005, A tutorial on onset detection in music signals: spectral
flux).
"""

import msgspec
import numpy as np
import numpy.typing as npt

from .candidates import Candidate, clearer_beyond, judge
from .correlation import F32, top_of
from .offset import level_db

F64 = npt.NDArray[np.float64]
HOP_S, WINDOW_S, BACK_S = 0.002, 0.012, 0.010
FREQUENCIES_HZ = (80.0, 12_000.0)
SEARCH_S, LOOK_S = 0.5, 1.6  # what is accepted, and so far is looked for what may be meant as well
EDGE_S = 0.01
TIE, NAMED = 0.9, 0.8
SAME_PATTERN = 0.9  # so alike are what two phrases say, where both are the same pattern again
MUCH_ALIKE = 0.42  # as unlike sounds hardly ever are
NEAR_S = 0.09  # around the offset of all phrases, that of one is looked for
AGREE_S = 0.06
PAUSE_S, SHORTEST_S, LONGEST_S = 0.35, 0.5, 5.0  # between phrases; of one phrase
QUIET_DB = 32.0  # below the loudest
LEAST_S = 4.0
CHANCE = 0.01
ATTACK_S = 0.005  # so differently may what sounds alike begin


class PhraseOffsets(msgspec.Struct, frozen=True):
    """`reason` is a code where nothing was found: “too_short”, “silent”, “no_match”. `plus_minus_s` is 95 % of the
    median, `scatter_s` the spread of the phrases around their trend, `trend` seconds per second with its own ±.
    times_s, offsets_s [phrases]; `of` is how many phrases there were, with `matched` of which the offset agrees. Where
    beats are even, the nearest is taken to be meant and the others are `rivals`."""

    match: bool
    reason: str = ""
    seconds: float = 0.0
    plus_minus_s: float = 0.0
    scatter_s: float = 0.0
    trend: float = 0.0
    trend_plus_minus: float = 0.0
    of: int = 0
    times_s: F64 = msgspec.field(default_factory=lambda: np.zeros(0))
    offsets_s: F64 = msgspec.field(default_factory=lambda: np.zeros(0))
    matched: int = 0
    rivals: tuple[Candidate, ...] = ()

    @property
    def phrases(self) -> int:
        return len(self.times_s)

    @property
    def slides(self) -> bool:
        """Whether the trend is more than accident."""
        return abs(self.trend) > self.trend_plus_minus


def beginnings(sound: F32, rate_hz: int) -> F64:
    """How much begins in `sound` [frames] at each step of HOP_S. Returns [steps]: what the spectrum gains over BACK_S,
    in whole bands and compressed as ears do."""
    size = 1 << int(np.ceil(np.log2(WINDOW_S * rate_hz)))
    hop = HOP_S * rate_hz
    starts = np.arange(0, max(1, len(sound) - size), hop).astype(np.int64)
    edges = np.geomspace(FREQUENCIES_HZ[0], min(FREQUENCIES_HZ[1], 0.45 * rate_hz), 25)
    bins = np.unique(np.clip(np.searchsorted(np.fft.rfftfreq(size, 1 / rate_hz), edges), 1, size // 2))
    window = np.hanning(size).astype(np.float32)
    bands = np.empty((len(starts), len(bins) - 1), np.float32)
    for i in range(0, len(starts), 4096):
        pieces = sound[np.minimum(starts[i : i + 4096, None] + np.arange(size)[None, :], len(sound) - 1)]
        power = np.abs(np.fft.rfft(pieces * window, axis=1)) ** 2
        bands[i : i + 4096] = np.add.reduceat(power, bins[:-1], axis=1)[:, : len(bins) - 1]
    loud = float(bands.max(initial=0.0)) or 1.0
    level = np.log1p(bands * (1e4 / loud))
    back = round(BACK_S / HOP_S)
    gain = np.maximum(0.0, level[back:] - level[:-back]).sum(axis=1)
    return np.concatenate([np.zeros(back), gain])


def phrases_of(sound: F32, rate_hz: int) -> list[tuple[float, float]]:
    """(begin, end) in seconds of what is sung in `sound` [frames] without a pause, none longer than LONGEST_S."""
    step = round(0.02 * rate_hz)
    count = len(sound) // step
    level = np.sqrt(np.square(sound[: count * step], dtype=np.float64).reshape(count, step).mean(axis=1))
    on = level > max(10 ** (-QUIET_DB / 20) * np.percentile(level, 98), 1e-5)
    found: list[list[float]] = []
    for i in np.flatnonzero(on):
        at = i * 0.02
        if found and at - found[-1][1] <= PAUSE_S:
            found[-1][1] = at + 0.02
        else:
            found.append([at, at + 0.02])
    pieces = []
    for begin, end in found:
        if end - begin >= SHORTEST_S:
            parts = int(np.ceil((end - begin) / LONGEST_S))
            edges = np.linspace(begin, end, parts + 1)
            pieces += list(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True))
    return pieces


def phrase_offsets(voice: F32, music: F32, rate_hz: int) -> PhraseOffsets:
    """How much later than `music` [frames] `voice` [frames] is, phrase by phrase, in seconds. Both begin together,
    at `rate_hz`. Where there is no match `reason` says why."""
    length = min(len(voice), len(music))
    if length < LEAST_S * rate_hz:
        return PhraseOffsets(False, "too_short")
    if level_db(voice) < -80 or level_db(music) < -80:
        return PhraseOffsets(False, "silent")
    sung, played = beginnings(voice[:length], rate_hz), beginnings(music[:length], rate_hz)
    phrases = phrases_of(voice[:length], rate_hz)
    reach = round(LOOK_S / HOP_S)
    curves, times = [], []
    for begin, end in phrases:
        curve = _alike(sung, played, round((begin - 0.05) / HOP_S), round((end + 0.05) / HOP_S), reach)
        if curve is not None:
            curves.append(curve)
            times.append((begin + end) / 2)
    if not curves:
        return PhraseOffsets(False, "silent", of=len(phrases))
    unlike = 1.25 * abs(_rising_s(sung) - _rising_s(played)) + ATTACK_S
    return _result(np.array(times), np.stack(curves), len(phrases), unlike)


LAGS_S = np.arange(-round(LOOK_S / HOP_S), round(LOOK_S / HOP_S) + 1) * HOP_S
WITHIN = np.abs(LAGS_S) <= SEARCH_S


def _candidates(total: F64) -> list[Candidate]:
    """Every lag at which all phrases together are alike; the first is the one that is meant, of several that are about
    as alike the nearest."""
    from scipy import signal

    near = np.where(WITHIN, total * (1 - 0.25 * np.abs(LAGS_S) / SEARCH_S), -np.inf)
    best = int(np.argmax(near))
    highest = float(total[best]) or 1.0
    edge = SEARCH_S - abs(float(LAGS_S[best])) < EDGE_S
    found = [Candidate(float(LAGS_S[best]), 0.0, 1.0, edge)]
    tops, _ = signal.find_peaks(total, distance=round(AGREE_S / HOP_S))
    others = [
        Candidate(float(LAGS_S[t]), HOP_S, float(total[t]) / highest) for t in tops if abs(t - best) * HOP_S > AGREE_S
    ]
    return found + sorted(others, key=lambda c: -c.weight)


def _agreeing(curves: F64, lag: float) -> tuple[int, float]:
    """(phrases for which nothing in the range is clearly better than near `lag`, how likely that is by accident of one
    of them)."""
    from scipy import ndimage

    around = ndimage.maximum_filter1d(curves[:, WITHIN], 2 * round(AGREE_S / HOP_S) + 1, axis=1)
    good = around >= TIE * around.max(axis=1, keepdims=True)
    here = int(np.argmin(np.abs(LAGS_S[WITHIN] - lag)))
    return int(good[:, here].sum()), float(good.mean())


def _one_pattern(curves: F64, lag: float) -> bool:
    """Whether every phrase is the same again, so that many of them tell no more than one: also away from where all meet
    they say the same."""
    elsewhere = curves[:, WITHIN & (np.abs(LAGS_S - lag) > NEAR_S)]
    rows = elsewhere[elsewhere.std(axis=1) > 1e-9]
    if len(rows) < 2:
        return False
    return float(np.median(np.corrcoef(rows)[np.triu_indices(len(rows), 1)])) > SAME_PATTERN


def _rising_s(beginnings: F64) -> float:
    """How long what begins usually takes to: nobody knows where in it the beat is felt."""
    from scipy import signal

    peaks, _ = signal.find_peaks(
        beginnings, height=0.3 * float(beginnings.max(initial=0.0)), distance=round(0.1 / HOP_S)
    )
    return float(np.median(signal.peak_widths(beginnings, peaks)[0])) * HOP_S if len(peaks) else 0.0


def _alike(sung: F64, played: F64, begin: int, end: int, reach: int) -> F64 | None:
    """How alike the beginnings of one phrase are to the music's, for the voice later by −reach to reach steps."""
    begin, end = max(0, begin), min(len(sung), end)
    one = sung[begin:end]
    low, high = begin - reach, end + reach
    other = np.pad(played[max(0, low) : high], (max(0, -low), max(0, high - len(played))))
    if len(one) < 50 or one.std() < 1e-9 or other.std() < 1e-9:
        return None
    one = one - one.mean()
    sums = np.correlate(other, one, "valid")
    ones = np.ones(len(one))
    power = np.correlate(other**2, ones, "valid") - np.correlate(other, ones, "valid") ** 2 / len(one)
    # The music that lies k steps before the voice stands k steps earlier in it.
    return np.asarray((sums / np.sqrt(np.maximum(power, 1e-9) * float(one @ one)))[::-1])


def _result(times: F64, curves: F64, count: int, unlike_s: float) -> PhraseOffsets:
    from scipy import stats

    n = len(curves)
    total = curves.mean(axis=0)
    candidates = _candidates(total)
    all_of = candidates[0].value
    # Each phrase for itself, anywhere in the range, has to lead to the same place more often than by accident; of few,
    # half of them, and they have to be much alike.
    agreeing, by_accident = _agreeing(curves, all_of)
    alike = float(total[np.argmin(np.abs(LAGS_S - all_of))])
    sure = stats.binom.sf(agreeing - 1, n, by_accident) <= CHANCE and agreeing >= 0.4 * n
    sure = sure or (agreeing >= 0.5 * n and alike >= MUCH_ALIKE)
    judged = judge(candidates, bool(sure), named=NAMED, ties_named=True)
    if judged.accepted and not judged.rivals and _one_pattern(curves, all_of):
        judged = judge(candidates, True, period=LOOK_S)  # it comes again later than was looked for
    clearer = clearer_beyond(candidates[1:], SEARCH_S)
    if not judged.accepted or clearer:
        return PhraseOffsets(
            False, judged.reason or "no_match", of=count, matched=agreeing, rivals=clearer if sure else ()
        )
    near = np.abs(LAGS_S - all_of) <= NEAR_S
    each = np.array([LAGS_S[near][0] + HOP_S * top_of(c[near]) for c in curves])
    median = float(np.median(each))
    line = stats.theilslopes(each, times) if n >= 4 else None
    trend = float(line.slope) if line is not None else 0.0
    unsure = float(line.high_slope - line.low_slope) / 2 if line is not None else float("inf")
    slides = line is not None and abs(trend) > unsure
    around = each - (median + trend * (times - np.median(times)) if slides else median)
    scatter = 1.4826 * float(np.median(np.abs(around)))
    scatter = max(scatter, float(np.std(around)) * 0.5) if n > 2 else max(scatter, float(np.ptp(each)))
    error = 1.25 * scatter / n**0.5 * float(stats.t.ppf(0.975, max(1, n - 1)))
    return PhraseOffsets(
        True, "", median, float(np.hypot(error, unlike_s)), scatter, trend, unsure if np.isfinite(unsure) else 0.0,
        count, times, each, agreeing, judged.rivals
    )  # fmt: skip
