"""How much later one recording is than another: natural sound, or a known measuring sound.

Conventions: float32 mono, shape (frames,), one rate for both. A positive offset means the recording is
later. Acceptance of natural sound asks segments to vote; a peak alone says nothing, because patterns
of one instrument correlate highly whatever they play. Recordings of two devices have two clocks: where the
votes do not stand at one lag, they may stand on a line, or at two lags one after the other.
"""

import msgspec
import numpy as np
from msgspec.structs import replace

from .candidates import Candidate, Judgement, judge
from .correlation import F32, F64, PAD, Correlation, Peak, correlate, decimate, find_peak
from .repeating import period_s
from .segments import Segments, fine_lags, sliding, straight_line
from .stimulus import taper
from .views import Sound, levels_db

NATURAL_MIN_S = 4.0
LONGEST_S = 90.0  # of longer recordings the loudest stretch is compared
# Acceptance, as tried: known sound peak/RMS and second/first peak; natural sound needs half of the votes.
KNOWN_TO_RMS = 8.0
SECOND_LIMIT = 0.5
SILENT_DB = -90.0
LONELY = 0.36
FEW, SINGLE_TO_RMS = 4, 20.0  # so few segments with sound have to agree all, on a peak that stands out so far
LOW_HZ = 16000
BEYOND_S = 6.0  # so far beyond the range is looked for what may be meant as well
ARRIVAL_TO_RMS = 25.0  # a weaker peak that stands out so far is an arrival of its own
APART_S = 0.002  # rivals are not nearer to one another
LEAST_S = 0.05e-3  # no offset is known better: what two ways do to a sound moves its peak by as much
MOST_LOOKS, SMEARED_S = 3, 0.1e-3  # stretched again while the slope was wrong by so much over all of it
LEAST_PPM = 0.2
JUMP_SHARE = 0.75  # of the segments, that two lags one after the other have to explain


class Offset(msgspec.Struct, frozen=True):
    """`match` False means that only `rivals` are to be used: what it may be. `reason` is a code for the sentence, see
    `candidates.Judgement`, and “too_short” and “silent”.

    `frames` is the offset at the beginning, `plus_minus_s` 95 %; `confidence` is 0 to 1; `search_s` the signed range
    looked through; `repeats_s` the period when the material repeats itself; `votes` of `voters` segments agree.
    `drift_ppm`, where it is more than its error, is how fast it becomes later. A recording that `jumps_at_s` is
    `frames` later before and the first rival's value after.
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
    plus_minus_s: float = 0.0
    rivals: tuple[Candidate, ...] = ()
    drift_ppm: float = 0.0
    drift_ppm_error: float = 0.0
    jumps_at_s: float | None = None

    @property
    def seconds(self) -> float:
        return self.frames / self.rate_hz

    @property
    def drifts(self) -> bool:
        """Whether it slides by more than accident, and so much that anybody would want to know."""
        return abs(self.drift_ppm) > max(1.5 * self.drift_ppm_error, LEAST_PPM) and self.drift_ppm_error > 0


def level_db(signal: F32) -> float:
    """Level of `signal` [frames] as a root mean square, in dB of full scale; −200 at least."""
    rms = float(np.sqrt(np.mean(np.square(signal, dtype=np.float64)))) if len(signal) else 0.0
    return 20 * float(np.log10(max(rms, 1e-10)))


def _unit(signal: F32) -> F32:
    peak = float(np.max(np.abs(signal))) or 1.0
    return (signal / np.float32(peak)).astype(np.float32)


def known_delay(reference: F32, recording: F32, rate_hz: int, search_s: float) -> tuple[Peak, Correlation]:
    """The peak of a known measuring sound, `reference` [n], within 0…`search_s` seconds of the beginning of `recording`
    [m], and the whole correlation."""
    c = correlate(_unit(reference), _unit(recording), (0, round(search_s * rate_hz)))
    return find_peak(c, rate_hz), c


def natural_offset(reference: Sound, recording: Sound, rate_hz: int, search_s: float = 2.0) -> Offset:
    """Offset between two recordings of the same performance, within ± `search_s`; of files, only what is looked at is
    read."""
    start = Offset(False, "no_match", rate_hz=rate_hz, search_s=(-search_s, search_s))
    if min(len(reference), len(recording)) / rate_hz < NATURAL_MIN_S:
        return replace(start, reason="too_short")
    part = excerpt(reference, min(len(reference), len(recording)), rate_hz)
    a, b = reference[part], recording[part]
    if level_db(a) < SILENT_DB or level_db(b) < SILENT_DB:
        return replace(start, reason="silent")
    pair = _Pair(taper(_unit(a), rate_hz), taper(_unit(b), rate_hz), rate_hz, search_s, part.start / rate_hz)
    found = _at_one_lag(pair, 0.0, start)
    if found.reason in ("repeats", "edge") or (found.match and found.votes == found.voters):
        return found
    slope = sliding(pair.low_a, pair.low_b, pair.low_rate, search_s)
    for _ in range(MOST_LOOKS if slope else 0):
        slid = _at_one_lag(pair, slope, start)
        if not slid.match or slid.votes < found.votes:
            break
        found, before, slope = slid, slope, slid.drift_ppm * 1e-6
        if abs(slope - before) * len(pair.a) / rate_hz < SMEARED_S:
            break
    if found.match:
        return found
    jumped = _at_two_lags(pair, start)
    return jumped if jumped is not None else found


def excerpt(reference: Sound, length: int, rate_hz: int) -> slice:
    """The loudest LONGEST_S of its first `length` frames."""
    most = round(LONGEST_S * rate_hz)
    if length <= most:
        return slice(0, most)
    power = 10 ** (levels_db(reference, rate_hz) / 10)
    seconds = round(LONGEST_S)
    starts = range(0, length // rate_hz - seconds + 1, seconds // 4)
    start = max(starts, key=lambda s: float(power[s : s + seconds].sum()))
    return slice(start * rate_hz, start * rate_hz + most)


class _Pair:
    """What is compared, at its own rate and at about 16 kHz; it begins `begin_s` after the recordings do."""

    def __init__(self, a: F32, b: F32, rate: int, search_s: float, begin_s: float):
        self.a, self.b, self.rate, self.search_s, self.begin_s = a, b, rate, search_s, begin_s
        self.step = max(1, rate // LOW_HZ)
        self.low_rate = rate // self.step
        self.low_a, self.low_b = decimate(a, self.step), decimate(b, self.step)
        self.reach = round(search_s * self.low_rate)

    def stretched(self, slope: float) -> F32:
        """The recording on the clock of the reference."""
        import samplerate

        if not slope:
            return self.b
        return np.asarray(samplerate.resample(self.b, 1 / (1 + slope), "sinc_medium"), np.float32)


def _at_one_lag(pair: _Pair, slope: float, start: Offset) -> Offset:
    """Where all of it stands at one lag, once the recording was stretched by `slope`."""
    b = pair.stretched(slope)
    low_b = decimate(b, pair.step) if slope else pair.low_b
    peak = find_peak(correlate(pair.low_a, low_b, (-pair.reach, pair.reach)), pair.low_rate)
    segments = Segments.of(pair.low_a, low_b, pair.low_rate, pair.search_s, 8)
    agreeing, voters = segments.agreeing(peak.lag, peak.polarity), segments.voters
    votes = len(agreeing)
    period = period_s(pair.low_a, pair.low_rate)
    found = replace(start, votes=votes, voters=voters, repeats_s=period)
    agreed = _agreed(votes, voters, peak) or (period > 0 and votes > 0)
    judged = judge(_candidates(pair, low_b, peak), agreed, period)
    if not judged.accepted:
        return replace(found, reason=judged.reason, rivals=judged.rivals)
    times, lags = fine_lags(pair.a, b, pair.rate, round(peak.lag * pair.step), agreeing)
    lags = (times + lags) * (1 + slope) - times
    return _matched(pair, found, peak, judged, times, lags)


def _matched(pair: _Pair, found: Offset, peak: Peak, judged: Judgement, times: F64, lags: F64) -> Offset:
    """The line through what the segments say, and what it says of the beginning."""
    line = straight_line(times, lags)
    drifts = replace(found, drift_ppm=line.slope * 1e6, drift_ppm_error=line.slope_error * 1e6).drifts
    at_begin = line.at(-pair.begin_s) if drifts else (line.at_middle if len(times) else peak.lag / pair.low_rate)
    error = line.error_at(-pair.begin_s) if drifts else line.error_at_middle
    confidence = found.votes / max(1, found.voters) * min(1.0, 1.25 * (1.0 - max(0.0, peak.second - 0.2)))
    return replace(
        found, match=True, reason="", frames=at_begin * pair.rate, confidence=round(float(np.clip(confidence, 0, 1)),
        3), polarity=peak.polarity,
        plus_minus_s=max(error, LEAST_S), rivals=judged.rivals, drift_ppm=line.slope * 1e6,
        drift_ppm_error=line.slope_error * 1e6,
    )  # fmt: skip


def _candidates(pair: _Pair, low_b: F32, peak: Peak) -> list[Candidate]:
    """The peak, and every other lag that stands out of the correlation at about 16 kHz, also beyond the range."""
    rate = pair.low_rate
    beyond = round(min(pair.search_s + BEYOND_S, 0.75 * len(pair.low_a) / rate) * rate)
    size = np.abs(correlate(pair.low_a, low_b, (-beyond, beyond)).values[PAD:-PAD])
    lags = (np.arange(len(size)) - beyond) / rate
    apart = round(APART_S * rate)
    here = int(np.argmin(np.abs(lags - peak.lag / rate)))
    best = float(size[max(0, here - 2) : here + 3].max()) or 1.0
    usual = float(np.sqrt(np.mean(size**2)))
    edge = pair.search_s - abs(peak.lag) / rate < APART_S
    found = [Candidate(peak.lag / rate, 1 / rate, 1.0, edge)]
    size[max(0, here - apart) : here + apart + 1] = 0
    for _ in range(6):
        top = int(np.argmax(size))
        if size[top] < 0.4 * best and size[top] < ARRIVAL_TO_RMS * usual:
            break
        found.append(Candidate(float(lags[top]), 1 / rate, float(size[top]) / best))
        size[max(0, top - apart) : top + apart + 1] = 0
    return found


def _agreed(votes: int, voters: int, peak: Peak) -> bool:
    """Half of the segments and a lonely peak, or three quarters of them. Patterns of one instrument with the very same
    samples pass either test now and then, hardly ever both. Where hardly a segment sounds, all of them and a peak that
    nothing comes near."""
    if voters < FEW:
        return 0 < votes == voters and peak.second < LONELY and peak.to_rms > SINGLE_TO_RMS
    return votes >= 0.75 * voters or (votes >= 0.5 * voters and peak.second < LONELY)


def _at_two_lags(pair: _Pair, start: Offset) -> Offset | None:
    """Where the recording jumped once: one lag before, another after; None where that does not explain it."""
    segments = Segments.of(pair.low_a, pair.low_b, pair.low_rate, pair.search_s, 16)
    split = segments.split(JUMP_SHARE)
    if split is None:
        return None
    at, before, after, votes, polarity = split
    rate = pair.low_rate
    pm = 2 / rate
    if min(pair.search_s - abs(before), pair.search_s - abs(after)) < APART_S:
        return None
    return replace(
        start, match=True, reason="", frames=before * pair.rate, polarity=polarity, plus_minus_s=pm,
        rivals=(Candidate(after, pm, 1.0),),
        votes=votes, voters=segments.voters, confidence=round(votes / max(1, segments.voters) / 2, 3),
        jumps_at_s=pair.begin_s + at,
    )  # fmt: skip
