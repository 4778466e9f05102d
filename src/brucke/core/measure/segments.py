"""Segments of a recording that vote for one lag, lags on a line, or two lags one after the other.

Conventions: float32 mono, shape (frames,), at about 16 kHz where nothing else is said; positive lags: the recording is
later.
"""

import msgspec
import numpy as np

from .correlation import F32, F64, PAD, correlate, decimate, find_peak
from .stimulus import taper

VOTE_S = 0.25e-3  # so near to a lag is a vote for it
TIE = 0.9  # of a segment's highest peak, from which on another is as good a vote
QUIET = 0.01  # of the whole's amplitude, below which a segment has no vote
SLIDE_HZ, SLIDE_S, MOST_PPM = 4000, 3.0, 500.0
SLIDE_STEP_S, SLIDE_BETTER = 0.15e-3, 1.2  # a slope has to stack the segments so much higher than none


class Segment(msgspec.Struct, frozen=True):
    """`curve` [lags] is the correlation from the lag −reach on, `begin` and `frames` of the reference."""

    begin: int
    frames: int
    curve: F64

    @property
    def top(self) -> int:
        return int(np.argmax(np.abs(self.curve)))


class Segments(msgspec.Struct, frozen=True):
    """Of equal length, those that sound; lags in frames of `rate`."""

    each: tuple[Segment, ...]
    rate: int
    reach: int

    @classmethod
    def of(cls, a: F32, b: F32, rate: int, search_s: float, count: int) -> "Segments":
        """`count` segments of the reference `a` [n], each looked for in `b` [m] within ± `search_s` seconds; none where
        they would be shorter than a quarter of a second."""
        reach = round(search_s * rate)
        length = min(len(a), len(b)) // count
        if length < rate // 4:
            return cls((), rate, reach)
        loud = QUIET * float(np.sqrt(np.mean(np.square(a, dtype=np.float64))))
        found = []
        for begin in range(0, count * length, length):
            one = a[begin : begin + length]
            if float(np.sqrt(np.mean(np.square(one, dtype=np.float64)))) < loud:
                continue
            low, high = max(0, begin - reach), min(len(b), begin + length + reach)
            heard = np.pad(taper(b[low:high], rate), (max(0, reach - begin), max(0, begin + length + reach - len(b))))
            curve = correlate(taper(one, rate), heard, (0, 2 * reach)).values[PAD:-PAD]
            found.append(Segment(begin, length, curve))
        return cls(tuple(found), rate, reach)

    @property
    def voters(self) -> int:
        return len(self.each)

    def agreeing(self, lag: float, polarity: int) -> list[tuple[float, float]]:
        """(begin, end) in seconds of the segments for which `lag` is as good as their best."""
        near = max(1, round(VOTE_S * self.rate))
        here = round(lag) + self.reach
        found = []
        for s in self.each:
            piece = polarity * s.curve[max(0, here - near) : here + near + 1]
            if len(piece) and float(piece.max()) >= TIE * abs(float(s.curve[s.top])):
                found.append((s.begin / self.rate, (s.begin + s.frames) / self.rate))
        return found

    def split(self, share: float) -> tuple[float, float, float, int, int] | None:
        """(when, lag before, lag after, how many agree, polarity) in seconds where one jump explains that share of the
        segments, on either side most of them."""
        tops = np.array([s.top - self.reach for s in self.each]) / self.rate
        signs = np.array([np.sign(s.curve[s.top]) for s in self.each])
        n, best = len(tops), None
        for at in range(2, n - 1):
            before, after = (float(np.median(x)) for x in (tops[:at], tops[at:]))
            good = np.abs(tops - np.where(np.arange(n) < at, before, after)) <= 2 * VOTE_S
            if good[:at].sum() < max(2, 0.6 * at) or good[at:].sum() < max(2, 0.6 * (n - at)):
                continue
            if abs(after - before) <= 4 * VOTE_S or good.sum() < share * n or abs(signs[good].sum()) < good.sum():
                continue
            if best is None or good.sum() > best[3]:
                where = self.each[at].begin / self.rate
                best = (where, before, after, int(good.sum()), int(signs[good][0]))
        return best


def sliding(a: F32, b: F32, rate: int, search_s: float) -> float:
    """The slope (seconds per second) along which segments of `a` [n] stack up highest in `b` [m], found roughly; 0
    where none is clearly better than standing still."""
    step = max(1, rate // SLIDE_HZ)
    low_a, low_b, r = decimate(a, step), decimate(b, step), rate // step
    count = int(np.clip(len(low_a) / r / SLIDE_S, 8, 32))
    segments = Segments.of(low_a, low_b, r, search_s, count)
    if segments.voters < 4:
        return 0.0
    middles = np.array([(s.begin + s.frames / 2) / r for s in segments.each])
    middles -= middles.mean()
    curves = np.stack([np.abs(s.curve) / (float(np.sqrt(np.mean(s.curve**2))) or 1.0) for s in segments.each])
    # A lag that moves within a segment, or falls between two frames, is still near.
    curves = np.maximum(curves, np.maximum(np.roll(curves, 1, axis=1), np.roll(curves, -1, axis=1)))
    most = MOST_PPM * 1e-6
    slopes = np.arange(-most, most, SLIDE_STEP_S / max(1.0, float(np.ptp(middles)) / 2))

    def height(slope: float) -> float:
        moved = np.round(slope * middles * r).astype(int)
        return float(sum(np.roll(c, -m) for c, m in zip(curves, moved, strict=True)).max())

    heights = np.array([height(float(s)) for s in slopes])
    if heights.max() <= SLIDE_BETTER * height(0.0):
        return 0.0
    # Neighbouring slopes stack as high: the middle of them.
    return float(slopes[heights >= 0.98 * heights.max()].mean())


def fine_lags(a: F32, b: F32, rate: int, lag: int, stretches: list[tuple[float, float]]) -> tuple[F64, F64]:
    """(middles [k], lags [k]) in seconds of stretches (begin, end) of the reference `a` [n], each looked for in `b` [m]
    within a millisecond of `lag` frames, at the full rate."""
    reach = max(2, round(1e-3 * rate))
    times, lags = [], []
    for begin_s, end_s in stretches:
        begin, end = round(begin_s * rate), round(end_s * rate)
        first = begin + lag - reach
        if first < 0 or end + lag + reach > len(b):
            continue
        heard = b[first : end + lag + reach]
        found = find_peak(correlate(taper(a[begin:end], rate), taper(heard, rate), (0, 2 * reach)), rate)
        times.append((begin + end) / 2 / rate)
        lags.append((found.lag + first - begin) / rate)
    return np.array(times), np.array(lags)


class Line(msgspec.Struct, frozen=True):
    """Lags over time: `at_middle` seconds at `middle_s`, `slope` seconds per second; errors 95 %."""

    middle_s: float
    at_middle: float
    slope: float
    error_at_middle: float
    slope_error: float

    def at(self, seconds: float) -> float:
        return self.at_middle + self.slope * (seconds - self.middle_s)

    def error_at(self, seconds: float) -> float:
        return float(np.hypot(self.error_at_middle, self.slope_error * (seconds - self.middle_s)))


def straight_line(times: F64, lags: F64) -> Line:
    """A line through `lags` [n] at `times` [n], both in seconds, of which a few may lie apart; no slope of fewer than
    four."""
    from scipy import stats

    n = len(times)
    if n == 0:
        return Line(0.0, 0.0, 0.0, 0.0, 0.0)
    middle, lag = float(np.mean(times)), float(np.median(lags))
    if n < 4:
        return Line(middle, lag, 0.0, float(np.ptp(lags)), 0.0)
    near = np.ones(n, bool)
    for _ in range(3):
        fit = stats.linregress(times[near], lags[near])
        left = lags - fit.intercept - fit.slope * times
        spread = max(1.4826 * float(np.median(np.abs(left[near]))), 1e-6)
        near = np.abs(left) <= 5 * spread
        if near.sum() < 4:
            return Line(middle, lag, 0.0, float(np.ptp(lags)), 0.0)
    m = int(near.sum())
    sure = float(stats.t.ppf(0.975, m - 2))
    scatter = float(np.sqrt(np.sum(left[near] ** 2) / (m - 2)))
    middle = float(times[near].mean())
    return Line(
        middle, float(fit.intercept + fit.slope * middle), float(fit.slope), sure * scatter / m**0.5,
        sure * float(fit.stderr)
    )  # fmt: skip
