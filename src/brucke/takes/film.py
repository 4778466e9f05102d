"""Sound and picture of a recording with both, on one clock. Read through FFmpeg's libraries."""

from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt

from ..core.document.reading import ReadProblem, regular_file
from ..ports.sounds.track import open_media
from .take import TakeError

MAX_PICTURES = 400_000


@dataclass(frozen=True)
class Film:
    """`sound` [channels, frames] begins at `sound_start_s`; one `brightness` per picture at `times_s`.

    Brightness is the mean absolute difference from the resting (median) picture.
    """

    sound: npt.NDArray[np.float32]
    rate_hz: int
    sound_start_s: float
    times_s: npt.NDArray[np.float64]
    brightness: npt.NDArray[np.float64]


def read_film(path: Path, most_s: float = 3 * 3600.0) -> Film:
    """Its first `most_s` seconds. TakeError where it cannot be read or holds no sound."""
    try:
        regular_file(path)
    except ReadProblem as e:
        raise TakeError(f"{path.name}: {e}") from None
    try:
        sound, rate, start = _read_sound(path, most_s)
        times, pictures = _read_pictures(path, most_s)
    except TakeError:
        raise
    except (av.FFmpegError, OSError, IndexError, ValueError, MemoryError) as e:
        raise TakeError(f"{path.name}: the file: {str(e).lower()[:80]}") from None
    if not len(pictures):
        return Film(sound, rate, start, times, np.zeros(0))
    rest = np.median(pictures[:: max(1, len(pictures) // 64)], axis=0)
    brightness = np.abs(pictures.astype(np.float32) - rest).mean(axis=(1, 2))
    return Film(sound, rate, start, times, brightness.astype(np.float64))


def _read_sound(path: Path, most_s: float) -> tuple[npt.NDArray[np.float32], int, float]:
    with open_media(path) as file:
        if not file.streams.audio:
            raise TakeError(f"{path.name}: the file: holds no sound")
        stream = file.streams.audio[0]
        pieces, start = [], None
        resampler = av.AudioResampler(format="fltp", layout="stereo")
        for frame in file.decode(stream):
            if start is None:
                start = float(frame.time or 0.0)
            pieces += [f.to_ndarray() for f in resampler.resample(frame)]
            if frame.time is not None and frame.time - start > most_s:
                break
        if not pieces:
            raise TakeError(f"{path.name}: the sound: empty")
        return np.concatenate(pieces, axis=1).astype(np.float32), int(stream.rate), start or 0.0


def _read_pictures(path: Path, most_s: float) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.uint8]]:
    times, pictures = [], []
    with open_media(path) as file:
        if not file.streams.video:
            return np.zeros(0), np.zeros((0, 1, 1), np.uint8)
        for frame in file.decode(file.streams.video[0]):
            if frame.time is None:
                continue
            if len(times) >= MAX_PICTURES or frame.time > most_s:
                break
            times.append(float(frame.time))
            small = frame.reformat(width=80, height=45, format="gray")
            pictures.append(small.to_ndarray())
    if not pictures:
        return np.zeros(0), np.zeros((0, 1, 1), np.uint8)
    return np.array(times), np.stack(pictures)
