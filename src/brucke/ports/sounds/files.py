"""Sound files, read whole with one clear sentence when they are bad, and takes written so that a kill leaves them
whole."""

import errno
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile as sf

from ...core.errors import BruckeError
from ...core.files.safe_read import ReadProblem, regular_file

F32 = npt.NDArray[np.float32]
MAX_SECONDS = 3 * 3600
MAX_WIDE = 64
MAX_SAMPLES = 2**30  # of all channels together
BLOCK_FRAMES = 2**18
# libsndfile's command that rewrites the header of a file still being written; soundfile does not wrap it.
_UPDATE_HEADER_NOW = 0x1060


class SoundFileError(BruckeError, ValueError):
    """One sentence: file, place in it, reason. `convertible` where another reader may still manage."""

    code = "sound_file"

    convertible = False

    @classmethod
    def maybe(cls, text: str) -> "SoundFileError":
        error = cls(text)
        error.convertible = True
        return error


def checked_info(path: Path) -> "sf._SoundFileInfo":
    """What a file says of itself. Errors: SoundFileError for what is not sound, empty, or longer than three hours."""
    name = path.name
    try:
        regular_file(path)
        info = sf.info(path)
    except ReadProblem as e:
        raise SoundFileError(f"{name}: {e}") from None
    except (sf.LibsndfileError, OSError, RuntimeError, ValueError, MemoryError) as e:
        raise SoundFileError.maybe(f"{name}: the file: not a sound file that can be read") from e
    if not (1 <= info.channels <= MAX_WIDE and 1 <= info.samplerate <= 768_000):
        raise SoundFileError(f"{name}: the sound: {info.samplerate} Hz, {info.channels} channels is not a sound")
    if info.frames == 0:
        raise SoundFileError(f"{name}: the sound: empty, no frames in it")
    if info.frames > MAX_SECONDS * info.samplerate:
        raise SoundFileError(f"{name}: the sound: longer than three hours")
    return info


def read_sound(path: Path, rate_hz: int | None = None) -> tuple[F32, int]:
    """(sound [channels, frames], rate). Errors: SoundFileError for what is not sound, empty, silent of numbers,
    longer than three hours, shorter than it says, or at a rate other than `rate_hz`."""
    name, info = path.name, checked_info(path)
    if info.frames * info.channels > MAX_SAMPLES:
        raise SoundFileError(
            f"{name}: the sound: {info.channels} channels of that length are more than can be read at once"
        )
    if rate_hz is not None and info.samplerate != rate_hz:
        raise SoundFileError.maybe(
            f"{name}: the sample rate: {info.samplerate} Hz, expected {rate_hz} Hz; convert it first"
        )
    try:
        sound, rate = _read_in_blocks(path)
    except (sf.LibsndfileError, RuntimeError, OSError, ValueError, MemoryError) as e:
        raise SoundFileError(f"{name}: the sound: damaged, it cannot be decoded") from e
    refuse_truncated(path, info, len(sound))
    if not np.isfinite(sound).all():
        at = int(np.argmin(np.isfinite(sound).all(axis=1)))
        raise SoundFileError(f"{name}: frame {at}: not a number; the file is damaged")
    return np.ascontiguousarray(sound.T), rate


def _read_in_blocks(path: Path) -> tuple[F32, int]:
    """[frames, channels] of what is really there: a header may claim hours that no file holds."""
    pieces = []
    with sf.SoundFile(path) as f:
        while len(piece := f.read(BLOCK_FRAMES, dtype="float32", always_2d=True)):
            pieces.append(piece)
        empty = np.zeros((0, f.channels), np.float32)
        return np.concatenate(pieces) if pieces else empty, f.samplerate


def refuse_truncated(path: Path, info: "sf._SoundFileInfo", frames: int) -> None:
    """SoundFileError for a WAV that promises more bytes than it has: libsndfile trims it silently, we say so."""
    short = frames < info.frames
    if info.format in ("WAV", "WAVEX") and not short:
        with path.open("rb") as f:
            head = f.read(8)
        promised = int.from_bytes(head[4:8], "little") + 8
        short = promised < 0xFFFFFFFF and promised > path.stat().st_size + 1
    if short:
        raise SoundFileError(f"{path.name}: the end: cut off, the file promises more sound than it holds")


def mono(sound: F32) -> F32:
    return np.ascontiguousarray(sound.mean(axis=0), np.float32)


class TrackWriter:
    """One RF64 file per track, written as it comes; `sync` makes what is there readable even after a kill."""

    def __init__(self, path: Path, channels: int, rate_hz: int):
        path.parent.mkdir(parents=True, exist_ok=True)
        self._fd = os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC, 0o666)
        try:
            self._file = sf.SoundFile(
                self._fd, "w", samplerate=rate_hz, channels=channels, format="RF64", subtype="FLOAT", closefd=False
            )
        except BaseException:
            os.close(self._fd)
            raise
        self.frames = 0

    def write(self, sound: F32) -> None:
        """sound [channels, frames]. Errors: OSError where the disk takes less than all of it."""
        try:
            self._file.write(sound.T)
        except (sf.LibsndfileError, AssertionError, RuntimeError) as e:
            raise OSError(errno.ENOSPC, "the disk took no more") from e
        self.frames += sound.shape[1]

    def sync(self) -> None:
        """Errors: OSError."""
        self.complete()
        os.fsync(self._fd)

    def complete(self) -> None:
        """What was written can be read by whoever opens the file now; it is not safe on the disk yet."""
        self._file.flush()
        sf._snd.sf_command(self._file._file, _UPDATE_HEADER_NOW, sf._ffi.NULL, 0)

    def another_handle(self) -> int:
        """Of the same open file, to be closed by whoever asked. Errors: OSError."""
        return os.dup(self._fd)

    def close(self) -> None:
        try:
            self._file.close()
        finally:
            os.close(self._fd)


def cut_track(paths: Sequence[Path]) -> int:
    """Cut recordings that were left in the middle to the frames that all of them have; how many that is.

    Errors: OSError, soundfile's."""
    if not paths:
        return 0
    frames = min(sf.info(p).frames for p in paths)
    for path in paths:
        with sf.SoundFile(path, "r+") as f:
            f.truncate(frames)
    return frames


def write_sound(path: Path, sound: F32, rate_hz: int) -> None:
    """A finished file, float32 WAV or what the name's ending says. sound [channels, frames]"""
    path.parent.mkdir(parents=True, exist_ok=True)
    subtype = "FLOAT" if path.suffix.lower() == ".wav" else None
    sf.write(path, sound.T, rate_hz, subtype=subtype)
