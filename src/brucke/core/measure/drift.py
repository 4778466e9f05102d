"""Two clocks against one another: how a recording slides against its reference, and where it jumps.

Conventions: float32 mono, shape (frames,), one rate for both. Positive: the recording is later, and gets later and
later. The lag is found in short windows, first coarsely; then once more on the recording stretched by what was found,
because a window in which the lag moves by many frames has no sharp peak. Steps and the straight line are fitted
together: a line fitted between steps alone leans where a step is missed.
"""

import math
from collections.abc import Callable
from functools import partial

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .candidates import Candidate
from .correlation import F32, correlate, decimate, find_peak
from .offset import level_db
from .repeating import period_s
from .stimulus import taper
from .views import Decimated, Sound, Stretched, levels_db

F64 = npt.NDArray[np.float64]
COARSE_HZ = 12_000
WINDOW_S = HOP_S = 1.0  # no overlap, so that the windows are independent
NEAR_S, FAR_S = 0.06, 2.0  # searched around where it was last, and where it is not there
START_S, START_SEARCH_S, START_HZ = 40.0, 30.0, 3000
FOUND, SURE = 5.0, 7.0  # peak over RMS near where it was, and anywhere
QUIET_DB = -70.0
LEAST_S = 8.0
LEAST_SHARE = 0.5  # of the windows that sound
TOGETHER_S = 0.004  # neighbours that belong to one line are not farther apart
STEP_S, MOST_STEPS = 0.67e-3, 40
MOST_LOOKS, SHARP_FRAMES = 3, 0.25  # looked at once more while the lag still moves by so much within a window
STEP_SURE = 6.0  # standard deviations of the windows
LOST, LOOK_AROUND_S, SURE_AROUND = (
    3,
    30.0,
    12.0,
)  # windows in a row not found, after which they are looked for far around
EDGE_S = 0.01  # so near to the end of what was looked through nothing is believed
MOST_UNSURE_PPM = 1000.0  # who knows it no better knows nothing


class Step(msgspec.Struct, frozen=True):
    """A jump of the lag, positive: later. It fell between `after_s` and `before_s`, in time of the reference."""

    at_s: float
    seconds: float
    after_s: float
    before_s: float


class Drift(msgspec.Struct, frozen=True):
    """`reason` is a code where nothing was found: “too_short”, “silent”, “no_match”, “edge”, “unsure”. `ppm_error` is
    95 %; `hunts` where the lag swings around the line by more than windows scatter. times_s, lags_s [windows] are what
    was fitted, `scatter_s` their spread around it; `matched` of `looked` windows were found. The recording is upside
    down where `polarity` is −1. `period_s`: the material repeats itself, and `start_s` may as well be one of the
    `rivals`."""

    match: bool
    reason: str = ""
    ppm: float = 0.0
    ppm_error: float = 0.0
    start_s: float = 0.0
    steps: tuple[Step, ...] = ()
    hunts: bool = False
    scatter_s: float = 0.0
    times_s: F64 = msgspec.field(default_factory=lambda: np.zeros(0))
    lags_s: F64 = msgspec.field(default_factory=lambda: np.zeros(0))
    looked: int = 0
    polarity: int = 1
    period_s: float = 0.0

    @property
    def matched(self) -> int:
        return len(self.times_s)

    @property
    def rivals(self) -> tuple[Candidate, ...]:
        """Of `start_s`."""
        if not self.period_s:
            return ()
        return tuple(Candidate(self.start_s + k * self.period_s) for k in (-1, 1))

    def after_s(self, seconds: float) -> float:
        """How much later it has become after so long, without steps."""
        return self.ppm * 1e-6 * seconds


def find_drift(reference: Sound, recording: Sound, rate_hz: int) -> Drift:
    """From two recordings of the same sound, eight seconds of it at least; of files, only what is looked at is read."""
    if min(len(reference), len(recording)) < LEAST_S * rate_hz:
        return Drift(False, "too_short")
    levels = levels_db(reference, rate_hz)
    if levels.max() < -90 or levels_db(recording, rate_hz).max() < -90:
        return Drift(False, "silent")
    step = max(1, rate_hz // COARSE_HZ)
    low, rate = Decimated(reference, step), rate_hz // step
    loud = float(10 * np.log10(np.mean(10 ** (levels / 10))))
    for late, polarity in _starts(low, Decimated(recording, step), rate, int(np.argmax(levels > QUIET_DB))):
        coarse = _lags(low, Decimated(recording, step, polarity), rate, partial(_still, late), loud)
        if coarse is not None:
            break
    else:
        return Drift(False, "no_match")
    line = _fit(coarse.times, coarse.lags)
    looked = coarse.looked
    for _ in range(MOST_LOOKS):
        fine = _second_look(reference, recording, rate_hz, line, polarity, loud)
        if fine is None:
            return Drift(False, "no_match")
        before, line, looked = line, _fit(fine.times, fine.lags), fine.looked
        if abs(line.slope - before.slope) * WINDOW_S * rate_hz < SHARP_FRAMES:
            break
    found = replace(_result(line, rate_hz), looked=looked, polarity=polarity)
    if START_SEARCH_S - abs(late) < EDGE_S:
        return Drift(False, "edge", looked=looked)
    if found.ppm_error > MOST_UNSURE_PPM:
        return Drift(False, "unsure", looked=looked)
    begin = max(0, round(found.times_s[0] - WINDOW_S) * rate)
    period = period_s(low[begin : begin + round(START_S) * rate], rate)
    # Of all that are as likely, the nearest.
    return replace(found, period_s=period, start_s=math.remainder(found.start_s, period) if period else found.start_s)


def line_through(times_s: F64, lags_s: F64, rate_hz: int) -> Drift:
    """The same as `find_drift`, from lags that are known already: `lags_s` [n] seen at `times_s` [n], both in seconds,
    a dozen of them at least."""
    return _result(_fit(times_s, lags_s), rate_hz)


class _Line(msgspec.Struct, frozen=True):
    times: F64
    lags: F64
    start: float
    slope: float
    steps: tuple[tuple[int, float], ...]  # (index of the first window after it, seconds)

    def left(self) -> F64:
        """What neither line nor steps explain."""
        left = self.lags - self.start - self.slope * self.times
        for i, size in self.steps:
            left[i:] -= size
        return left

    def of_steps(self, at: float) -> float:
        return sum(size for i, size in self.steps if self.times[i] <= at)


def _starts(low: Sound, heard: Sound, rate: int, begin_s: int) -> list[tuple[float, int]]:
    """(how much later the recording is at its beginning, roughly, its polarity), what stands out most first; none where
    its beginning has nothing in common. `begin_s`: nothing sounds before."""
    step = max(1, rate // START_HZ)
    r, begin = rate // step, begin_s * rate
    reach = round(START_SEARCH_S * r)
    found = []
    # Clocks that run far apart blur a long stretch, noise hides a short one.
    for seconds in (START_S, START_S / 4):
        a = decimate(low[begin : begin + round(seconds * rate)], step)
        first = max(0, begin - reach * step)
        b, base = decimate(heard[first : begin + (len(a) + reach) * step], step), (begin - first) // step
        if len(b) < r:
            continue
        c = correlate(taper(a, r), taper(b, r), (base - reach, base + reach), rho=0.5)
        for polarity in (1, -1):
            peak = find_peak(replace(c, values=polarity * c.values), r, signed=False)
            if peak.to_rms > SURE:
                found.append((peak.to_rms, (peak.lag - base) / r, polarity))
    return [(late, polarity) for _, late, polarity in sorted(found, reverse=True)]


def _still(late_s: float, _at_s: float) -> float:
    return late_s


class _Found(msgspec.Struct, frozen=True):
    """times, lags [windows] in seconds, of so many that were looked for."""

    times: F64
    lags: F64
    looked: int


def _lags(
    reference: Sound, recording: Sound, rate: int, expected: Callable[[float], float], loud: float
) -> _Found | None:
    """Where enough of what sounds was found; `expected(time)` is where the lag is looked for first, `loud` the level of
    the reference in dB."""
    length, hop = round(WINDOW_S * rate), round(HOP_S * rate)
    times, lags, looked, lost = [], [], 0, 0
    moved = 0.0  # from where it is expected, as last seen
    for begin in range(0, len(reference) - length + 1, hop):
        window = reference[begin : begin + length]
        if level_db(window) < max(QUIET_DB, loud - 40):
            continue
        middle = (begin + length / 2) / rate
        near = expected(middle) + moved
        if not -length < begin + near * rate < len(recording):
            continue
        looked += 1
        found = _find(window, recording, begin, near, rate, NEAR_S, FOUND)
        if found is None:
            found = _find(window, recording, begin, near, rate, FAR_S, SURE)
        if found is None and lost and lost % LOST == 0:
            found = _find(window, recording, begin, near, rate, LOOK_AROUND_S, SURE_AROUND)
        lost = 0 if found is not None else lost + 1
        if found is None:
            continue
        moved = found - expected(middle)
        times.append(middle)
        lags.append(found)
    return _kept(np.array(times), np.array(lags), looked)


def _find(
    window: F32, recording: Sound, begin: int, near_s: float, rate: int, reach_s: float, sure: float
) -> float | None:
    reach = round(reach_s * rate)
    first = begin + round(near_s * rate) - reach
    low, high = max(0, first), min(len(recording), first + len(window) + 2 * reach)
    if high - low < len(window):
        return None
    heard = recording[low:high]
    if level_db(heard) < QUIET_DB - 20:
        return None
    peak = find_peak(
        correlate(taper(window, rate), taper(heard, rate), (0, high - low - len(window))), rate, signed=False
    )
    return (peak.lag + low - begin) / rate if peak.to_rms > sure and peak.second < 0.9 else None


def _kept(times: F64, lags: F64, looked: int) -> _Found | None:
    """Those that have a neighbour with nearly their lag; None where too few do."""
    if len(times) < 6:
        return None
    beside = np.abs(np.diff(lags)) < TOGETHER_S
    good = np.concatenate([[False], beside]) | np.concatenate([beside, [False]])
    if good.sum() < max(6, LEAST_SHARE * looked):
        return None
    return _Found(times[good], lags[good], looked)


def _second_look(
    reference: Sound, recording: Sound, rate: int, line: _Line, polarity: int, loud: float
) -> _Found | None:
    """The lags once more, on the recording stretched to the reference's clock."""
    # A frame k of it is frame k·(1 + slope) of the recording, so its lag is short of the recording's by what the line
    # has grown.
    share = 1 + line.slope
    stretched = Stretched(recording, line.slope, polarity)
    found = _lags(reference, stretched, rate, lambda t: (line.start + line.of_steps(t)) / share, loud)
    return None if found is None else replace(found, lags=(found.times + found.lags) * share - found.times)


def _fit(times: F64, lags: F64) -> _Line:
    """A straight line and steps, together; a step is taken in while it is far more than windows scatter, and left out
    again where the others explain it."""
    steps: list[int] = []
    weight = np.ones(len(times))
    for _ in range(MOST_STEPS):
        line = _solve(times, lags, steps, weight)
        left = line.left()
        spread = _spread(left, steps)
        weight = (np.abs(left) < 6 * spread + 1e-5).astype(float)
        best = _next_step(left, steps, spread)
        if best is None:
            break
        steps = sorted({*steps, best})
    while steps:
        weight = np.ones(len(times))
        line = _solve(times, lags, steps, weight)
        spread = _spread(line.left(), steps)
        weak = [(abs(size), i) for i, size in line.steps if abs(size) < STEP_SURE * spread or abs(size) < STEP_S]
        if not weak:
            break
        steps.remove(min(weak)[1])
    line = _solve(times, lags, steps, np.ones(len(times)))
    left = line.left()
    return _solve(times, lags, steps, (np.abs(left) < 6 * _spread(left, steps) + 1e-6).astype(float))


def _model(times: F64, steps: list[int]) -> F64:
    """[windows, 2 + steps]: what start, slope and each step add to the lags."""
    after = [(np.arange(len(times)) >= i).astype(float) for i in steps]
    return np.stack([np.ones(len(times)), times, *after], axis=1)


def _solve(times: F64, lags: F64, steps: list[int], weight: F64) -> _Line:
    model = _model(times, steps)
    solved = np.linalg.lstsq(model * weight[:, None], lags * weight, rcond=None)[0]
    return _Line(
        times, lags, float(solved[0]), float(solved[1]), tuple(zip(steps, map(float, solved[2:]), strict=True))
    )


def _spread(left: F64, steps: list[int]) -> float:
    """How windows scatter from one to the next, whatever slow swings there are."""
    bends = np.diff(left, 2)
    touched = [k for i in steps for k in (i - 2, i - 1) if 0 <= k < len(bends)]
    bends = np.delete(bends, touched)
    return max(1.4826 * float(np.median(np.abs(bends))) / 6**0.5, 1e-7) if len(bends) else 1e-7


def _next_step(left: F64, steps: list[int], spread: float) -> int | None:
    """The first window after the greatest jump that is left; None where none is one. A jump happens from one window to
    the next; what takes longer is a clock that swings."""
    least = max(STEP_SURE * spread, STEP_S)
    best, most = None, least
    for i in range(2, len(left) - 1):
        if i in steps or abs(left[i] - left[i - 1]) < 0.6 * least:
            continue
        jump = abs(float(np.median(left[i : i + 6])) - float(np.median(left[max(0, i - 6) : i])))
        if jump > most and abs(left[i] - left[i - 1]) >= 0.6 * jump:
            best, most = i, jump
    return best


def _result(line: _Line, rate_hz: int) -> Drift:
    from scipy import stats

    times, left = line.times, line.left()
    n = len(times)
    # A buffer that hunts swings slowly: so many of the windows count as one.
    alike = _together(left)
    free = max(2.0, n / alike - 2 - len(line.steps))
    at = [i for i, _ in line.steps]
    columns = _model(times, at)
    unsure = float(np.linalg.pinv(columns.T @ columns)[1, 1])
    error = float(stats.t.ppf(0.975, free)) * float(np.sqrt(np.sum(left**2) / max(1, n - 2) * unsure * alike))
    error = max(error, _bent(line) / 2)
    spread = _spread(left, at)
    steps = tuple(
        Step(float(times[i - 1] + times[i]) / 2, size, float(times[i - 1]), float(times[i])) for i, size in line.steps
    )
    wide = 1.4826 * float(np.median(np.abs(left)))
    return Drift(
        True, "", line.slope * 1e6, max(error * 1e6, 0.01), line.start, steps, wide > max(4 * spread, 1.0 / rate_hz),
        wide, times, line.lags
    )  # fmt: skip


def _bent(line: _Line) -> float:
    """How much the slope of the second half differs from that of the first, steps taken out: a clock that changes has
    no one drift."""
    from scipy import stats

    n = len(line.times)
    if n < 8:
        return 0.0
    straight = line.left() + line.slope * line.times
    halves = [stats.theilslopes(straight[p], line.times[p]) for p in (slice(None, n // 2), slice(n // 2, None))]
    apart = abs(float(halves[1].slope - halves[0].slope))
    # What windows scatter bends a line, too.
    unsure = float(np.hypot(*[(h.high_slope - h.low_slope) / 2 for h in halves]))
    return apart if apart > unsure else 0.0


def _together(left: F64) -> float:
    """How many neighbouring values count as one: the sum of their correlations until they are none."""
    n = len(left)
    x = left - left.mean()
    power = float(x @ x)
    if power <= 0:
        return 1.0
    total = 1.0
    for k in range(1, n // 2):
        r = float(x[:-k] @ x[k:]) / power
        if r <= 0:
            break
        total += 2 * r
    return max(1.0, total)
