"""Edits of a take that change no file: what is left out, muted, raised, moved. Data and pure functions; times are
seconds on the take's own time, as it was recorded."""

import math
from collections.abc import Iterable, Iterator
from itertools import pairwise

import msgspec
from msgspec.structs import replace

MAX_GAIN_DB, MIN_GAIN_DB = 24.0, -60.0
MAX_MOVE_S = 10.0
MOST = 20_000  # stretches of one kind: an hour of a phrase each second, several times
LEAST_S = 0.001


class Stretch(msgspec.Struct, frozen=True, order=True):
    begin_s: float
    end_s: float


class Raised(msgspec.Struct, frozen=True, order=True):
    """A stretch that is louder or softer."""

    begin_s: float
    end_s: float
    gain_db: float


class TrackEdits(msgspec.Struct, frozen=True, kw_only=True):
    """`moved_s` later than it was recorded, with everything that is edited in it."""

    muted: tuple[Stretch, ...] = ()
    raised: tuple[Raised, ...] = ()
    gain_db: float = 0.0
    moved_s: float = 0.0


class Edits(msgspec.Struct, frozen=True, kw_only=True):
    """`left_out` of all tracks and the picture; what is before or after it moves together. Fades at its very beginning
    and end. `tracks` by part."""

    left_out: tuple[Stretch, ...] = ()
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    tracks: dict[str, TrackEdits] = {}

    def of(self, part: str) -> TrackEdits:
        return self.tracks.get(part, NONE)


NONE = TrackEdits()
UNEDITED = Edits()


def kept(edits: Edits, seconds: float) -> list[Stretch]:
    """What is left of a take that lasts so long, in its order."""
    found, at = [], 0.0
    for out in edits.left_out:
        if out.begin_s - at >= LEAST_S:
            found.append(Stretch(at, min(out.begin_s, seconds)))
        at = max(at, out.end_s)
    if seconds - at >= LEAST_S:
        found.append(Stretch(at, seconds))
    return [s for s in found if s.end_s - s.begin_s >= LEAST_S]


def after_edits_s(edits: Edits, at_s: float, seconds: float) -> float | None:
    """Where a time of the take lies in what is left of it; None where that is left out."""
    before = 0.0
    for s in kept(edits, seconds):
        if at_s < s.begin_s:
            return None
        if at_s <= s.end_s:
            return before + at_s - s.begin_s
        before += s.end_s - s.begin_s
    return None


def union(stretches: Iterable[Stretch]) -> tuple[Stretch, ...]:
    """Sorted, none touching another."""
    found: list[Stretch] = []
    for s in sorted(stretches):
        if found and s.begin_s <= found[-1].end_s:
            found[-1] = Stretch(found[-1].begin_s, max(found[-1].end_s, s.end_s))
        elif s.end_s - s.begin_s >= LEAST_S:
            found.append(s)
    return tuple(found)


def without(stretches: Iterable[Stretch], taken: Stretch) -> tuple[Stretch, ...]:
    """What is left of them outside of `taken`."""
    found = []
    for s in stretches:
        for a, b in ((s.begin_s, min(s.end_s, taken.begin_s)), (max(s.begin_s, taken.end_s), s.end_s)):
            if b - a >= LEAST_S:
                found.append(Stretch(a, b))
    return tuple(found)


# What a hand can do; each gives other edits.


def leave_out(edits: Edits, s: Stretch) -> Edits:
    return replace(edits, left_out=union([*edits.left_out, s]))


def keep_only(edits: Edits, s: Stretch, seconds: float) -> Edits:
    """Everything before and after it is left out."""
    outside = [Stretch(0.0, s.begin_s), Stretch(s.end_s, seconds)]
    return replace(edits, left_out=union([*edits.left_out, *(o for o in outside if o.end_s - o.begin_s >= LEAST_S)]))


def bring_back(edits: Edits, s: Stretch) -> Edits:
    """Nothing of it is left out any more."""
    return replace(edits, left_out=without(edits.left_out, s))


def mute(edits: Edits, part: str, stretches: Iterable[Stretch]) -> Edits:
    track = edits.of(part)
    return _with(edits, part, replace(track, muted=union([*track.muted, *stretches])))


def unmute(edits: Edits, part: str, s: Stretch) -> Edits:
    track = edits.of(part)
    return _with(edits, part, replace(track, muted=without(track.muted, s)))


def raise_by(edits: Edits, part: str, s: Stretch | None, gain_db: float) -> Edits:
    """One stretch of a track by so much more or less, or all of it."""
    track = edits.of(part)
    if s is None:
        return _with(edits, part, replace(track, gain_db=_held(track.gain_db + gain_db)))
    same = next((r for r in track.raised if (r.begin_s, r.end_s) == (s.begin_s, s.end_s)), None)
    now = _held((same.gain_db if same is not None else 0.0) + gain_db)
    others = [r for r in track.raised if r is not same]
    raised = sorted([*others, Raised(s.begin_s, s.end_s, now)] if abs(now) > 1e-9 else others)
    return _with(edits, part, replace(track, raised=tuple(raised)))


def move(edits: Edits, part: str, seconds: float) -> Edits:
    """A track so much later, sooner below zero, than it is now."""
    track = edits.of(part)
    moved = max(-MAX_MOVE_S, min(MAX_MOVE_S, track.moved_s + seconds))
    return _with(edits, part, replace(track, moved_s=0.0 if abs(moved) < 1e-7 else moved))


def move_to(edits: Edits, part: str, seconds: float) -> Edits:
    """A track so much later than it was recorded, sooner below zero."""
    return move(edits, part, seconds - edits.of(part).moved_s)


def fade(edits: Edits, in_s: float, out_s: float) -> Edits:
    return replace(edits, fade_in_s=max(0.0, min(60.0, in_s)), fade_out_s=max(0.0, min(60.0, out_s)))


def _held(gain_db: float) -> float:
    return max(MIN_GAIN_DB, min(MAX_GAIN_DB, gain_db))


def _with(edits: Edits, part: str, track: TrackEdits) -> Edits:
    tracks = {k: v for k, v in edits.tracks.items() if k != part}
    return replace(edits, tracks=tracks if track == NONE else {**tracks, part: track})


def edit_problems(edits: Edits, parts: Iterable[str]) -> Iterator[tuple[str, str]]:
    """(place, reason) of what no edits of ours are."""
    known = set(parts)
    yield from _stretches("left_out", edits.left_out)
    for name, seconds in (("fade_in_s", edits.fade_in_s), ("fade_out_s", edits.fade_out_s)):
        if not 0.0 <= seconds <= 60.0:
            yield name, "no fade lasts so long"
    for part, track in edits.tracks.items():
        place = f"tracks.{part[:40]}"
        if part not in known:
            yield place, "no part of this take"
        yield from _stretches(f"{place}.muted", track.muted)
        yield from _stretches(f"{place}.raised", [Stretch(r.begin_s, r.end_s) for r in track.raised], apart=False)
        for gain in (track.gain_db, *(r.gain_db for r in track.raised)):
            if not MIN_GAIN_DB <= gain <= MAX_GAIN_DB:
                yield place, f"a gain of {gain:g} dB, outside {MIN_GAIN_DB:g} to {MAX_GAIN_DB:g}"
        if not abs(track.moved_s) <= MAX_MOVE_S:
            yield place, "moved too far"


def _stretches(place: str, stretches: Iterable[Stretch], apart: bool = True) -> Iterator[tuple[str, str]]:
    """`apart`: in their order, none in another."""
    some = list(stretches)
    if apart and any(b.begin_s < a.end_s for a, b in pairwise(some)):
        yield place, "stretches that lie in one another"
    if len(some) > MOST:
        yield place, "too many stretches"
    for s in some[:MOST]:
        if not (math.isfinite(s.begin_s) and math.isfinite(s.end_s) and 0 <= s.begin_s < s.end_s < 1e6):
            yield place, "no stretch of a take"
            return
