"""How much later one recording is than another: natural sound, or a known measuring sound.

Conventions: float32 mono, shape (frames,), one rate for both. A positive offset means the recording is
later. Acceptance of natural sound asks eight segments to vote; a peak alone says nothing, because patterns
of one instrument correlate highly whatever they play.
"""

from dataclasses import dataclass

import numpy as np

from .correlation import F32, PAD, Correlation, Peak, correlate, decimate, find_peak
from .stimulus import taper

SEGMENTS = 8
VOTE_FRAMES = 4
NATURAL_MIN_S = 4.0
LONGEST_S = 90.0  # of longer recordings the loudest stretch is compared
# Acceptance, as tried: known sound peak/RMS and second/first peak; natural sound needs half of the votes.
KNOWN_TO_RMS = 8.0
SECOND_LIMIT = 0.5
REPEATS_LIMIT = 0.85
LONELY = 0.36
VOTE_HZ = 16000


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
    reference, recording = _excerpt(reference, recording, round(LONGEST_S * rate_hz))
    a, b = taper(_unit(reference), rate_hz), taper(_unit(recording), rate_hz)
    whole = correlate(a, b, (-reach, reach))
    peak = find_peak(whole, rate_hz)
    votes, voters = _votes(a, b, rate_hz, peak, reach)
    result = Offset(False, "", rate_hz=rate_hz, search_s=search, votes=votes, voters=voters)
    if not _agreed(votes, voters, peak):
        period = _period(a, rate_hz, search_s)
        return _refuse(result, "repeats" if period else "no_match", repeats_s=period)
    confidence = votes / SEGMENTS * min(1.0, 1.25 * (1.0 - max(0.0, peak.second - 0.2)))
    return Offset(
        True, "", peak.lag, rate_hz, round(float(np.clip(confidence, 0, 1)), 3), peak.polarity, search,
        votes=votes, voters=voters,
    )  # fmt: skip


def _excerpt(reference: F32, recording: F32, most: int) -> tuple[F32, F32]:
    """The loudest stretch of the reference and the same stretch of the recording, at most `most` frames."""
    length = min(len(reference), len(recording))
    if length <= most:
        return reference, recording
    starts = range(0, length - most + 1, most // 4)
    start = max(starts, key=lambda s: float(np.dot(reference[s : s + most], reference[s : s + most])))
    return reference[start : start + most], recording[start : start + most]


def _agreed(votes: int, voters: int, peak: Peak) -> bool:
    """Half of the segments and a lonely peak, or three quarters of them. Patterns of one instrument with the very
    same samples pass either test now and then, hardly ever both."""
    if voters < SEGMENTS // 2:
        return False
    return votes >= 0.75 * voters or (votes >= 0.5 * voters and peak.second < LONELY)


def _refuse(o: Offset, reason: str, repeats_s: float = 0.0) -> Offset:
    return Offset(
        False, reason, rate_hz=o.rate_hz, search_s=o.search_s, repeats_s=repeats_s, votes=o.votes, voters=o.voters
    )


def _period(sound: F32, rate_hz: int, longest_s: float) -> float:
    """Seconds after which the sound is nearly itself again, or 0: then any offset may as well be one period more."""
    step = max(1, rate_hz // VOTE_HZ)
    low = decimate(sound, step)
    rate = rate_hz // step
    first, last = rate // 20, min(round(longest_s * rate), len(low) * 3 // 4)
    plain = correlate(low, low, (first, last), rho=0).values[PAD:-PAD]
    energy = np.concatenate([[0.0], np.cumsum(low.astype(np.float64) ** 2)])
    lags = np.arange(first, last + 1)
    overlap = np.sqrt(energy[len(low) - lags] * (energy[-1] - energy[lags]))
    alike = plain / np.maximum(overlap, 1e-12)
    best = int(np.argmax(alike))
    return float(lags[best]) / rate if alike[best] > REPEATS_LIMIT else 0.0


def _votes(a: F32, b: F32, rate_hz: int, peak: Peak, reach: int) -> tuple[int, int]:
    """How many of eight segments, each over the whole range, find the same lag; (agreeing, that had sound).

    They vote at about 16 kHz: the question is which lag, not which fraction of a frame.
    """
    step = max(1, rate_hz // VOTE_HZ)
    low_a, low_b, rate = decimate(a, step), decimate(b, step), rate_hz // step
    lag, near = peak.lag / step, VOTE_FRAMES / step
    start, stop = max(0, round(-lag)), min(len(low_a), len(low_b) - round(lag))
    length = (stop - start) // SEGMENTS
    if length < rate // 4:
        return 0, 0
    quiet = level_db(low_a) - 40
    votes = voters = 0
    for begin in range(start, start + SEGMENTS * length, length):
        one = low_a[begin : begin + length]
        if level_db(one) < quiet:
            continue
        low = max(0, begin - reach // step)
        high = min(len(low_b), begin + length + reach // step)
        c = correlate(taper(one, rate), taper(low_b[low:high], rate), (0, max(1, high - low - length)))
        found = find_peak(c, rate)
        voters += 1
        votes += abs(found.lag + low - begin - lag) <= near and found.polarity == peak.polarity
    return votes, voters
