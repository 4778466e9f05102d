"""What is left between the parts in a take, measured in what each listener really got."""

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from ..core.document.setup import Listener, Setup
from ..core.measure.correlation import correlate, find_peak
from ..core.measure.expected_source import TrackMark
from ..core.measure.picture_offset import picture_offset
from ..core.measure.sharp_sounds import clap_times
from ..core.measure.stimulus import taper
from ..core.measure.take_offset import Left, TakeOffsets, left_between
from ..core.timing.take_verdict import ListenerProof, PartLeft, PictureLeft, sounds_at
from .dry import Dry, dry_sources
from .film import Film, read_film
from .sounds import take_sound
from .take import Take, TakeError, save_take, with_notes_of

CLAP_NEAR_S = 0.05
CLAP_SURE = 6.0
LEAST_S = 6.0
JUDGED_S = 1200.0  # of a longer take, its first twenty minutes are judged
WHOLE = (TrackMark(0, 0),)  # what came in lies on the take's own frames
F32 = npt.NDArray[np.float32]
Progress = Callable[[float, str], None]


def prove_take(folder: Path, take: Take, sources: Mapping[str, F32], progress: Progress | None = None) -> Take:
    """The take with its proof, saved. `sources`: part → mono sound exactly on the beat; parts without one are looked
    for as they came in."""
    proof = {}
    dry: dict[str, Dry] | None = None
    judged = [x for x in take.setup.listeners if x.kind != "monitor"]
    for i, listener in enumerate(judged):
        if progress:
            progress(i / len(judged), listener.name)
        routed = sounds_at(take.setup, take.moment, listener.id)
        if dry is None and any(p.id not in sources for p in routed):
            dry = dry_sources(folder, take, JUDGED_S)
        proof[listener.id] = prove_listener(folder, take, listener, sources, dry or {})
    take = replace(with_notes_of(folder, take), proof=proof)
    save_take(folder, take)
    if progress:
        progress(1.0, "")
    return take


def prove_listener(
    folder: Path, take: Take, listener: Listener, sources: Mapping[str, F32], dry: Mapping[str, Dry] | None = None
) -> ListenerProof:
    """One listener's file against the sources, and against what came in `dry` of parts that have none; a reason instead
    where it cannot be told. Errors: TakeError."""
    dry = dry or {}
    name = take.far_ends.get(listener.id) or take.listeners.get(listener.id)
    routed = sounds_at(take.setup, take.moment, listener.id)
    known = [p.id for p in routed if p.id in sources]
    lead = next((p.id for p in routed if p.kind == "lead" and p.id in sources), None)
    if not routed:
        return ListenerProof(reason="nothing_routed")
    came = next((p.id for p in routed if p.kind == "lead" and p.id in dry), None)
    if name is None or (lead is None and came is None):
        return ListenerProof(reason="no_lead")
    film = None
    if name.endswith(".mkv"):
        film = read_film(folder / name, JUDGED_S)
        sound, rate = film.sound, film.rate_hz
    else:
        sound, rate = take_sound(folder, name, JUDGED_S)
    if sound.shape[1] < LEAST_S * rate:
        return ListenerProof(reason="too_short")
    mixed = np.ascontiguousarray(sound.sum(axis=0))
    found = left_between({p: sources[p] for p in known}, lead, mixed, rate, take.track) if lead is not None else None
    left = {p.id: PartLeft(reason="no_source") for p in routed if p.id not in sources}
    if found is not None and lead is not None:
        left |= {lead: PartLeft(windows=found.windows, looked=found.windows)}
        left |= {p: _stated(x) for p, x in found.left.items()}
    untold = [p.id for p in routed if p.id not in left or left[p.id].reason == "no_source"]
    wanted = {p: dry[p] for p in untold if p in dry}
    if came is not None and wanted:
        by_dry = left_between({p: d.sound for p, d in {came: dry[came], **wanted}.items()}, came, mixed, rate, WHOLE)
        if by_dry is not None:
            if found is None:  # the lead itself is known only by what came in
                found, lead = by_dry, came
                left |= {came: PartLeft(windows=by_dry.windows, looked=by_dry.windows, dry=True)}
            left |= {p: _as_came_in(x, wanted[p]) for p, x in by_dry.left.items()}
    if found is None or lead is None:
        return ListenerProof(reason="not_found")
    picture = _picture(take.setup, film, found) if film is not None else None
    return ListenerProof(left=left, lead=lead, picture=picture)


def _as_came_in(x: Left, d: Dry) -> PartLeft:
    """What the way in may be off adds to how well it is known (1.96: a ± is a 95 % interval)."""
    stated = _stated(x)
    error_ms = float(np.hypot(stated.error_ms, d.plus_minus_s * 1e3 / 1.96))
    return replace(stated, error_ms=error_ms, dry=True)


def _stated(x: Left) -> PartLeft:
    return PartLeft(
        median_ms=x.median_s * 1e3, error_ms=x.error_s * 1e3, scatter_ms=x.scatter_s * 1e3, windows=x.windows,
        phrases=x.phrases,
        looked=x.looked, reason="" if x.agree else "disagree", times_s=x.times_s,
        values_ms=tuple(v * 1e3 for v in x.values_s), inverted=x.inverted,
    )  # fmt: skip


def claps_in(film: Film, offsets: TakeOffsets, part: str) -> npt.NDArray[np.float64]:
    """When the claps of a part sound in the film, on the film's clock."""
    source, rate = offsets.sources[part], film.rate_hz
    late = offsets.late / rate + (offsets.left[part].median_s if part in offsets.left else 0.0)
    length = film.sound.shape[1] / rate
    sound = np.ascontiguousarray(film.sound.sum(axis=0))
    expected = [(clap, clap + late) for clap in clap_times(source, rate)]
    found = [_heard_at(clap, source, at, sound, rate) for clap, at in expected if 0.3 < at < length - 0.3]
    return np.sort(np.array([f for f in found if f is not None])) + film.sound_start_s


def _heard_at(clap_s: float, beat: F32, expected_s: float, sound: F32, rate: int) -> float | None:
    """When one clap is heard near where it is expected: people clap with scatter, each clap on its own."""
    begin, near = round((clap_s - 0.01) * rate), round(CLAP_NEAR_S * rate)
    clip = beat[max(0, begin) : begin + round(0.13 * rate)]
    start = round((expected_s - 0.01) * rate) - near
    heard = sound[max(0, start) : start + len(clip) + 2 * near]
    if len(heard) < len(clip) + 2 * near:
        return None
    peak = find_peak(correlate(taper(clip, rate, 0.002), taper(heard, rate, 0.002), (0, 2 * near)), rate, signed=False)
    return expected_s + (peak.lag - near) / rate if peak.to_rms > CLAP_SURE else None


def _picture(setup: Setup, film: Film, offsets: TakeOffsets) -> PictureLeft | None:
    for part in setup.parts:
        if part.kind != "picture" or part.shows not in offsets.sources:
            continue
        late = offsets.left[part.shows].median_s if part.shows in offsets.left else 0.0
        found = picture_offset(film.times_s, film.brightness, claps_in(film, offsets, part.shows))
        if found is not None:
            return PictureLeft(
                part=part.id, left_ms=(found.seconds + late) * 1e3, against_sound_ms=found.seconds * 1e3,
                plus_minus_ms=found.plus_minus_s * 1e3, claps=found.claps, period_ms=found.period_s * 1e3,
            )  # fmt: skip
    return None


def sounds_left(proofs: Mapping[str, ListenerProof]) -> Iterator[tuple[str, str, PartLeft]]:
    """(listener, part, what is left) of every sound."""
    for listener, proof in proofs.items():
        for part, left in proof.left.items():
            yield listener, part, left


__all__ = ["TakeError", "prove_listener", "prove_take", "sounds_left"]
