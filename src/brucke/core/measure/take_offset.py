"""The proof in a take: what is left between the parts in one listener's file.

Each part's known on-the-beat source is correlated with the listener's far-end file (after its coder),
partially whitened, in the same windows for all parts; the median over the windows counts. Correlating our
own captured tracks with our own mix would only re-read our own delays.

The other parts in the mix are correlated with the one in question (they play the same tune), which would
pull its peak. So the way from every source to the file is estimated jointly: a several-inputs one-output
least-squares model, per frequency, whose cross-talk is thereby taken out (Bendat & Piersol, Random Data,
chapter 7: conditioned spectra).
"""

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .correlation import F32, PAD, RHO, correlate, decimate, find_peak, refine
from .expected_source import TrackMark, played
from .offset import level_db
from .stimulus import taper

WINDOW_S = HOP_S = 1.0  # no overlap, so that the windows are independent
SEARCH_S = 0.5
ACTIVE_DB = -32.0
MIN_TO_RMS = 6.0
COARSE_HZ = 6000
SHORT = 4096
POSITION_S = 20  # so much of a recording tells where it stands
EARLIEST_S, LATEST_S = 0.2, 3.0  # how much later than what was played a far end's file may stand
SIGNS, SIGN_NEAR_S = 12, 0.004  # so many windows tell whether a part is upside down, so near where it was found
# Windows further from the median than this lie apart from the rest; more than that share of them is a contradiction.
APART_SIGMA, APART_S, APART_SHARE = 4.0, 2e-3, 0.25
# Windows that follow one another so closely, and whose lags differ by less, are of one phrase: they tell as much as
# one.
FOLLOW_WINDOWS, SAME_S, EXACT_S = 1.6, 0.3e-3, 0.1e-3
# The median deviation of few values is smaller than that of many (Croux and Rousseeuw 1992); from ten on n/(n − 0.8).
FEW = {2: 1.196, 3: 1.495, 4: 1.363, 5: 1.206, 6: 1.200, 7: 1.140, 8: 1.129, 9: 1.107}
_WINDOW = np.hanning(SHORT).astype(np.float32)


class Left(msgspec.Struct, frozen=True):
    """What is left of one part against the lead. `median_s` positive: later than the lead.

    `error_s` is the standard error of the median, 1.25·σ/√N over the `phrases`, windows of one phrase taken together;
    `scatter_s` their σ; `looked` is the number of windows in which the part should have sounded. `agree` is False where
    too many windows lie apart from the rest: then the median is the mean of different things. `inverted`: it was found
    only upside down.
    """

    part: str
    median_s: float
    error_s: float
    scatter_s: float
    windows: int
    looked: int
    agree: bool = True
    times_s: tuple[float, ...] = ()
    values_s: tuple[float, ...] = ()
    phrases: int = 0
    inverted: bool = False


class TakeOffsets(msgspec.Struct, frozen=True):
    """`late` is how much later than its source the lead stands in the recording, in frames; `windows` how many of the
    lead's were found; `sources` what every part played, on the recording's clock but for `late`."""

    late: float
    windows: int
    left: Mapping[str, Left]
    sources: Mapping[str, F32]


def find_position(source: F32, recording: F32, rate_hz: int) -> int | None:
    """The frame of the looped lead's `source` [n] with which `recording` [m] begins, or None. Coarse: at 6 kHz
    first."""
    step = max(1, rate_hz // COARSE_HZ)
    low = decimate(source, step)
    heard = decimate(recording, step)[: 20 * rate_hz // step]
    tiled = np.concatenate([low, low[: len(heard)]]) if len(heard) <= len(low) else np.tile(low, 3)
    c = correlate(taper(heard, rate_hz // step), tiled, (0, len(low) - 1), rho=0.5)
    peak = find_peak(c, rate_hz // step, signed=False)
    if peak.to_rms < MIN_TO_RMS:
        return None
    return round(peak.lag * step) % len(source)


def _find_late(source: F32, recording: F32, rate_hz: int) -> int | None:
    """How many frames later than what was played a recording of all of it stands, within what ways cost; or None."""
    step = max(1, rate_hz // COARSE_HZ)
    sounds = np.flatnonzero(np.abs(source) > 1e-4)
    if not len(sounds):
        return None
    begin = max(0, int(sounds[0]) - rate_hz)
    low = decimate(source[begin : begin + POSITION_S * rate_hz], step)
    heard = decimate(recording[begin : begin + (POSITION_S + 2) * rate_hz], step)
    if level_db(heard) < -80:
        return None
    rate = rate_hz // step
    c = correlate(taper(low, rate), taper(heard, rate), (-round(EARLIEST_S * rate), round(LATEST_S * rate)), rho=0.5)
    peak = find_peak(c, rate, signed=False)
    return round(peak.lag * step) if peak.to_rms >= MIN_TO_RMS else None


def _delays(references: Mapping[str, F32], heard: F32, rate_hz: int, search: int) -> dict[str, float]:
    """Lag of each reference in `heard`, which begins `search` frames before them; those not found are left out."""
    found = {}
    for part, reference in references.items():
        peak = find_peak(correlate(reference, heard, (0, 2 * search)), rate_hz, signed=False)
        if peak.to_rms >= MIN_TO_RMS:
            found[part] = peak.lag - search
    return found


def _on_clock(
    sources: Mapping[str, F32], lead: str, recording: F32, rate_hz: int, marks: Sequence[TrackMark]
) -> tuple[dict[str, F32], int] | None:
    """What every part played on the recording's clock, and how much later the lead stands in it; or None."""
    period = len(sources[lead])
    padded = {p: np.pad(s, (0, max(0, period - len(s))))[:period] for p, s in sources.items()}
    late = 0
    if marks:
        found = _find_late(played(padded[lead], marks, len(recording), period), recording, rate_hz)
        if found is None:
            return None
        late = found
    else:
        position = find_position(padded[lead], recording, rate_hz)
        if position is None:
            return None
        marks = (TrackMark(0, position),)
    return {p: played(s, marks, len(recording), period) for p, s in padded.items()}, late


def left_between(
    sources: Mapping[str, F32], lead: str, recording: F32, rate_hz: int, marks: Sequence[TrackMark] = ()
) -> TakeOffsets | None:
    """What is left of every part against `lead` in one file.

    `sources`: part → mono source [n] on the beat, all starting at the same beat and looped at the lead's length.
    `recording` [m]: mono, of the whole take. `marks`: what the track did in it; without any, it is taken to have gone
    round in its whole length without a stop. Returns None where the lead cannot be found in the recording. A part that
    is nowhere to be found is looked for upside down as well."""
    found, turned = _left_between(sources, lead, recording, rate_hz, marks)
    if found is None:
        return None
    turned |= {p for p, x in found.left.items() if x.looked and not x.windows}
    if not turned:
        return found
    again, _ = _left_between({p: -s if p in turned else s for p, s in sources.items()}, lead, recording, rate_hz, marks)
    if again is None:
        return found
    upside_down = {p: replace(again.left[p], inverted=True) for p in turned if again.left[p].windows}
    return replace(found, left={**found.left, **upside_down})


def behind(
    sources: Mapping[str, F32], lead: str, part: str, tracks: Mapping[str, F32], rate_hz: int,
    marks: Sequence[TrackMark] = (),
) -> Left | None:  # fmt: skip
    """How much later `part` lies in its own track than `lead` in its own, both `tracks` mono [m] of one take, against
    their `sources` as in `left_between`. None where either cannot be found in its track."""
    two = {lead: sources[lead], part: sources[part]}
    found = _on_clock(two, lead, tracks[lead], rate_hz, marks)
    late = _find_late(found[0][part], tracks[part], rate_hz) if found is not None else None
    if found is None or late is None:
        return None
    shift = late - found[1]
    length = min(len(tracks[lead]), len(tracks[part]))
    mixed = tracks[lead][:length] + _moved(tracks[part], -shift)[:length]
    between = left_between(two, lead, np.ascontiguousarray(mixed), rate_hz, marks)
    left = between.left.get(part) if between is not None else None
    if left is None or not left.windows:
        return None
    return replace(left, median_s=left.median_s + shift / rate_hz)


def _left_between(
    sources: Mapping[str, F32], lead: str, recording: F32, rate_hz: int, marks: Sequence[TrackMark]
) -> tuple[TakeOffsets | None, set[str]]:
    """What is left, and which parts are upside down in most of the windows that were looked at for it."""
    clocked = _on_clock(sources, lead, recording, rate_hz, marks)
    if clocked is None:
        return None, set()
    sounds, late = clocked
    length, hop, search = round(WINDOW_S * rate_hz), round(HOP_S * rate_hz), round(SEARCH_S * rate_hz)
    loud = {p: level_db(s[np.abs(s) > 1e-4]) if np.any(np.abs(s) > 1e-4) else 0.0 for p, s in sounds.items()}
    rows: dict[str, list[tuple[float, float]]] = {p: [] for p in sources if p != lead}
    looked = dict.fromkeys(rows, 0)
    signs: dict[str, list[int]] = {p: [] for p in rows}
    anchors = []
    for start in range(max(0, search - late), len(recording) - length - search - max(0, late), hop):
        heard = recording[start + late - search : start + late + length + search]
        if level_db(heard) < -80:
            continue
        references = {p: s[start : start + length] for p, s in sounds.items()}
        active = {p: taper(r, rate_hz) for p, r in references.items() if level_db(r) > loud[p] + ACTIVE_DB + 12}
        if lead not in active:
            continue
        lags = _delays(active, taper(heard, rate_hz), rate_hz, search)
        if lead not in lags:
            continue
        lags = _conditioned(active, heard, lags, search)
        anchors.append(lags[lead])
        for part in active:
            if part != lead:
                looked[part] += 1
        for part, lag in lags.items():
            if part != lead:
                rows[part].append((start / rate_hz, (lag - lags[lead]) / rate_hz))
                if len(signs[part]) < SIGNS:
                    signs[part].append(_sign(active[part], heard, round(lag) + search, rate_hz))
    if not anchors:
        return None, set()
    left = {p: _left(p, values, looked[p]) for p, values in rows.items()}
    turned = {p for p, found in signs.items() if len(found) >= 3 and np.mean(found) < -0.5}
    return TakeOffsets(late + float(np.median(anchors)), len(anchors), left, sounds), turned


def _sign(source: F32, heard: F32, lag: int, rate_hz: int) -> int:
    """−1 where it is more alike upside down near this lag, frames from the beginning of `heard`."""
    near = round(SIGN_NEAR_S * rate_hz)
    piece = heard[max(0, lag - near) : lag + near + len(source)]
    c = np.correlate(piece, source, "valid")
    return -1 if -float(c.min()) > float(c.max()) else 1


def _spectra(sound: F32, count: int) -> npt.NDArray[np.complexfloating]:
    """Short spectra, shape [segments, bins]."""
    starts = range(0, count - SHORT, SHORT // 4)
    return np.stack([np.fft.rfft(sound[s : s + SHORT] * _WINDOW) for s in starts])


def _moved(sound: F32, frames: int) -> F32:
    """The sound that many frames later, same length, silence moved in."""
    padded = np.pad(sound, (max(frames, 0), max(-frames, 0)))
    return padded[max(-frames, 0) :][: len(sound)]


def _conditioned(references: Mapping[str, F32], heard: F32, lags: Mapping[str, float], search: int) -> dict[str, float]:
    """The same lags with the other parts taken out of the mix: joint least squares over short spectra."""
    parts = list(lags)
    if len(parts) < 2:
        return dict(lags)
    length = len(references[parts[0]])
    base = round(lags[parts[0]])
    inputs = np.stack(
        [_spectra(_moved(references[p], round(lags[p]) - base), length) for p in parts], axis=-1
    )  # [segments, bins, parts]
    output = _spectra(heard[search + base :], length)
    gram = np.einsum("sbi,sbj->bij", inputs.conj(), inputs)
    cross = np.einsum("sbi,sb->bi", inputs.conj(), output)
    scale = np.einsum("bii->b", gram).real
    ridge = (1e-4 * scale + 1e-9 * scale.max())[:, None, None] * np.eye(len(parts))
    ways = np.linalg.solve(gram + ridge, cross[..., None])[..., 0]
    return {p: round(lags[p]) + _way_delay(ways[:, i], gram[:, i, i].real) for i, p in enumerate(parts)}


def _way_delay(way: npt.NDArray[np.complexfloating], power: npt.NDArray[np.floating]) -> float:
    """Delay of one estimated way in frames: the peak of its impulse response, weighted as the spectra are."""
    weight = power**0.15 * (np.abs(way) + 1e-12) ** -RHO
    response = np.fft.irfft(way * weight, SHORT).astype(np.float64)
    reach = 64 + PAD
    values = response[np.arange(-reach, reach + 1) % SHORT]
    index = int(np.argmax(values[PAD:-PAD])) + PAD
    return refine(values, index) - reach


def _left(part: str, values: list[tuple[float, float]], looked: int) -> Left:
    if not values:
        return Left(part, 0.0, 0.0, 0.0, 0, looked)
    offsets = np.array([v for _, v in values])
    median = float(np.median(offsets))
    apart = np.abs(offsets - median)
    # Who plays exactly has one lag in all windows: there every window tells.
    exact = 1.4826 * float(np.median(apart)) < EXACT_S
    phrases = offsets if exact else _phrases(values)
    # Robust σ: a window caught by another part must not widen what is stated.
    scatter = spread_of(phrases)
    error = 1.25 * scatter / len(phrases) ** 0.5
    agree = float(np.mean(apart > max(APART_SIGMA * scatter, APART_S))) <= APART_SHARE
    times, lags = tuple(t for t, _ in values), tuple(v for _, v in values)
    return Left(part, median, error, scatter, len(offsets), looked, agree, times, lags, len(phrases))


def _phrases(values: list[tuple[float, float]]) -> npt.NDArray[np.float64]:
    """The mean lag of each phrase: a player who is late with one is late with all of it."""
    groups: list[list[float]] = []
    before: tuple[float, float] | None = None
    for at, lag in values:
        if before is not None and at - before[0] <= FOLLOW_WINDOWS * WINDOW_S and abs(lag - before[1]) < SAME_S:
            groups[-1].append(lag)
        else:
            groups.append([lag])
        before = (at, lag)
    return np.array([np.mean(g) for g in groups])


def spread_of(values: npt.NDArray[np.float64]) -> float:
    """σ of `values` [n] from the median deviation, 0 of one value."""
    n = len(values)
    if n < 2:
        return 0.0
    return FEW.get(n, n / (n - 0.8)) * 1.4826 * float(np.median(np.abs(values - np.median(values))))
