"""How loud every track of a take is over time, in a small file beside it: an hour is drawn at once. And any stretch of
a track, to its frames."""

import zipfile
from pathlib import Path

import numpy as np
import numpy.typing as npt

from ..core.files.safe_read import ReadProblem, regular_file
from .sounds import track_blocks, track_stretch
from .take import Take, TakeError

FILE = "overview.npz"
A_SECOND = 50
MAX_BYTES = 2**26
FLOOR_DB = 60.0  # below full scale; what is softer is a thin line
U8 = npt.NDArray[np.uint8]
F32 = npt.NDArray[np.float32]


def overview(folder: Path, take: Take) -> dict[str, U8]:
    """By part, peaks [A_SECOND a second], 0 for FLOOR_DB and less, 255 for full scale; from its file, or made and kept.
    A track that cannot be read is not in it."""
    stamp = _stamp(folder, take)
    known = _read(folder)
    if known is not None and known[0] == stamp:
        return known[1]
    found = {}
    for id, name in take.parts.items():
        try:
            found[id] = _peaks(folder, name)
        except TakeError:
            continue
    _keep(folder, found, stamp)
    return found


def outline(folder: Path, take: Take, part: str, begin_s: float, seconds: float, columns: int) -> U8:
    """The same of one stretch, from its frames: one value a column. Errors: TakeError."""
    rate, sound = track_stretch(folder, take.parts[part], begin_s, seconds)
    peaks = np.abs(sound).max(axis=1)
    wanted = max(1, round(seconds * rate))
    peaks = np.concatenate([peaks, np.zeros(max(0, wanted - len(peaks)), np.float32)])
    edges = np.linspace(0, wanted, columns + 1).astype(int)
    return _coded(np.maximum.reduceat(peaks, np.minimum(edges[:-1], wanted - 1)))


def _peaks(folder: Path, name: str) -> U8:
    rate, _channels, blocks = track_blocks(folder, name)
    step, rest, found = max(1, rate // A_SECOND), np.zeros(0, np.float32), []
    for block in blocks:
        line = np.concatenate([rest, np.nan_to_num(np.abs(block).max(axis=1))])
        whole = len(line) // step
        found.append(line[: whole * step].reshape(whole, step).max(axis=1))
        rest = line[whole * step :]
    if len(rest):
        found.append(rest.max(keepdims=True))
    return _coded(np.concatenate(found) if found else np.zeros(0, np.float32))


def _coded(peaks: F32) -> U8:
    level = 1 + 20 * np.log10(np.maximum(peaks, 1e-9)) / FLOOR_DB
    return np.round(255 * np.clip(level, 0, 1)).astype(np.uint8)


def _stamp(folder: Path, take: Take) -> str:
    """What the tracks are, as far as their sizes tell."""
    sizes = []
    for id, name in sorted(take.parts.items()):
        stem = (folder / name).with_suffix("")
        sizes.append((id, *sorted((p.name, p.stat().st_size) for p in stem.parent.glob(f"{stem.name}*.wav"))))
    return repr(sizes)


def _read(folder: Path) -> tuple[str, dict[str, U8]] | None:
    """(of which tracks, by part); None where there is none, or one of somebody else's making."""
    path = folder / FILE
    try:
        regular_file(path)
        with zipfile.ZipFile(path) as file:
            if sum(member.file_size for member in file.infolist()) > MAX_BYTES:
                return None
        with np.load(path, allow_pickle=False) as arrays:
            found = {id: arrays[id] for id in arrays.files if id != "stamp"}
            stamp = str(arrays["stamp"])
    except (ReadProblem, OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return None
    return (stamp, found) if all(x.dtype == np.uint8 and x.ndim == 1 for x in found.values()) else None


def _keep(folder: Path, found: dict[str, U8], stamp: str) -> None:
    """Without it only time is lost."""
    partly = folder / f".{FILE}.part.npz"
    try:
        np.savez_compressed(partly, stamp=np.array(stamp), **found)  # type: ignore[arg-type]
        partly.replace(folder / FILE)
    except OSError:
        partly.unlink(missing_ok=True)
