"""Where a film belongs in a take: its sound is looked for anywhere in the take's, piece by piece, so that another song
before, cuts, pauses and a clock of its own are found, too.

Conventions: float32 mono, shape (frames,), one rate of about 12 kHz for all; seconds. A lag is how much later in the
take than in the film a sound stands. Generalised cross-correlation as in `correlation.py`; what plays along from a file
is the same every evening, so a place counts only where what was played live agrees, too.
"""

from dataclasses import dataclass, field
from itertools import pairwise

import msgspec
import numpy as np
from msgspec.structs import replace

from .correlation import BAND, F32, RHO, correlate, decimate, find_peak
from .drift import find_drift
from .offset import level_db
from .stimulus import taper

LEAST_S = 16.0  # of a film
WINDOW_S, MOST_WINDOWS, FEWEST_WINDOWS = 8.0, 40, 12
MOST_LOOKS = 1500  # windows of the film times stretches of the take: what an hour costs
COARSE_STEP, CHUNK = 3, 2**17
FOUND, SURE, KEPT = 6.5, 9.0, 3  # peak over RMS of a candidate, and of one that needs only one other; kept of a window
NEAR_S, SLIDE = 0.02, 600e-6  # so far apart windows of one piece may lie, and by so much per second
ALIKE_S, CHANCE_S = 0.003, 0.05  # live sound agrees where its peak lies so near, of so much that is looked through
AGREES = 0.5  # of the windows in which live sound is loud
QUIET_DB = -60.0
LEAST_LIVE = 5  # windows
MARGIN_S, SHORTEST_S = 3.0, 9.0
TOUCH_S = 1.6  # pieces that overlap by less touch each other: a second that is half of each fits both
LOOK_S, GIVEN_UP = 0.25, 4  # looked along a line every so often, until so many looks in a row find nothing
TRUE_S = 0.5e-3  # no place is known better: a room answers later than it is spoken to
WIENER = 4096


class Piece(msgspec.Struct, frozen=True):
    """From `begin_s` to `end_s` of the film, which begins `at_s` in the take. `drift_ppm`: how much faster the film's
    clock runs than the take's. `live_share` of the windows agree with what was played live."""

    begin_s: float
    end_s: float
    at_s: float
    plus_minus_s: float
    drift_ppm: float
    drift_ppm_error: float
    live_share: float
    matched: int


class Placement(msgspec.Struct, frozen=True):
    """`reason` where there is no `match`: “too_short”, “silent”, “no_match” (nothing in common), “only_played” (what
    plays from files fits, nothing live does: it may be another evening), “no_live” (nothing was played live, so no
    evening can be told from another). `rivals`: where the film would begin by what was not believed."""

    match: bool
    reason: str = ""
    pieces: tuple[Piece, ...] = ()
    looked: int = 0
    matched: int = 0
    rivals: tuple[float, ...] = ()

    def later(self, seconds: float) -> "Placement":
        """The same of a film whose sound begins `seconds` later than the film."""
        moved = tuple(replace(p, begin_s=p.begin_s + seconds, end_s=p.end_s + seconds) for p in self.pieces)
        return replace(self, pieces=moved, rivals=tuple(r - seconds for r in self.rivals))

    @property
    def start_s(self) -> float:
        """Where the film's beginning lies in the take, before it where it is negative."""
        first = self.pieces[0]
        return first.at_s - first.begin_s / (1 + first.drift_ppm * 1e-6)


@dataclass
class _Line:
    """Windows of the film (by number, with their lags in seconds) that lie on one line."""

    lags: dict[int, float] = field(default_factory=dict)
    score: float = 0.0


def place(everything: F32, live: F32, film: F32, rate_hz: int) -> Placement:
    """Where `film` [m] belongs in a take of which `everything` [n] is all that sounded and `live` [n] what was played
    live."""
    if len(film) < LEAST_S * rate_hz:
        return Placement(False, "too_short")
    if level_db(film) < QUIET_DB - 20 or level_db(everything) < QUIET_DB - 20:
        return Placement(False, "silent")
    own = _without(live, everything - live)
    begins, lines = _lines(everything, film, rate_hz)
    found, rivals, shares = [], [], []
    taken: set[int] = set()
    for line in lines:
        windows = {w: lag for w, lag in line.lags.items() if w not in taken}
        if len(windows) < 2:
            continue
        first = _quick_share(own, film, rate_hz, begins, windows)
        if 0 <= first < AGREES / 2:
            shares.append(first)
            rivals.append(float(np.median(list(windows.values()))))
            continue
        overlaps = len(windows) < 0.4 * len(line.lags)
        pieces = [] if overlaps else _pieces(everything, own, film, rate_hz, begins, windows)
        if not pieces:
            continue
        shares += [p.live_share for p in pieces]
        good = [p for p in pieces if p.live_share >= AGREES]
        if good:
            found += good
            taken |= set(windows)
        else:
            rivals += [p.at_s - p.begin_s for p in pieces]
    looked = len(begins)
    if not found:
        known = [s for s in shares if s >= 0]
        reason = "no_match" if not shares else "only_played" if known else "no_live"
        return Placement(False, reason, looked=looked, rivals=tuple(rivals[:3]))
    pieces = _in_order(found)
    return Placement(True, "", tuple(pieces), looked, sum(p.matched for p in pieces))


def _in_order(found: list[Piece]) -> list[Piece]:
    """Pieces by their place in the film, none over another: of two the one that matched more. Where they only touch,
    the cut is in the middle of what both claim."""
    kept: list[Piece] = []
    for p in sorted(found, key=lambda p: -p.matched):
        if all(p.end_s <= q.begin_s + TOUCH_S or p.begin_s >= q.end_s - TOUCH_S for q in kept):
            kept.append(p)
    kept.sort(key=lambda p: p.begin_s)
    for i, (p, q) in enumerate(pairwise(kept)):
        cut = (p.end_s + q.begin_s) / 2
        if q.begin_s < p.end_s:
            moved = (cut - q.begin_s) * (1 - q.drift_ppm * 1e-6)
            kept[i], kept[i + 1] = replace(p, end_s=cut), replace(q, begin_s=cut, at_s=q.at_s + moved)
    return kept


# Coarse, anywhere


def _whitened(spectrum: np.ndarray, floor: float) -> np.ndarray:
    frequency = np.arange(spectrum.shape[-1]) / (2 * (spectrum.shape[-1] - 1))
    edge = np.clip((BAND[1] - frequency) / (BAND[1] - BAND[0]), 0, 1).astype(np.float32)
    power = spectrum.real**2 + spectrum.imag**2
    return np.asarray(spectrum * edge * (power + np.float32(floor)) ** np.float32(-RHO / 2), np.complex64)


def _lines(everything: F32, film: F32, rate_hz: int) -> tuple[list[float], list[_Line]]:
    """(where windows of the film begin, in seconds; lines on which some of them lie, what stands out most first)."""
    take, low = decimate(everything, COARSE_STEP), decimate(film, COARSE_STEP)
    rate = rate_hz / COARSE_STEP
    length = round(WINDOW_S * rate)
    valid = CHUNK - length
    most = int(np.clip(MOST_LOOKS * valid / len(take), FEWEST_WINDOWS, MOST_WINDOWS))
    count = int(min(most, max(2, 4 * len(low) // length - 3)))
    firsts = np.unique(np.linspace(0, len(low) - length, count).astype(int))
    firsts = np.array([f for f in firsts if level_db(low[f : f + length]) > QUIET_DB - 10])
    chunks = [np.fft.rfft(take[c : c + CHUNK], CHUNK).astype(np.complex64) for c in range(0, len(take), valid)]
    floor = 1e-9 * max((float(np.max(c.real**2 + c.imag**2)) for c in chunks), default=0.0) + 1e-30
    chunks = [_whitened(c, floor) for c in chunks]
    candidates = []
    for first in firsts:
        spectrum = np.fft.rfft(taper(low[first : first + length], round(rate)), CHUNK)
        own = float(np.max(spectrum.real**2 + spectrum.imag**2))
        window = np.conj(_whitened(spectrum, 1e-9 * own + 1e-30))
        curve = np.concatenate([np.fft.irfft(window * c, CHUNK)[:valid] for c in chunks])[: len(take)]
        candidates.append(_tops(np.abs(curve), round(NEAR_S * rate), first, rate))
    return [float(f / rate) for f in firsts], _grouped([float(f / rate) for f in firsts], candidates)


def _tops(size: F32, apart: int, first: int, rate: float) -> list[tuple[float, float]]:
    """(lag, peak over RMS) of what stands out of a curve over the whole take."""
    usual = float(np.sqrt(np.mean(size**2))) or 1.0
    found = []
    for _ in range(KEPT):
        top = int(np.argmax(size))
        if size[top] < FOUND * usual:
            break
        found.append(((top - first) / rate, float(size[top]) / usual))
        size[max(0, top - apart) : top + apart + 1] = 0
    return found


def _grouped(begins: list[float], candidates: list[list[tuple[float, float]]]) -> list[_Line]:
    """Lines through candidates that several windows agree on; each candidate lies on one."""
    left = {(w, k) for w, of in enumerate(candidates) for k in range(len(of))}
    lines = []
    while left:
        best, members = _Line(), set()
        for w, k in left:
            lag, score = candidates[w][k]
            line, its = _Line({w: lag}, score), {(w, k)}
            for v in range(len(begins)):
                near = NEAR_S + SLIDE * abs(begins[v] - begins[w])
                of = candidates[v]
                fits = [j for j in range(len(of)) if (v, j) in left and abs(of[j][0] - lag) < near]
                if v == w or not fits:
                    continue
                j = max(fits, key=lambda j: of[j][1])
                line.lags[v], line.score = of[j][0], line.score + of[j][1]
                its.add((v, j))
            if line.score > best.score:
                best, members = line, its
        left -= members
        strong = sum(candidates[w][k][1] > SURE for w, k in members)
        if len(members) >= 3 or (len(members) == 2 and strong == 2):
            lines.append(best)
        if len(lines) >= 8 or len(members) < 2:
            break
    return lines


# Finely, where it was found


def _pieces(
    everything: F32, own: F32, film: F32, rate: int, begins: list[float], windows: dict[int, float]
) -> list[Piece]:
    """The stretches of film around these windows, parted where it was cut."""
    numbers = sorted(windows)
    first, last = begins[numbers[0]], min(len(film) / rate, begins[numbers[-1]] + WINDOW_S)
    margin = min(MARGIN_S, max(0.0, (last - first - SHORTEST_S) / 2))  # a cut may lie within the first and the last
    first, last = first + margin, last - margin
    lag = float(np.median(list(windows.values())))
    part = film[round(first * rate) : round(last * rate)]
    at = round((first + lag - 1.0) * rate)
    stretch = everything[max(0, at) : max(0, at) + len(part) + 2 * rate]
    if at < 0:
        stretch = np.concatenate([np.zeros(-at, np.float32), stretch])
    found = find_drift(part, stretch, rate)
    if not found.match:
        return []
    edges = [-np.inf, *(s.at_s for s in found.steps), np.inf]
    pieces, slope = [], found.ppm * 1e-6
    for low, high in pairwise(edges):
        mine = (found.times_s > low) & (found.times_s <= high)
        times = found.times_s[mine]
        if len(times) < 3:
            continue
        # How much later it stands in the take is here, with the film's time from its beginning.
        later = at / rate - first + float(np.median(found.lags_s[mine] - slope * times)) - slope * first
        stays = _Stays(everything, film, rate, later, slope)
        begin, end = stays.edge(first + float(times[0]), -1), stays.edge(first + float(times[-1]), 1)
        seconds = np.arange(begin + 0.5, end, 1.0)
        unsure = 2.5 * found.scatter_s / np.sqrt(len(times)) + found.ppm_error * 1e-6 * (end - begin) / 2
        share = _live_share(film, own, rate, seconds, later + slope * seconds)
        start = begin + later + slope * begin
        pieces.append(
            Piece(begin, end, start, float(TRUE_S + unsure), -found.ppm, found.ppm_error, share, len(seconds))
        )
    return pieces


class _Stays(msgspec.Struct, frozen=True):
    """How far a film goes along a line: at t seconds it stands `later` + `slope`·t later in the take."""

    everything: F32
    film: F32
    rate: int
    later: float
    slope: float

    def edge(self, inside: float, way: int) -> float:
        """From `inside` on, forwards (1) or backwards (−1), the last second of the film that is found on it."""
        edge, missed, at = inside, 0, inside
        while 0.5 <= at <= len(self.film) / self.rate - 0.5 and missed < GIVEN_UP:
            there = self._there(at)
            if there:
                edge, missed = at, 0
            elif there is not None:
                missed += 1
            at += way * LOOK_S
        whole = 0.0 if way < 0 else len(self.film) / self.rate
        return whole if abs(edge - whole) <= 0.5 + LOOK_S else edge + way * LOOK_S

    def _there(self, at: float) -> bool | None:
        """Whether the second of the film around `at` is; None where it is quiet, or the take is over."""
        half, reach = self.rate // 2, round(CHANCE_S * self.rate)
        a = round(at * self.rate) - half
        b = round((at * (1 + self.slope) + self.later) * self.rate) - half - reach
        sound, heard = self.film[max(0, a) : a + 2 * half], self.everything[max(0, b) : b + 2 * (half + reach)]
        if level_db(sound) < QUIET_DB or len(sound) < 2 * half or b < 0 or len(heard) < 2 * (half + reach):
            return None
        peak = find_peak(correlate(taper(sound, self.rate), taper(heard, self.rate), (0, 2 * reach)), self.rate)
        return abs(peak.lag - reach) < ALIKE_S * self.rate


def _quick_share(own: F32, film: F32, rate: int, begins: list[float], windows: dict[int, float]) -> float:
    """`_live_share` of a few seconds of each window, at the lag that was found roughly."""
    some = [(begins[w] + k * WINDOW_S / 4, lag) for w, lag in windows.items() for k in (1, 2, 3)]
    return _live_share(film, own, rate, np.array([t for t, _lag in some]), np.array([lag for _t, lag in some]))


def _live_share(film: F32, own: F32, rate: int, times: np.ndarray, lags: np.ndarray) -> float:
    """Share of the film's seconds around `times` [k] in which what was played live, where it is loud, is found at its
    lag [k]; −1 where hardly anything was."""
    reach, half = round(CHANCE_S * rate), rate // 2
    loud = agrees = 0
    usual = level_db(own)
    for time, lag in zip(times, lags, strict=True):
        a = round((time + lag) * rate) - half
        b = round(time * rate) - half
        if a < 0 or b - reach < 0 or b + 2 * half + reach > len(film) or a + 2 * half > len(own):
            continue
        sound = own[a : a + 2 * half]
        if level_db(sound) < max(QUIET_DB, usual - 15):
            continue
        loud += 1
        heard = film[b - reach : b + 2 * half + reach]
        peak = find_peak(correlate(taper(sound, rate), taper(heard, rate), (0, 2 * reach)), rate)
        agrees += abs(peak.lag - reach) < ALIKE_S * rate
    return agrees / loud if loud >= LEAST_LIVE else -1.0


def _without(live: F32, played: F32) -> F32:
    """`live` [n] without what its microphones picked up of `played` [n]: Wiener's filter, by spectra averaged over the
    whole (Welch)."""
    if level_db(played) < QUIET_DB - 20:
        return live
    count = min(len(live), len(played)) // WIENER
    a, b = (x[: count * WIENER].reshape(count, WIENER) * np.hanning(WIENER).astype(np.float32) for x in (played, live))
    x, y = np.fft.rfft(a), np.fft.rfft(b)
    power = np.mean(np.abs(x) ** 2, axis=0)
    response = np.mean(np.conj(x) * y, axis=0) / (power + 1e-6 * power.max() + 1e-30)
    kernel = np.roll(np.fft.irfft(response), WIENER // 4)[: WIENER // 2].astype(np.float32)
    from scipy.signal import oaconvolve

    picked = oaconvolve(played, kernel)[WIENER // 4 :][: len(live)]
    return np.asarray(live - picked, np.float32)
