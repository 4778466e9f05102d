"""One track of a take as one sound, whatever segments it was recorded in."""

from pathlib import Path

import numpy as np
import soundfile as sf

from ..core.document.reading import ReadProblem, regular_file
from ..ports.sounds.files import BLOCK_FRAMES, F32
from ..ports.sounds.segments import Segment, read_segments, segment_file
from .take import TakeError

LONGEST_S = 3 * 3600


def _read(path: Path, most_s: float) -> tuple[F32, int]:
    try:
        regular_file(path)
        with sf.SoundFile(path) as f:
            pieces, left = [np.zeros((0, f.channels), np.float32)], round(most_s * f.samplerate)
            # What is really there, and not what a header claims.
            while left > 0 and len(piece := f.read(min(left, BLOCK_FRAMES), dtype="float32", always_2d=True)):
                pieces.append(piece)
                left -= len(piece)
            return np.concatenate(pieces), f.samplerate
    except ReadProblem as e:
        raise TakeError(f"{path.name}: {e}") from None
    except (sf.LibsndfileError, OSError, RuntimeError, MemoryError, ValueError) as e:
        raise TakeError(f"{path.name}: the file: not a sound that can be read") from e


def _segment_path(folder: Path, name: str, s: Segment) -> Path | None:
    """Where a segment of a track lies; takes of before named them with a hyphen."""
    old = name.removesuffix(".wav") + f"-{s.number}.wav"
    return next((folder / n for n in (segment_file(name, s.number), old) if (folder / n).is_file()), None)


def take_sound(folder: Path, name: str, most_s: float = LONGEST_S) -> tuple[F32, int]:
    """(sound [channels, frames], rate) of a track, its segments where they belong on the engine's clock and silence
    between them, and before what came later. Errors: TakeError."""
    segments = read_segments(folder) if name.startswith(("parts/", "listeners/")) else []
    later = next((p for s in segments[1:] if (p := _segment_path(folder, name, s)) is not None), None)
    begins = (folder / name).is_file() or later is None
    first, rate = _read(folder / name if begins else later, most_s if begins else 0.0)  # type: ignore[arg-type]
    pieces = [first]
    at = len(first)
    for s in segments[1:]:
        path = _segment_path(folder, name, s)
        begin = s.frame - segments[0].frame
        if path is None or begin >= most_s * rate:
            continue
        sound, _ = _read(path, most_s - begin / rate)
        if begin > at:
            pieces.append(np.zeros((begin - at, sound.shape[1]), np.float32))
        pieces.append(sound[max(0, at - begin) :])
        at = max(at, begin + len(sound))
    if any(p.shape[1] != first.shape[1] for p in pieces):
        raise TakeError(f"{name}: the segments: not equally wide")
    return np.ascontiguousarray(np.concatenate(pieces).T), rate
