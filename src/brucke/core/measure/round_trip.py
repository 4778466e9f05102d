"""From what came back to a round trip, or to a refusal that says what to check.

Conventions: `recording` starts with the very frame in which the first repeat was handed to the output, so a
lag in it is the round trip *output → input* in frames. One repeat starts every `spacing` frames.
"""

import math

import msgspec
import numpy as np

from .correlation import F32, Correlation, Peak
from .offset import KNOWN_TO_RMS, SECOND_LIMIT, known_delay, level_db
from .stimulus import GENTLY

CLIP = 0.999
DISAGREE_FRAMES = 0.5
SECOND_REPORTED = 0.12
SILENT_DB = -85.0
QUIET_DB = -50.0
PROOF_S = 0.0015
# Below this the estimator itself is the limit (seen on clean simulated cables).
FLOOR_FRAMES = 0.01


class RoundTrip(msgspec.Struct, frozen=True):
    """`second` is a second arrival's strength against the first, `second_s` how much later it comes."""

    seconds: float
    plus_minus_s: float
    repeats: int
    agreeing: int
    second: float
    second_s: float
    proof: tuple[float, ...]
    proof_start_s: float
    proof_step_s: float


class Refusal(msgspec.Struct, frozen=True):
    """`code` names the sentence, `values` complete it."""

    code: str
    values: dict[str, float] = {}


def round_trip(
    stimulus: F32, recording: F32, repeats: int, spacing: int, rate_hz: int, search_s: float, wander_s: float = 0.0
) -> RoundTrip | Refusal:
    """Round trip in seconds with its ± (95 %), from `repeats` of one `stimulus` [frames] played every `spacing` frames,
    in `recording` [frames] which began with the first of them. Where devices on the way are matched to another clock
    and are known to wander by `wander_s`, repeats may differ by as much, and the ± holds all of them. Refused, with
    what to check: silence, clipping, no match, two arrivals, repeats that disagree."""
    if float(np.max(np.abs(recording), initial=0.0)) >= CLIP:
        return Refusal("clipped")
    length = len(stimulus) + round(search_s * rate_hz)
    pieces = [recording[i * spacing : i * spacing + length] for i in range(repeats)]
    pieces = [p for p in pieces if len(p) >= len(stimulus)]
    if not pieces or level_db(recording) < SILENT_DB:
        return Refusal("silence")
    found = [known_delay(stimulus, p, rate_hz, min(search_s, (len(p) - 1) / rate_hz)) for p in pieces]
    good = [(peak, c) for peak, c in found if peak.to_rms > KNOWN_TO_RMS and peak.second < SECOND_LIMIT]
    doubled = [peak for peak, _ in found if peak.to_rms > KNOWN_TO_RMS and peak.second >= SECOND_LIMIT]
    if len(doubled) > len(good):
        return Refusal("two_arrivals", {"second_ms": abs(doubled[0].second_lag - doubled[0].lag) / rate_hz * 1e3})
    if len(good) * 2 <= len(found):
        return Refusal("silence" if level_db(recording) < QUIET_DB else "no_match")
    lags = np.array([peak.lag for peak, _ in good])
    spread = float(np.max(lags) - np.min(lags))
    if spread > DISAGREE_FRAMES + 2 * wander_s * rate_hz:
        return Refusal("disagree", {"spread_frames": spread})
    return _result(good, lags, len(found), rate_hz, spread / 2 if wander_s else 0.0)


def returned_db(stimulus: F32, recording: F32, repeats: int, spacing: int, seconds: float, rate_hz: int) -> float:
    """By how many dB it came back louder than it went out: `stimulus` [n], `recording` [frames], both as for
    `round_trip`, which found `seconds`. The median over thousandths of a second of all repeats that went out as loud as
    they were to, so that lost blocks do not count. −inf of silence."""
    frames, ratios = max(1, rate_hz // 1000), []
    whole = len(stimulus) // frames * frames
    sent = np.sum(stimulus[:whole].astype(np.float64).reshape(-1, frames) ** 2, axis=1)
    loud = sent > 0.01 * sent.max(initial=0.0)
    for k in range(min(len(GENTLY), repeats) - 1, repeats):
        first = k * spacing + round(seconds * rate_hz)
        came = recording[first : first + whole].astype(np.float64) / float(GENTLY[min(k, len(GENTLY) - 1)])
        if len(came) == whole:
            ratios.append(np.sum(came.reshape(-1, frames) ** 2, axis=1)[loud] / sent[loud])
    power = float(np.median(np.concatenate(ratios))) if ratios and loud.any() else 0.0
    return 10 * math.log10(power) if power > 0 else -math.inf


def _result(
    good: list[tuple[Peak, Correlation]], lags: "np.typing.NDArray[np.float64]", asked: int, rate_hz: int, least: float
) -> RoundTrip:
    middle = float(np.mean(lags))
    width = 2 * float(np.std(lags, ddof=1)) / len(lags) ** 0.5 if len(lags) > 1 else DISAGREE_FRAMES
    peak, correlation = good[0]
    around = np.arange(-round(PROOF_S * rate_hz), round(PROOF_S * rate_hz) + 1)
    centre = round(middle)
    proof = [correlation.at(float(centre + k)) / peak.height * peak.polarity for k in around]
    second = float(np.median([p.second for p, _ in good]))
    return RoundTrip(
        seconds=middle / rate_hz,
        plus_minus_s=max(width, least, FLOOR_FRAMES) / rate_hz,
        repeats=asked,
        agreeing=len(good),
        second=second if second >= SECOND_REPORTED else 0.0,
        second_s=(peak.second_lag - peak.lag) / rate_hz,
        proof=tuple(round(x, 4) for x in proof),
        proof_start_s=(centre + int(around[0])) / rate_hz,
        proof_step_s=1.0 / rate_hz,
    )
