"""What a path does to sound on its way: whether something takes out noise or echo, gates, levels, filters or folds to
one channel.

Conventions: float32 [2, frames] as it was sent, [channels, frames] as it came back, one rate for both. Everything is
looked at in windows of a second, each with its own delay: a path may wander, lose pieces and stretch others.
`path_test_signal.py` makes a sound in which all of it can be told; in another sound some cannot, and that is said.

What a clean path with a coder leaves, and what processors do to it, was tried on FFmpeg's filters and on real coders;
thresholds stand between the two.
"""

import itertools
from collections.abc import Callable, Iterator
from functools import partial

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .correlation import F32, correlate, decimate, find_peak
from .offset import level_db
from .stimulus import taper
from .whole_path import ROOM_LINEAR, arrivals, dead_side_db, echo_s, linear_share, opposite_sides, power_of

F64 = npt.NDArray[np.float64]
WINDOW_S, HOP_S, SEGMENT = 1.0, 0.5, 1024
COARSE_HZ, NEAR_S, FOUND = 6000, 0.3, 6.0
LOUD_DB, HEARD_DB, SOFT_DB, NOTHING_DB = -30.0, -42.0, -68.0, -85.0
STEADY_DB = 1.0  # as little does the level of what is steady move
SETTLED_S = 1.5  # and so long do processors take to settle on it
TONAL = 0.9
LEAST_LOUD, LEAST_LEVELS = 6, 6  # windows without which nothing can be said
BANDS_HZ = tuple(float(f) for f in 125 * 2 ** (np.arange(18) / 3))
NOISY_DB = 20.0  # a path whose own noise is no farther below what is loud tells nothing
ECHO_CERTAIN, ECHO_MAYBE = 0.86, 0.92  # how much of what returns is what was sent
NOISE_CUT_DB, PASSES_DB, GATE_DB = -2.5, -3.0, -6.0
LEVEL_SCATTER_DB, LEVEL_SLOPE, RAISED_DB = 0.35, 0.03, 2.0
MOVED_S, MOVED_SHARE, STILL_S = 0.01, 0.1, 0.001
FILTER_DB, EDGE_DB = 2.0, -20.0
SIDES_DB = -25.0
NOISE_ADDED_DB, ABOVE_FLOOR_DB = -65.0, 6.0


class Found(msgspec.Struct, frozen=True):
    """`what`: “echo_removal”, “noise_removal”, “gate”, “levelling”, “filter”, “folded”, “band_edge”, “dead_side”,
    “echo”, “room”, “noise”, “opposite”, “inverted”; `how_much` in its unit, dB but for echo removal and a room (the
    share of what returned that is not what was sent), the band's edge (Hz), an echo (seconds behind the first) and what
    is upside down or has opposite sides (none). Not `certain`: it may as well be the coder."""

    what: str
    how_much: float
    certain: bool


class PathReport(msgspec.Struct, frozen=True):
    """`verdict`: “clean”, “changed”, “unsure”; `not_judged` are codes of what this sound could not tell:
    “noise_or_gate”, “levelling”, “echo” (the delay wandered). `reason` is a code where nothing could be said: “silent”,
    “too_short”, “no_match”, “noisy”. `delay_s` is how much later it returned, in the middle."""

    verdict: str
    found: tuple[Found, ...] = ()
    not_judged: tuple[str, ...] = ()
    reason: str = ""
    delay_s: float = 0.0
    gain_db: float = 0.0


class _Window(msgspec.Struct, frozen=True):
    """One second: its level as it was sent and its gain on the way in dB; what is steady; how much of what returned is
    what was sent."""

    at_s: float
    kind: str  # "program", "noise", "tone", "silence"
    level: float
    gain: float
    coherence: float
    bands: F64
    side_sent: float
    side_back: float
    back: float
    lag: float


def look_at_path(sent: F32, returned: F32, rate_hz: int, two_sides: bool = False) -> PathReport:
    """What a path did to a sound: `sent` and `returned` [channels, frames], both at `rate_hz`. `two_sides`: the coder
    is known to carry two channels, so that folding is not its doing. What cannot be judged from this material is named
    in the report; where nothing can, `reason` says why."""
    if level_db(sent.ravel()) < NOTHING_DB or level_db(returned.ravel()) < NOTHING_DB:
        return PathReport("unsure", reason="silent")
    if min(sent.shape[1], returned.shape[1]) < 8 * rate_hz:
        return PathReport("unsure", reason="too_short")
    source, back = _alike(sent, returned, rate_hz)
    returns = arrivals(source, back, rate_hz)
    if not returns:
        return PathReport("unsure", reason="no_match")
    lag, _, polarity = returns[0]
    back = np.float32(polarity) * back
    windows = list(_windows(sent, source, returned, back, rate_hz, lag))
    loud = [w for w in windows if w.kind == "program" and w.level > LOUD_DB]
    if len(loud) < LEAST_LOUD:
        return PathReport("unsure", reason="too_short")
    apart, not_judged = echo_s(returns), []
    lags = np.array([w.lag for w in loud])
    if float(np.mean(np.abs(np.abs(lags - np.median(lags)) - apart) < MOVED_S)) > MOVED_SHARE:
        apart = 0.0  # some seconds came then and the others now: a delay that jumped, and nothing twice
    elif apart and float(np.ptp(np.quantile(lags, (0.1, 0.9)))) > MOVED_S:
        apart, not_judged = 0.0, ["echo"]  # a delay that wanders looks like that, too
    silent = [w.back for w in windows if w.kind == "silence"]
    # What is heard again later fills the silence behind it.
    floor = (min(silent) if apart else max(silent)) if silent else -120.0
    if floor > float(np.median([w.back for w in loud])) - NOISY_DB:
        return PathReport("unsure", reason="noisy")
    if float(np.quantile([w.coherence for w in loud], 0.75)) < 0.25:
        return PathReport("unsure", reason="no_match")
    more = []
    if lost := dead_side_db(sent, returned):
        more.append(Found("dead_side", lost, True))
    if apart:
        more.append(Found("echo", apart, True))
    if floor > NOISE_ADDED_DB:
        more.append(Found("noise", floor, True))
    if opposite_sides(returned) and not opposite_sides(sent):
        more.append(Found("opposite", 0.0, True))
    if polarity < 0:
        more.append(Found("inverted", 0.0, True))
    steady = partial(linear_share, source, back, rate_hz)
    least = floor + ABOVE_FLOOR_DB if floor > NOISE_ADDED_DB else -np.inf  # what is lost in added noise has no gain
    told = [w for w in windows if w.back > least or w.kind == "silence"]
    return _judge(told, loud, two_sides, more, not_judged, steady)


def _alike(sent: F32, returned: F32, rate: int) -> tuple[F32, F32]:
    """(what was sent, what returned) as one channel each: of both, or of the side that a path of one channel took."""
    back = returned[int(np.argmax(power_of(returned)))] if opposite_sides(returned) else returned.mean(axis=0)
    choices = [sent.mean(axis=0), sent[0], sent[-1]]
    step = max(1, rate // COARSE_HZ)
    low = taper(decimate(np.ascontiguousarray(back[: 60 * rate]), step), rate // step)

    def fits(one: F32) -> float:
        other = taper(decimate(np.ascontiguousarray(one[: 60 * rate]), step), rate // step)
        c = correlate(other, low, (-rate // step, 6 * rate // step), rho=0.0)
        return float(np.abs(c.values).max()) / (float(np.linalg.norm(other)) or 1.0)

    # The mean of both unless a side alone fits clearly better.
    fit = [fits(c) for c in choices]
    best = int(np.argmax([fit[0] * 1.05, *fit[1:]]))
    return np.ascontiguousarray(choices[best], np.float32), np.ascontiguousarray(back, np.float32)


def _windows(sent: F32, source: F32, returned: F32, back: F32, rate: int, lag: float) -> Iterator[_Window]:
    length, hop = round(WINDOW_S * rate), round(HOP_S * rate)
    step = max(1, rate // 16_000)
    for begin in range(0, len(source) - length + 1, hop):
        window = source[begin : begin + length]
        level, kind = level_db(window), _kind(window, rate)
        if kind == "program" and level > HEARD_DB:
            lag = _window_lag(window, back, begin, lag, rate, step)
        first = begin + round(lag * rate)
        if first < 0 or first + length > len(back):
            continue
        heard = back[first : first + length]
        coherence, gain, bands = _compare(window, heard, rate)
        sides = (sent[:, begin : begin + length], returned[:, first : first + length])
        side_sent, side_back = (_side_db(s) for s in sides)
        back_db = _quiet_db(heard, rate) if kind == "silence" else level_db(heard)
        yield _Window(begin / rate, kind, level, gain, coherence, bands, side_sent, side_back, back_db, lag)


def _levels_db(window: F32, rate: int) -> F64:
    """Of every fiftieth of a second."""
    n = rate // 50
    pieces = window[: len(window) // n * n].reshape(-1, n)
    return np.asarray(10 * np.log10(np.mean(np.square(pieces, dtype=np.float64), axis=1) + 1e-12))


def _quiet_db(window: F32, rate: int) -> float:
    """How loud it is where it is softest: what sounds beside a silence may reach into it, where the delay has
    jumped."""
    return float(np.quantile(_levels_db(window, rate), 0.25))


def _kind(window: F32, rate: int) -> str:
    if level_db(window) < NOTHING_DB:
        return "silence"
    levels = _levels_db(window, rate)
    if float(levels.std()) > STEADY_DB:
        return "program"
    power = np.abs(np.fft.rfft(window * np.hanning(len(window)))) ** 2
    top = int(np.argmax(power))
    return "tone" if power[max(0, top - 4) : top + 5].sum() > TONAL * power.sum() else "noise"


def _window_lag(window: F32, back: F32, begin: int, lag: float, rate: int, step: int) -> float:
    """Where this second returned, near where the one before did: looked for at about 16 kHz."""
    reach = round(NEAR_S * rate)
    first = begin + round(lag * rate) - reach
    low, high = max(0, first), min(len(back), first + len(window) + 2 * reach)
    if high - low <= len(window):
        return lag
    heard, r = back[low:high], rate // step
    a, b = decimate(window, step), decimate(np.ascontiguousarray(heard), step)
    peak = find_peak(correlate(taper(a, r), taper(b, r), (0, max(1, len(b) - len(a))), rho=0.3), r, signed=False)
    return (peak.lag * step + low - begin) / rate if peak.to_rms > FOUND else lag


def _compare(window: F32, heard: F32, rate: int) -> tuple[float, float, F64]:
    """(share of what returned that is what was sent, gain dB, gains of the bands dB; NaN where nothing was sent)."""
    starts = range(0, len(window) - SEGMENT + 1, SEGMENT // 2)
    shape = np.hanning(SEGMENT).astype(np.float32)
    x = np.fft.rfft(np.stack([window[s : s + SEGMENT] for s in starts]) * shape, axis=1)
    y = np.fft.rfft(np.stack([heard[s : s + SEGMENT] for s in starts]) * shape, axis=1)
    sxx, syy = (np.abs(x) ** 2).mean(axis=0), (np.abs(y) ** 2).mean(axis=0)
    sxy = (np.conj(x) * y).mean(axis=0)
    f = np.fft.rfftfreq(SEGMENT, 1 / rate)
    telling = (f > 120) & (f < 4000)
    linear = np.abs(sxy[telling]) ** 2 / (sxx[telling] + 1e-20)
    coherence = float(linear.sum() / (syy[telling].sum() + 1e-20))
    wide = (f > 150) & (f < 6000)
    gain = 10 * np.log10((syy[wide].sum() + 1e-20) / (sxx[wide].sum() + 1e-20))
    edges = np.array([BANDS_HZ[0] / 2 ** (1 / 6), *[b * 2 ** (1 / 6) for b in BANDS_HZ]])
    bands = np.full(len(BANDS_HZ), np.nan)
    loudest = sxx.max()
    for i, (low, high) in enumerate(itertools.pairwise(edges)):
        inside = (f >= low) & (f < high)
        if inside.any() and sxx[inside].mean() > 1e-5 * loudest:
            bands[i] = 10 * np.log10((syy[inside].sum() + 1e-20) / sxx[inside].sum())
    return coherence, float(gain), bands


def _side_db(sound: F32) -> float:
    """How much of it differs between two sides, dB below what is the same; very little for one channel."""
    if sound.shape[0] < 2:
        return -120.0
    same, other = sound[0] + sound[1], sound[0] - sound[1]
    return level_db(other) - level_db(same)


def _judge(
    windows: list[_Window], loud: list[_Window], two_sides: bool, more: list[Found], not_judged: list[str],
    linear: Callable[[float], float],
) -> PathReport:  # fmt: skip
    found: list[Found] = more
    maybe = False
    usual = float(np.median([w.gain for w in loud]))
    still = _still(loud)
    if len(still) < LEAST_LOUD and "echo" not in not_judged:
        not_judged.append("echo")
    coherence = float(np.quantile([w.coherence for w in still], 0.75)) if len(still) >= LEAST_LOUD else 1.0
    lag = float(np.median([w.lag for w in loud]))
    rebuilt = coherence < ECHO_CERTAIN
    if rebuilt:
        what = "room" if linear(lag) > ROOM_LINEAR else "echo_removal"
        # One echo alone does as much as a room.
        found.append(Found(what, 1 - coherence, what != "room" or all(f.what != "echo" for f in found)))
    elif coherence < ECHO_MAYBE:
        maybe = True
    for look in (_noise_or_gate, _levelling):
        said = look(windows, usual)
        if isinstance(said, str):
            not_judged.append(said)
        elif said is not None:
            found.append(said)
    found += _filters(loud)
    if rebuilt or any(f.what == "echo" for f in found):  # levels and bands follow from that
        found = [replace(f, certain=f.certain and f.what not in ("levelling", "filter")) for f in found]
    found += _folding(loud, two_sides)
    certain = any(f.certain for f in found)
    verdict = "changed" if certain else "unsure" if not_judged or maybe else "clean"
    return PathReport(verdict, tuple(found), tuple(not_judged), "", lag, usual)


def _still(windows: list[_Window]) -> list[_Window]:
    """Those whose delay is that of the second before and of the one after: within the others it may have moved."""
    return [
        w for before, w, after in zip(windows, windows[1:], windows[2:], strict=False)
        if max(abs(before.lag - w.lag), abs(after.lag - w.lag)) < STILL_S
    ]  # fmt: skip


def _settled(windows: list[_Window], kind: str) -> list[_Window]:
    """Those that follow others of their kind for so long that a processor has settled."""
    since: float | None = None
    out = []
    for w in windows:
        if w.kind != kind:
            since = None
            continue
        since = w.at_s if since is None else since
        if w.at_s - since >= SETTLED_S:
            out.append(w)
    return out


def _soft(windows: list[_Window]) -> list[_Window]:
    """Soft windows of what is not steady, after soft ones."""
    out = []
    for before, w in itertools.pairwise(windows):
        if (
            w.kind == "program"
            and SOFT_DB < w.level < HEARD_DB
            and before.kind == "program"
            and before.level < w.level + 6
        ):
            out.append(w)
    return out


def _noise_or_gate(windows: list[_Window], usual: float) -> Found | str | None:
    """Noise removal takes noise and lets what is as soft but no noise through; a gate takes whatever is soft. A code
    where this sound cannot tell."""
    noise, tone, soft = _settled(windows, "noise"), _settled(windows, "tone"), _soft(windows)
    if not soft or not noise:
        return "noise_or_gate"
    noise_gain = float(np.median([w.gain for w in noise])) - usual
    level = float(np.median([w.level for w in noise]))
    as_soft = [w.gain - usual for w in [*tone, *soft] if abs(w.level - level) < 5]
    if noise_gain < NOISE_CUT_DB and (not as_soft or max(_usual(tone, usual), _near(soft, level, usual)) > PASSES_DB):
        return Found("noise_removal", -noise_gain, bool(as_soft))
    cut = [w.gain - usual for w in soft]
    least = float(np.quantile(cut, 0.1))
    if least < GATE_DB:
        return Found("gate", -least, True)
    if noise_gain < NOISE_CUT_DB:
        return Found("noise_removal", -noise_gain, True)
    return None


def _usual(windows: list[_Window], usual: float) -> float:
    return float(np.median([w.gain for w in windows])) - usual if windows else -np.inf


def _near(windows: list[_Window], level: float, usual: float) -> float:
    return _usual([w for w in windows if abs(w.level - level) < 5], usual)


def _levelling(windows: list[_Window], usual: float) -> Found | str | None:
    """Whether what is loud comes back by another gain than what is less so. A code where this sound cannot tell."""
    told = [w for w in windows if w.kind == "program" and w.level > HEARD_DB]
    levels, gains = np.array([w.level for w in told]), np.array([w.gain for w in told])
    if len(told) < LEAST_LEVELS or np.ptp(levels) < 12:
        return "levelling"
    from scipy import stats

    # What turns soft sound up slowly is not seen between loud and less so, but where all is soft for a while.
    soft = [*_settled(windows, "noise"), *_settled(windows, "tone"), *_soft(windows)]
    raised = float(np.median([w.gain for w in soft])) - usual if soft else 0.0
    if raised > RAISED_DB:
        return Found("levelling", raised, True)
    slope = float(stats.theilslopes(gains, levels).slope)
    scatter = 1.4826 * float(np.median(np.abs(gains - np.median(gains))))
    if scatter > LEVEL_SCATTER_DB or abs(slope) > LEVEL_SLOPE:
        return Found("levelling", max(scatter, abs(slope) * float(np.ptp(levels))), True)
    return None


def _filters(loud: list[_Window]) -> list[Found]:
    gains = np.array([w.bands for w in loud])
    enough = np.isfinite(gains).sum(axis=0) >= max(3, len(loud) // 3)
    bands = np.array([np.nanmedian(g) if e else np.nan for g, e in zip(gains.T, enough, strict=True)])
    known = np.flatnonzero(np.isfinite(bands))
    if len(known) < 6:
        return []
    middle = float(np.median(bands[known]))
    found = []
    # A coder for speech carries nothing above an edge: that is no filter of anybody's.
    while len(known) > 6 and bands[known[-1]] - middle < EDGE_DB:
        known = known[:-1]
        edge = BANDS_HZ[known[-1]] * 2 ** (1 / 6)
        found = [Found("band_edge", edge, False)]
    if found:  # the band in which the edge lies is cut in part
        known = known[:-1]
    spread = float(np.ptp(bands[known]))
    if spread > FILTER_DB:
        found.append(Found("filter", spread, True))
    return found


def _folding(loud: list[_Window], two_sides: bool) -> list[Found]:
    wide = [w for w in loud if w.side_sent > SIDES_DB]
    if len(wide) < 3:
        return []
    lost = float(np.median([w.side_sent - w.side_back for w in wide]))
    if float(np.median([w.side_back for w in wide])) < SIDES_DB - 10 and lost > 10:
        return [Found("folded", lost, two_sides)]
    return []
