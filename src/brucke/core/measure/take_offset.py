"""The proof in a take: what is left between the parts in one listener's file.

Each part's known on-the-beat source is correlated with the listener's far-end file (after its coder),
partially whitened, in the same windows for all parts; the median over the windows counts. Correlating our
own captured tracks with our own mix would only re-read our own delays.

The other parts in the mix are correlated with the one in question (they play the same tune), which would
pull its peak. So the way from every source to the file is estimated jointly: a several-inputs one-output
least-squares model, per frequency, whose cross-talk is thereby taken out (Bendat & Piersol, Random Data,
chapter 7: conditioned spectra).
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from .correlation import F32, PAD, RHO, correlate, decimate, find_peak, refine
from .offset import level_db
from .stimulus import taper

WINDOW_S = 2.0
HOP_S = 2.0  # no overlap, so that the windows are independent
SEARCH_S = 0.5
ACTIVE_DB = -32.0
MIN_TO_RMS = 6.0
COARSE_HZ = 6000
SHORT = 4096
_WINDOW = np.hanning(SHORT).astype(np.float32)


@dataclass(frozen=True)
class Left:
    """What is left of one part against the lead. `median_s` positive: later than the lead.

    `error_s` is the standard error of the median, 1.25·σ/√N over the windows; `scatter_s` their σ.
    """

    part: str
    median_s: float
    error_s: float
    scatter_s: float
    windows: int
    times_s: tuple[float, ...] = ()
    values_s: tuple[float, ...] = ()


@dataclass(frozen=True)
class TakeOffsets:
    """`position` is where in the lead's source the file begins, in frames, lateness included."""

    position: float
    left: Mapping[str, Left]


def find_position(source: F32, recording: F32, rate_hz: int) -> int | None:
    """Where in the looped lead's source the recording begins (frames), or None. Coarse: at 6 kHz first."""
    step = max(1, rate_hz // COARSE_HZ)
    low = decimate(source, step)
    heard = decimate(recording, step)[: 20 * rate_hz // step]
    tiled = np.concatenate([low, low[: len(heard)]]) if len(heard) <= len(low) else np.tile(low, 3)
    c = correlate(taper(heard, rate_hz // step), tiled, (0, len(low) - 1), rho=0.5)
    peak = find_peak(c, rate_hz // step, signed=False)
    if peak.to_rms < MIN_TO_RMS:
        return None
    return round(peak.lag * step) % len(source)


def _looped(source: F32, start: int, length: int) -> F32:
    return np.take(source, np.arange(start, start + length), mode="wrap")


def _delays(references: Mapping[str, F32], heard: F32, rate_hz: int, search: int) -> dict[str, float]:
    """Lag of each reference in `heard`, which begins `search` frames before them; those not found are left out."""
    found = {}
    for part, reference in references.items():
        peak = find_peak(correlate(reference, heard, (0, 2 * search)), rate_hz, signed=False)
        if peak.to_rms >= MIN_TO_RMS:
            found[part] = peak.lag - search
    return found


def left_between(sources: Mapping[str, F32], lead: str, recording: F32, rate_hz: int) -> TakeOffsets | None:
    """What is left of every part against `lead` in one file.

    sources: part → mono source on the beat, all starting at the same beat and looped at the lead's length.
    recording: mono. Returns None where the lead cannot be found in the recording.
    """
    position = find_position(sources[lead], recording, rate_hz)
    if position is None:
        return None
    length, hop, search = round(WINDOW_S * rate_hz), round(HOP_S * rate_hz), round(SEARCH_S * rate_hz)
    period = len(sources[lead])
    padded = {p: np.pad(s, (0, max(0, period - len(s))))[:period] for p, s in sources.items()}
    loud = {p: level_db(s[np.abs(s) > 1e-4]) if np.any(np.abs(s) > 1e-4) else 0.0 for p, s in padded.items()}
    rows: dict[str, list[tuple[float, float]]] = {p: [] for p in sources if p != lead}
    anchors = []
    for start in range(search, len(recording) - length - search, hop):
        heard = recording[start - search : start + length + search]
        if level_db(heard) < -80:
            continue
        references = {p: _looped(s, position + start, length) for p, s in padded.items()}
        active = {p: taper(r, rate_hz) for p, r in references.items() if level_db(r) > loud[p] + ACTIVE_DB + 12}
        if lead not in active:
            continue
        lags = _delays(active, taper(heard, rate_hz), rate_hz, search)
        if lead not in lags:
            continue
        lags = _conditioned(active, heard, lags, search)
        anchors.append(lags[lead])
        for part, lag in lags.items():
            if part != lead:
                rows[part].append((start / rate_hz, (lag - lags[lead]) / rate_hz))
    if not anchors:
        return None
    left = {p: _left(p, values) for p, values in rows.items() if values}
    return TakeOffsets(position - float(np.median(anchors)), left)


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


def _left(part: str, values: list[tuple[float, float]]) -> Left:
    offsets = np.array([v for _, v in values])
    median = float(np.median(offsets))
    # Robust σ: a window caught by another part must not widen what is stated.
    scatter = 1.4826 * float(np.median(np.abs(offsets - median)))
    error = 1.25 * scatter / len(offsets) ** 0.5
    return Left(part, median, error, scatter, len(offsets), tuple(t for t, _ in values), tuple(v for _, v in values))
