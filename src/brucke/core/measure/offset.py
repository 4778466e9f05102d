"""How much later one recording is than another: natural sound, or a known measuring sound.

Conventions: float32 mono, shape (frames,), one rate for both. A positive offset means the recording is
later. Acceptance of natural sound asks eight segments to vote; a peak alone says nothing, because patterns
of one instrument correlate highly whatever they play.
"""

from dataclasses import dataclass

import numpy as np

from .correlation import F32, Correlation, Peak, correlate, find_peak
from .stimulus import taper

SEGMENTS = 8
VOTE_FRAMES = 4
NATURAL_MIN_S = 4.0
# Acceptance, as tried: known sound peak/RMS and second/first peak; natural sound needs half of the votes.
KNOWN_TO_RMS = 8.0
SECOND_LIMIT = 0.5
REPEATS_LIMIT = 0.93


@dataclass(frozen=True)
class Offset:
    """`match` False means the rest is not to be used. `reason` is a code for the sentence.

    `confidence` is 0 to 1; `search_s` the signed range looked through; `repeats_s` the period when the
    material repeats itself.
    """

    match: bool
    reason: str
    frames: float = 0.0
    rate_hz: int = 48000
    confidence: float = 0.0
    polarity: int = 1
    search_s: tuple[float, float] = (0.0, 0.0)
    repeats_s: float = 0.0
    votes: int = 0
    voters: int = 0

    @property
    def seconds(self) -> float:
        return self.frames / self.rate_hz


def level_db(signal: F32) -> float:
    rms = float(np.sqrt(np.mean(np.square(signal, dtype=np.float64)))) if len(signal) else 0.0
    return 20 * float(np.log10(max(rms, 1e-10)))


def _unit(signal: F32) -> F32:
    peak = float(np.max(np.abs(signal))) or 1.0
    return (signal / np.float32(peak)).astype(np.float32)


def known_delay(reference: F32, recording: F32, rate_hz: int, search_s: float) -> tuple[Peak, Correlation]:
    """Peak of a known measuring sound within 0…`search_s` of the recording's start."""
    c = correlate(_unit(reference), _unit(recording), (0, round(search_s * rate_hz)))
    return find_peak(c, rate_hz), c


def natural_offset(reference: F32, recording: F32, rate_hz: int, search_s: float = 2.0) -> Offset:
    """Offset between two recordings of the same performance, within ± `search_s`."""
    search = (-search_s, search_s)
    shortest = min(len(reference), len(recording)) / rate_hz
    if shortest < NATURAL_MIN_S:
        return Offset(False, "too_short", rate_hz=rate_hz, search_s=search)
    if level_db(reference) < -90 or level_db(recording) < -90:
        return Offset(False, "silent", rate_hz=rate_hz, search_s=search)
    reach = round(search_s * rate_hz)
    a, b = taper(_unit(reference), rate_hz), taper(_unit(recording), rate_hz)
    whole = correlate(a, b, (-reach, reach))
    peak = find_peak(whole, rate_hz)
    votes, voters = _votes(a, b, rate_hz, peak, reach)
    result = Offset(
        True, "", peak.lag, rate_hz, 0.0, peak.polarity, search, votes=votes, voters=voters
    )  # fmt: skip
    if voters < SEGMENTS // 2 or votes * 2 < max(voters, SEGMENTS // 2):
        return _refuse(result, "no_match")
    if peak.second > REPEATS_LIMIT:
        period = abs(peak.second_lag - peak.lag) / rate_hz
        return _refuse(result, "repeats", repeats_s=period)
    confidence = votes / SEGMENTS * min(1.0, 1.25 * (1.0 - max(0.0, peak.second - 0.2)))
    return Offset(
        True, "", peak.lag, rate_hz, round(float(np.clip(confidence, 0, 1)), 3), peak.polarity, search,
        votes=votes, voters=voters,
    )  # fmt: skip


def _refuse(o: Offset, reason: str, repeats_s: float = 0.0) -> Offset:
    return Offset(
        False, reason, rate_hz=o.rate_hz, search_s=o.search_s, repeats_s=repeats_s, votes=o.votes, voters=o.voters
    )


def _votes(a: F32, b: F32, rate_hz: int, peak: Peak, reach: int) -> tuple[int, int]:
    """How many of eight segments, each on its own, find the same lag; (agreeing, that had sound to judge)."""
    lag = round(peak.lag)
    start, stop = max(0, -lag), min(len(a), len(b) - lag)
    length = (stop - start) // SEGMENTS
    if length < rate_hz // 4:
        return 0, 0
    quiet = level_db(a) - 40
    votes = voters = 0
    near = min(reach, round(0.5 * rate_hz))
    for i in range(SEGMENTS):
        begin = start + i * length
        one = a[begin : begin + length]
        if level_db(one) < quiet:
            continue
        low, high = max(0, begin + lag - near), min(len(b), begin + lag + length + near)
        c = correlate(taper(one, rate_hz), taper(b[low:high], rate_hz), (0, high - low - length))
        found = find_peak(c, rate_hz)
        voters += 1
        votes += abs(found.lag + low - begin - peak.lag) <= VOTE_FRAMES and found.polarity == peak.polarity
    return votes, voters
