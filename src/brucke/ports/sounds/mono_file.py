"""One channel of a sound file of any length, read piece by piece as it is asked for: an hour of it takes no room."""

import tempfile
from pathlib import Path
from typing import IO

import numpy as np
import soundfile as sf

from ...core.measure.whole_path import OPPOSITE
from .files import BLOCK_FRAMES, F32, SoundFileError, checked_info, refuse_truncated
from .track import chunks, track_info

PLAIN = {"WAV", "WAVEX", "RF64", "W64", "AIFF", "FLAC", "CAF", "AU"}  # in these any frame is found at once


class MonoFile:
    """The mean of a file's channels, or the loudest one where they cancel each other out; float32, for slices. What is
    at another rate than `rate_hz`, or in a coding in which frames cannot be found, is converted once, into a file that
    nobody sees. Errors: SoundFileError."""

    def __init__(self, path: Path, rate_hz: int | None = None):
        self.name = path.name
        self._converted: IO[bytes] | None = None
        try:
            info = checked_info(path)
            plain = info.format in PLAIN and rate_hz in (None, info.samplerate)
            refuse_truncated(path, info, info.frames)
            own_rate = info.samplerate
        except SoundFileError as e:
            if not e.convertible:
                raise
            plain, own_rate = False, _own_rate(path, e)
        self.rate_hz = rate_hz or own_rate
        self._file = sf.SoundFile(path) if plain else self._convert(path)
        self._weights = self._telling()

    def __len__(self) -> int:
        return int(self._file.frames)

    def __getitem__(self, part: slice, /) -> F32:
        begin, end, _ = part.indices(len(self))
        if end <= begin:
            return np.zeros(0, np.float32)
        self._file.seek(begin)
        sound = self._file.read(end - begin, dtype="float32", always_2d=True)
        return np.ascontiguousarray(sound @ self._weights, np.float32)

    def close(self) -> None:
        self._file.close()
        if self._converted is not None:
            self._converted.close()

    def _convert(self, path: Path) -> sf.SoundFile:
        self._converted = tempfile.TemporaryFile(prefix="brucke-")  # noqa: SIM115 - closed with this
        try:
            with sf.SoundFile(
                self._converted, "w", samplerate=self.rate_hz, channels=2, format="RF64", subtype="FLOAT"
            ) as out:
                for sound in chunks(path, self.rate_hz):
                    out.write(sound.T)
        except OSError as e:
            raise SoundFileError(f"{self.name}: converting it: {e.strerror or e}") from None
        self._converted.seek(0)
        file = sf.SoundFile(self._converted)
        if not file.frames:
            raise SoundFileError(f"{self.name}: the sound: empty, no frames in it")
        return file

    def _telling(self) -> F32:
        """What each channel counts."""
        channels = self._file.channels
        sums, mean, at = np.zeros(channels), 0.0, 0
        while len(piece := self._file.read(BLOCK_FRAMES, dtype="float32", always_2d=True)):
            if not np.isfinite(piece).all():
                bad = at + int(np.argmin(np.isfinite(piece).all(axis=1)))
                raise SoundFileError(f"{self.name}: frame {bad}: not a number; the file is damaged")
            sums += np.einsum("ij,ij->j", piece, piece, dtype=np.float64)
            mean += float(np.sum(np.square(piece.mean(axis=1), dtype=np.float64)))
            at += len(piece)
        if at < len(self):
            raise SoundFileError(f"{self.name}: the end: cut off, the file promises more sound than it holds")
        if mean >= OPPOSITE * float(sums.max()):
            return np.full(channels, 1 / channels, np.float32)
        weights = np.zeros(channels, np.float32)
        weights[int(np.argmax(sums))] = 1.0
        return weights


def _own_rate(path: Path, why: SoundFileError) -> int:
    """Of a file that another reader manages."""
    try:
        return track_info(path).rate_hz
    except SoundFileError:
        raise why from None
