"""A take's folder: one file per part and per listener, what the far ends gave back, and take.json."""

import math
import os
from collections.abc import Iterator, Mapping
from datetime import datetime
from pathlib import Path

import msgspec

from ..core.document.ranges import printable, range_problems, value_problems
from ..core.document.setup import Setup
from ..core.errors import BruckeError
from ..core.files.safe_read import ReadProblem, convert, decode_json, read_bytes
from ..core.knowledge.evidence import Knowledge
from ..core.measure.expected_source import TrackMark
from ..core.storage.setup_problems import knowledge_problems, leads_outside, problems
from ..core.timing.take_verdict import ListenerProof
from ..ports.sounds.segments import read_track
from .edits import UNEDITED, Edits, edit_problems

FORMAT = "brucke take"
VERSION = 1
MAX_BYTES = 64 * 2**20


class TakeError(BruckeError, ValueError):
    """One sentence: file, place in it, reason."""

    code = "take"


class FilmPiece(msgspec.Struct, frozen=True, kw_only=True):
    """From `begin_s` to `end_s` of a film, which begins `at_s` in the take; its clock is fast by `drift_ppm`."""

    begin_s: float
    end_s: float
    at_s: float
    plus_minus_s: float
    drift_ppm: float = 0.0


class PlacedFilm(msgspec.Struct, frozen=True, kw_only=True):
    """A film that found its place: its file below the folder, and where its pieces belong."""

    file: str
    pieces: tuple[FilmPiece, ...]


class Take(msgspec.Struct, frozen=True, kw_only=True):
    """`parts`, `processed` (behind their chains, later by what those cost) and `listeners` name files below the folder;
    `far_ends` what a listener really got; `track` is what the track did in it, on the take's own frames. `missing`
    says what is not there that should be."""

    format: str = FORMAT
    version: int = VERSION
    date: str
    setup: Setup
    knowledge: Knowledge = Knowledge()
    moment: str = ""
    parts: dict[str, str] = {}
    processed: dict[str, str] = {}
    listeners: dict[str, str] = {}
    far_ends: dict[str, str] = {}
    track: tuple[TrackMark, ...] = ()
    missing: tuple[str, ...] = ()
    proof: dict[str, ListenerProof] = {}
    film: PlacedFilm | None = None
    favourite: bool = False
    notes: str = ""
    edits: Edits = UNEDITED


def far_ends_in(folder: Path, setup: Setup) -> dict[str, str]:
    """By listener, the files that the far ends gave back."""
    found = {}
    for listener in setup.listeners:
        names = [f"far_ends/{listener.device}{ending}" for ending in (".wav", ".mkv")]
        there = next((n for n in names if (folder / n).is_file()), None)
        if there is not None:
            found[listener.id] = there
    return found


def save_take(folder: Path, take: Take) -> None:
    """Write beside and rename."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "take.json"
    temporary = folder / ".take.json.part"
    temporary.write_bytes(msgspec.json.format(msgspec.json.encode(take), indent=2))
    os.replace(temporary, path)


def load_take(folder: Path) -> Take:
    """TakeError where the folder holds no take this program reads."""
    path = folder / "take.json"
    name = f"{printable(folder.name)}/take.json"
    try:
        raw = decode_json(read_bytes(path, MAX_BYTES, "a take"))
        if not isinstance(raw, dict) or raw.get("format", FORMAT) != FORMAT or raw.get("version", 1) != VERSION:
            raise ReadProblem("format: not a take this program reads")
        take = convert(raw, Take)
    except ReadProblem as e:
        raise TakeError(f"{name}: {e}") from None
    for place, reason in take_problems(take):
        raise TakeError(f"{name}: {place}: {reason}")
    film = {"film": take.film.file} if take.film is not None else {}
    for files in (take.parts, take.processed, take.listeners, take.far_ends, film):
        _inside(folder, files)
    if not take.far_ends:  # whoever made it did not come to its end
        take = msgspec.structs.replace(take, far_ends=far_ends_in(folder, take.setup), track=read_track(folder))
    return take


def with_notes_of(folder: Path, take: Take) -> Take:
    """`take` with what was noted of it on the disk while something was measured in it: its film, its notes."""
    try:
        now = load_take(folder)
    except TakeError:
        return take
    return msgspec.structs.replace(take, film=now.film, favourite=now.favourite, notes=now.notes, edits=now.edits)


def take_problems(take: Take) -> Iterator[tuple[str, str]]:
    """(place, reason) of what no take of ours holds."""
    for place, reason in problems(take.setup):
        yield f"setup.{place}", reason
    yield from knowledge_problems(take.knowledge)
    try:
        datetime.fromisoformat(take.date)
    except ValueError:
        yield "date", f"“{printable(take.date)}” is not a date"
    yield from range_problems(take.proof, "proof")
    yield from value_problems("notes", take.notes, "notes")
    for i, piece in enumerate(take.film.pieces if take.film is not None else ()):
        values = (piece.begin_s, piece.end_s, piece.at_s, piece.plus_minus_s, piece.drift_ppm)
        if not all(math.isfinite(v) and abs(v) < 1e6 for v in values) or piece.end_s <= piece.begin_s:
            yield f"film.pieces.{i}", "no stretch of a film"
        elif abs(piece.drift_ppm) > 1000:
            yield f"film.pieces.{i}.drift_ppm", "no clock is so wrong"
    yield from ((f"edits.{printable(place)}", reason) for place, reason in edit_problems(take.edits, take.parts))
    known = {p.id for p in take.setup.parts}
    for listener, proof in take.proof.items():
        named = {*proof.left, *([proof.picture.part] if proof.picture else []), *([proof.lead] if proof.lead else [])}
        for part in sorted(named - known):
            yield f"proof.{printable(listener)}", f"no part “{printable(part)}”"
        if proof.picture is not None and proof.picture.period_ms <= 0:
            yield f"proof.{printable(listener)}.picture", "no picture lasts so long"


def _inside(folder: Path, files: Mapping[str, str]) -> None:
    for name in files.values():
        if leads_outside(name) or not (folder / name).resolve().is_relative_to(folder.resolve()):
            raise TakeError(f"{printable(folder.name)}/take.json: “{printable(name)}” leads outside the take")
