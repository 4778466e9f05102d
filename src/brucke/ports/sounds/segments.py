"""What a recording leaves beside its sounds: its segments, each with files of its own, and what the track did."""

import os
from collections.abc import Sequence
from pathlib import Path
from typing import TypeVar

import msgspec

from ...core.files.safe_read import ReadProblem, convert, decode_json, read_bytes
from ...core.measure.expected_source import TrackMark

NOTE = "segments.json"
TRACK = "track.json"
MAX_BYTES = 4 * 2**20
MOST = 1000
T = TypeVar("T")


class Segment(msgspec.Struct, kw_only=True):
    """One stretch without a gap. `frame` counts the engine's frames, which go on with time; `lost_frames` were written
    as silence. `why` it begins: “engine” (it was replaced), “still” (it gave nothing for a while), else nothing is
    missing before it."""

    number: int
    frame: int
    monotonic_ns: int
    frames: int = 0
    lost_frames: int = 0
    why: str = ""


def segment_file(name: str, number: int) -> str:
    """“parts/voice.wav” of the second segment is “parts/voice.2.wav”: no id has a dot in it."""
    stem, dot, ending = name.rpartition(".")
    return name if number == 1 else f"{stem}.{number}{dot}{ending}"


def gaps(segments: Sequence[Segment]) -> list[tuple[int, int, str]]:
    """(frame of the take, frames that are not there, why) between segments in their order."""
    found, end = [], segments[0].frame if segments else 0
    for s in segments:
        if s.frame > end:
            found.append((end - segments[0].frame, s.frame - end, s.why))
        end = max(end, s.frame + s.frames)
    return found


def _write(path: Path, what: object) -> None:
    """Beside and renamed. Errors: OSError."""
    temporary = path.with_name(f".{path.name}.part")
    temporary.write_bytes(msgspec.json.encode(what))
    os.replace(temporary, path)


def _read(path: Path, kind: type[T]) -> T | None:
    try:
        return convert(decode_json(read_bytes(path, MAX_BYTES, "a note")), kind)
    except ReadProblem:
        return None


def write_segments(folder: Path, segments: list[Segment]) -> None:
    """Errors: OSError."""
    _write(folder / NOTE, segments)


def read_segments(folder: Path) -> list[Segment]:
    """In their order; none where the note is missing or is none of ours."""
    return sorted(_read(folder / NOTE, list[Segment]) or [], key=lambda s: s.frame)[:MOST]


def write_track(folder: Path, marks: Sequence[TrackMark]) -> None:
    """What the track did, on the engine's frames. Errors: OSError."""
    _write(folder / TRACK, tuple(marks))


def read_track(folder: Path) -> tuple[TrackMark, ...]:
    """On the frames of the take itself; nothing where it is not known."""
    segments = read_segments(folder)
    if not segments:
        return ()
    marks = _read(folder / TRACK, tuple[TrackMark, ...]) or ()
    return tuple(TrackMark(m.frame - segments[0].frame, m.at) for m in marks)
