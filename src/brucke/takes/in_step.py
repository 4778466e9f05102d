"""A far end that sang or played along is set in step afterwards: it came back late, by a way there and a way back.

Four ways to know by how much, the best first; whoever asks is told which it was:
- “source”: what they played is known on its beat, from a file that the setup names.
- “echo”: what was sent comes in again with the far end, from their loudspeaker: their whole way, heard all the time.
- “phrases”: when their phrases begin against the music's, near where what is stored says that they come.
- “stored”: what was measured, reported and entered of the call, where nothing can be heard in it.
Where none of them tells anything it is “nothing”: then only an ear can.
"""

from collections.abc import Mapping
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np

from ..core.document.setup import Part
from ..core.measure.correlation import F32
from ..core.measure.live_drift import LEAST, came_back, so_far
from ..core.measure.phrases import phrase_offsets
from ..core.measure.take_offset import behind
from ..core.timing.origins import Origins, came_in
from ..core.timing.paths import Situation, capture_stages, path_latency
from .sounds import track_frames, track_stretch
from .take import Take, TakeError

By = Literal["source", "echo", "phrases", "stored", "nothing"]
EVERY_S, SPAN_S = 5.0, 5.4
ALIKE_S = 0.02  # lags of one way are no farther apart
LEAST_ECHOES, SHARE = 3, 0.5  # of the looks that found anything, so many agree
LONGEST_S = 600.0
RATE_HZ = 24_000


class InStep(msgspec.Struct, frozen=True):
    """How much later than the music's own track the far end lies in the take, and by how much that wandered: it is to
    be moved by as much the other way."""

    by: By
    late_s: float = 0.0
    plus_minus_s: float = 0.0
    wander_s: float = 0.0
    drift_ppm: float | None = None
    matched: int = 0
    of: int = 0


def far_ends(take: Take) -> list[Part]:
    """That were recorded."""
    return [p for p in take.setup.parts if p.kind == "far_end" and p.id in take.parts]


def in_step(folder: Path, take: Take, part: str, sources: Mapping[str, F32] | None = None) -> InStep:
    """`sources`: part → mono sound on the beat, where it is known. Errors: TakeError."""
    lead = next((p for p in take.setup.parts if p.kind == "lead" and p.id in take.parts), None)
    if lead is None:
        raise TakeError(f"{folder.name}: the parts: no music that they could be in step with was recorded")
    frames, rate = track_frames(folder, take.parts[part])
    seconds = min(LONGEST_S, frames / rate)
    if sources is not None and {lead.id, part} <= set(sources):
        known_by = _by_source(folder, take, lead.id, part, sources, seconds)
        if known_by is not None:
            return known_by
    sent = take.setup.part(part).returns_from
    if sent in take.listeners:
        echo = _by_echo(folder, take, lead.id, sent, part, seconds)
        if echo is not None:
            return echo
    known = Situation(take.setup, take.knowledge, moment=take.moment)
    arrives, base = came_in(known, part), came_in(known, lead.id)
    stored = arrives - base if arrives is not None and base is not None else None
    near_s = stored.value if stored is not None else _at_least_s(known, part)
    phrases = _by_phrases(folder, take, lead.id, part, seconds, near_s)
    if phrases is not None:
        return phrases
    if stored is not None:
        return InStep("stored", stored.value, stored.plus_minus)
    return InStep("nothing")


def _at_least_s(known: Situation, part: str) -> float:
    """As much of their way as is known, however little that is."""
    origin = Origins(known).of.get(part)
    way = path_latency(tuple(capture_stages(known, known.setup.part(part)))).value
    return max(0.0, (origin.time.value if origin is not None else 0.0) + way)


def _by_source(
    folder: Path, take: Take, lead: str, part: str, sources: Mapping[str, F32], seconds: float
) -> InStep | None:
    rate, music = track_stretch(folder, take.parts[lead], 0.0, seconds)
    rate_b, sung = track_stretch(folder, take.parts[part], 0.0, seconds)
    if rate != rate_b:
        return None
    left = behind(sources, lead, part, {lead: _mono(music), part: _mono(sung)}, rate, take.track)
    if left is None:
        return None
    # 1.96: a ± is a 95 % interval.
    return InStep("source", left.median_s, 1.96 * left.error_s, left.scatter_s, None, left.windows, left.looked)


def _looks(folder: Path, name_a: str, name_b: str, seconds: float) -> tuple[list[float], list[float], int, int]:
    """(when, how much later `b` has what is in `a`, looks, rate)."""
    times: list[float] = []
    lags: list[float] = []
    looks, rate = 0, 48_000
    for at in np.arange(0.0, max(0.0, seconds - SPAN_S) + 1e-6, EVERY_S):
        rate, a = track_stretch(folder, name_a, float(at), SPAN_S)
        rate_b, b = track_stretch(folder, name_b, float(at), SPAN_S)
        if rate != rate_b or len(a) != len(b):
            continue
        looks += 1
        lag = came_back(_mono(a), _mono(b), rate, lags[-1] if lags else None)
        if lag is not None:
            times.append(float(at))
            lags.append(lag)
    return times, lags, looks, rate


def _by_echo(folder: Path, take: Take, lead: str, sent: str, part: str, seconds: float) -> InStep | None:
    times, lags, looks, rate = _looks(folder, take.listeners[sent], take.parts[part], seconds)
    alike = np.array(lags)[np.abs(np.array(lags) - np.median(lags)) < ALIKE_S] if lags else np.zeros(0)
    if len(alike) < LEAST_ECHOES or len(alike) < SHARE * len(lags):
        return None
    _t, own, _n, _r = _looks(folder, take.parts[lead], take.listeners[sent], seconds)
    there = np.array(own)[np.abs(np.array(own) - np.median(own)) < ALIKE_S] if own else np.zeros(0)
    if len(there) < LEAST_ECHOES:
        return None
    late = float(np.median(alike) + np.median(there))
    spread = float(np.median(np.abs(alike - np.median(alike)))) * 1.4826
    drift = so_far(np.array(times), np.array(lags), rate) if len(lags) >= LEAST else None
    sure = 1.96 * 1.25 * (spread + 1 / rate) / np.sqrt(len(alike))
    return InStep("echo", late, float(sure), 2 * spread, drift.ppm if drift is not None else None, len(alike), looks)


def _by_phrases(folder: Path, take: Take, lead: str, part: str, seconds: float, near_s: float) -> InStep | None:
    """From how much later than the music their phrases begin, around `near_s`."""
    rate, music = track_stretch(folder, take.parts[lead], 0.0, seconds)
    rate_b, sung = track_stretch(folder, take.parts[part], 0.0, seconds)
    if rate != rate_b:
        return None
    shift = max(0, round(near_s * rate))
    a, b = _mono(music), _mono(sung)[shift:]
    length = min(len(a), len(b))
    found = phrase_offsets(b[:length], a[:length], rate)
    if not found.match:
        return None
    ppm = 1e6 * found.trend if found.slides else None
    late = shift / rate + found.seconds
    return InStep("phrases", late, found.plus_minus_s, found.scatter_s, ppm, found.matched, found.of)


def _mono(sound: F32) -> F32:
    return np.ascontiguousarray(np.nan_to_num(sound.mean(axis=1)), np.float32)
