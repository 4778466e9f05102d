"""One track of a take as one sound, whatever segments it was recorded in."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import soundfile as sf

from ..core.files.safe_read import ReadProblem, regular_file
from ..ports.sounds.files import BLOCK_FRAMES, F32
from ..ports.sounds.segments import Segment, read_segments, segment_file
from .take import TakeError

LONGEST_S = 3 * 3600


@contextmanager
def _open(path: Path) -> Iterator[sf.SoundFile]:
    """What goes wrong while it is read is one sentence, too."""
    try:
        regular_file(path)
        with sf.SoundFile(path) as f:
            yield f
    except ReadProblem as e:
        raise TakeError(f"{path.name}: {e}") from None
    except TakeError:
        raise
    except (sf.LibsndfileError, OSError, RuntimeError, MemoryError, ValueError) as e:
        raise TakeError(f"{path.name}: the file: not a sound that can be read") from e


def _segment_path(folder: Path, name: str, s: Segment) -> Path | None:
    """Where a segment of a track lies; takes of before named them with a hyphen."""
    old = name.removesuffix(".wav") + f"-{s.number}.wav"
    return next((folder / n for n in (segment_file(name, s.number), old) if (folder / n).is_file()), None)


def _pieces(folder: Path, name: str) -> list[tuple[int, Path]]:
    """(frame on the take's clock, file) of what a track was recorded in."""
    segments = read_segments(folder) if name.startswith(("parts/", "processed/", "listeners/")) else []
    pieces = [
        (s.frame - segments[0].frame, path)
        for s in segments[1:]
        if (path := _segment_path(folder, name, s)) is not None
    ]
    if (folder / name).is_file() or not pieces:
        pieces.insert(0, (0, folder / name))
    return pieces


def track_frames(folder: Path, name: str) -> tuple[int, int]:
    """(frames, rate) of a track as its files say; (0, 1) of one that is not there or cannot be read."""
    try:
        begin, path = _pieces(folder, name)[-1]
        with _open(path) as f:
            return begin + f.frames, f.samplerate
    except TakeError:
        return 0, 1


def track_blocks(folder: Path, name: str, most_s: float = LONGEST_S) -> tuple[int, int, Iterator[F32]]:
    """(rate, channels, blocks [frames, channels]) of a track from its beginning: its segments where they belong on the
    engine's clock, and silence between them and before what came later. Errors: TakeError, also from the blocks."""
    pieces = _pieces(folder, name)
    with _open(pieces[0][1]) as f:
        rate, channels = f.samplerate, f.channels
    return rate, channels, _blocks(name, pieces, channels, round(most_s * rate))


def _blocks(name: str, pieces: list[tuple[int, Path]], channels: int, most: int) -> Iterator[F32]:
    at = 0
    for begin, path in pieces:
        if begin >= most:
            continue
        with _open(path) as f:
            if f.channels != channels:
                raise TakeError(f"{name}: the segments: not equally wide")
            while at < begin:
                yield np.zeros((min(begin - at, BLOCK_FRAMES), channels), np.float32)
                at = min(begin, at + BLOCK_FRAMES)
            f.seek(min(at - begin, f.frames))
            # What is really there, and not what a header claims.
            while at < most and len(piece := f.read(min(most - at, BLOCK_FRAMES), dtype="float32", always_2d=True)):
                yield piece
                at += len(piece)


def take_sound(folder: Path, name: str, most_s: float = LONGEST_S) -> tuple[F32, int]:
    """(sound [channels, frames], rate) of a track; see `track_blocks`. Errors: TakeError."""
    rate, channels, blocks = track_blocks(folder, name, most_s)
    return np.ascontiguousarray(np.concatenate([np.zeros((0, channels), np.float32), *blocks]).T), rate


def track_stretch(folder: Path, name: str, begin_s: float, seconds: float) -> tuple[int, F32]:
    """(rate, [frames, channels]) of what a track holds from `begin_s` on, without reading what is before; silence
    between its segments, and less where it ends. Errors: TakeError."""
    pieces = _pieces(folder, name)
    with _open(pieces[0][1]) as f:
        rate, channels = f.samplerate, f.channels
    first, count = round(begin_s * rate), round(seconds * rate)
    found, filled = np.zeros((count, channels), np.float32), 0
    for begin, path in pieces:
        if begin >= first + count:
            break
        with _open(path) as f:
            if f.channels != channels or begin + f.frames <= first:
                continue
            f.seek(max(0, first - begin))
            at = max(0, begin - first)
            read = f.read(count - at, dtype="float32", always_2d=True)
            found[at : at + len(read)] = read
            filled = max(filled, at + len(read))
    return rate, found[:filled]
