"""Sound and pictures of any film, on the clock of the film's own time stamps. Read through FFmpeg's libraries, never
whole: of the pictures only what `core/measure/video_features.py` keeps."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import av
import msgspec
import numpy as np
import numpy.typing as npt

from ..core.files.safe_read import ReadProblem, regular_file
from ..core.measure.video_features import VideoFeatures, blocks_of, columns_of
from ..ports.sounds.track import open_media
from .take import TakeError

U8 = npt.NDArray[np.uint8]
F64 = npt.NDArray[np.float64]
MAX_PICTURES = 400_000
SMALL = 160  # pixels that a picture is looked at in, along its longer side
TOGETHER = 64  # pictures that are looked at at once
KEPT = 6000  # small pictures that are kept, 90 MB
BACK_S, SLACK_S, GAP_S = 0.05, 0.02, 600.0  # what stamps may jump back, be off, and leave out
DAMAGED = 0.2  # share of packets that cannot be decoded
LUMA = ("yuv4", "yuvj4", "nv12", "nv21", "gray")


class FilmSound(msgspec.Struct, frozen=True):
    """`sound` [2, frames] begins at `start_s`."""

    sound: npt.NDArray[np.float32]
    rate_hz: int
    start_s: float


@contextmanager
def _reading(path: Path) -> Iterator["av.container.InputContainer"]:
    try:
        regular_file(path)
    except ReadProblem as e:
        raise TakeError(f"{path.name}: {e}") from None
    try:
        with open_media(path) as file:
            yield file
    except (av.FFmpegError, OSError, IndexError, ValueError, MemoryError, RecursionError) as e:
        said = (getattr(e, "strerror", None) or str(e)).lower()
        raise TakeError(f"{path.name}: the file: {said[:80]}") from None


class _Frames:
    """What a stream decodes to; damaged packets are passed over and counted."""

    def __init__(self, path: Path, file: "av.container.InputContainer", stream: Any, what: str):
        self._path, self._file, self._stream, self._what = path, file, stream, what
        self._packets = self._bad = 0
        if stream.codec_context is None:
            raise TakeError(f"{path.name}: the {what}: in a coding that cannot be read")
        stream.thread_type = "AUTO"

    def __iter__(self) -> Iterator[Any]:
        for packet in self._file.demux(self._stream):
            self._packets += 1
            try:
                frames = packet.decode()
            except av.EOFError:
                continue
            except (av.FFmpegError, ValueError):
                self._bad += 1
                continue
            for frame in frames:
                if frame.time is not None:
                    yield frame
        if self._bad > max(2, DAMAGED * self._packets):
            raise TakeError(f"{self._path.name}: the {self._what}: {self._bad} of {self._packets} pieces are damaged")


def sound_pieces(path: Path, most_s: float) -> Iterator[tuple[int, float, npt.NDArray[np.float32]]]:
    """(rate, when its sound begins, piece [2, frames]) of at most `most_s` of it, one after the other. Where its stamps
    leave something out there is silence. Errors: TakeError."""
    with _reading(path) as file:
        if not file.streams.audio:
            raise TakeError(f"{path.name}: the file: holds no sound")
        stream = file.streams.audio[0]
        rate = int(stream.rate or 0)
        if not 1000 <= rate <= 768_000:
            raise TakeError(f"{path.name}: the sound: {rate} Hz is not a sound")
        resampler = av.AudioResampler(format="fltp", layout="stereo", rate=rate)
        start, done = None, 0
        for frame in _Frames(path, file, stream, "sound"):
            at = float(frame.time)
            if start is None:
                start = at
            if at - start > most_s:
                break
            off = at - (start + done / rate)
            if off < -BACK_S:
                raise TakeError(
                    f"{path.name}: the sound: its time stamps jump back at {at:.1f} s; record again, or copy it into "
                    f"a new file"
                )
            if off > GAP_S:
                raise TakeError(f"{path.name}: the sound: its time stamps leave out {off:.0f} s at {at:.1f} s")
            if off > SLACK_S:
                piece = np.zeros((2, round(off * rate)), np.float32)
                done += piece.shape[1]
                yield rate, start, piece
            frame.pts = None  # the resampler would fill and cut by stamps of its own
            for out in resampler.resample(frame):
                piece = np.nan_to_num(out.to_ndarray().astype(np.float32, copy=False), nan=0.0, posinf=0.0, neginf=0.0)
                done += piece.shape[1]
                yield rate, start, piece
        if not done:
            raise TakeError(f"{path.name}: the sound: empty")


def read_film_sound(path: Path, most_s: float) -> FilmSound:
    """At most `most_s` of it, from its own beginning, at the rate it has. Errors: TakeError."""
    pieces = list(sound_pieces(path, most_s))
    rate, start, _first = pieces[0]
    return FilmSound(np.concatenate([piece for _rate, _start, piece in pieces], axis=1), rate, start)


def read_pictures(path: Path, most_s: float, near_s: F64 | None = None, reach_s: float = 1.2) -> VideoFeatures:
    """Its pictures until `most_s`; the small ones are kept within `reach_s` of any of the moments `near_s`. Errors:
    TakeError; without pictures `VideoFeatures` is empty."""
    with _reading(path) as file:
        if not file.streams.video:
            return _Looking(near_s, reach_s).seen((0, 0))
        looking = _Looking(near_s, reach_s)
        size = (0, 0)
        last = -np.inf
        for count, frame in enumerate(_Frames(path, file, file.streams.video[0], "picture")):
            at = float(frame.time)
            if count >= MAX_PICTURES or at > most_s:
                break
            if at < last - BACK_S:
                raise TakeError(
                    f"{path.name}: the picture: its time stamps jump back at {at:.1f} s; record again, or copy it "
                    f"into a new file"
                )
            if at <= last:
                continue  # a picture that would be shown at the same time
            last = at
            if size == (0, 0):
                size = (frame.width, frame.height)
            looking.look(at, _small(frame, size))
        return looking.seen(size)


def _small(frame: "av.VideoFrame", size: tuple[int, int]) -> U8:
    """Every so many pixels of how light it is; of an interlaced picture that is one of its fields."""
    step = max(1, round(max(size) / SMALL))
    plain = frame.format.name.startswith(LUMA) and frame.format.components[0].bits == 8
    if plain and (frame.width, frame.height) == size:
        plane = frame.planes[0]
        rows = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)[: frame.height, : frame.width]
        return rows[::step, ::step]
    wide, high = -(-size[0] // step), -(-size[1] // step)
    small = frame.reformat(width=wide, height=high, format="gray", interpolation="POINT")
    return np.asarray(small.to_ndarray(), np.uint8)


class _Looking:
    """Pictures as they come, many at once."""

    def __init__(self, near_s: F64 | None, reach_s: float):
        self._near_s = np.sort(near_s) if near_s is not None else np.zeros(0)
        self._reach = reach_s
        self._times: list[float] = []
        self._waiting: list[U8] = []
        self._light: list[npt.NDArray[np.float32]] = []
        self._moved: list[npt.NDArray[np.float32]] = []
        self._kept: list[U8] = []
        self._which: list[int] = []
        self._last: U8 | None = None

    def look(self, at: float, small: U8) -> None:
        small = np.ascontiguousarray(small)
        if self._near(at) and len(self._kept) < KEPT:
            self._which.append(len(self._times))
            self._kept.append(small)
        self._times.append(at)
        self._waiting.append(small)
        if len(self._waiting) == TOGETHER:
            self._count()

    def _near(self, at: float) -> bool:
        i = int(np.searchsorted(self._near_s, at))
        return any(abs(t - at) <= self._reach for t in self._near_s[max(0, i - 1) : i + 1])

    def _count(self) -> None:
        if not self._waiting:
            return
        pictures = np.stack([self._last if self._last is not None else self._waiting[0], *self._waiting])
        # The larger less the smaller of whole numbers: nothing wraps, and nothing is made wider.
        moved = np.maximum(pictures[1:], pictures[:-1]) - np.minimum(pictures[1:], pictures[:-1])
        self._light.append(blocks_of(pictures[1:]))
        self._moved.append(blocks_of(moved))
        self._last = self._waiting[-1]
        self._waiting.clear()

    def seen(self, size: tuple[int, int]) -> VideoFeatures:
        self._count()
        nothing = np.zeros((0, 1), np.float32)
        light, moved = (np.concatenate(x) if x else nothing for x in (self._light, self._moved))
        near = np.stack(self._kept) if self._kept else np.zeros((0, 1, 1), np.uint8)
        columns = columns_of(self._last[None]) if self._last is not None else 1
        return VideoFeatures(np.array(self._times), light, moved, near, np.array(self._which, np.int64), size, columns)
