"""Backing tracks: any sound or video file that FFmpeg's libraries read, decoded ahead, looped and sought to the frame.

Everything comes out as float32 [2, frames] at the rate asked for.
"""

from collections.abc import Iterator
from pathlib import Path

import av
import msgspec
import numpy as np
import numpy.typing as npt

from ...core.files.safe_read import ReadProblem, regular_file
from .files import MAX_SECONDS, SoundFileError

F32 = npt.NDArray[np.float32]
# Demultiplexers of FFmpeg that read sound and picture from the very file they are given.
FORMATS = "wav,w64,aiff,caf,au,flac,ogg,mp3,aac,mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,avi"
SUFFIXES = ("wav", "flac", "ogg", "oga", "opus", "mp3", "m4a", "aac", "mkv", "mka", "mp4", "mov", "webm", "avi")


class TrackInfo(msgspec.Struct, frozen=True):
    """What a file says of itself. `seconds` is 0 where it does not say; what it says may be wrong."""

    seconds: float
    rate_hz: int
    channels: int


def open_media(path: Path) -> "av.container.InputContainer":
    """A plain container and nothing that only names others: no playlist, no address, no other file.

    Errors: av.FFmpegError, OSError, ValueError."""
    only = {"format_whitelist": FORMATS, "protocol_whitelist": "file"}
    return av.open(f"file:{path}", metadata_errors="ignore", options=only)


def _open(path: Path) -> "av.container.InputContainer":
    try:
        regular_file(path)
    except ReadProblem as e:
        raise SoundFileError(f"{path.name}: {e}") from None
    try:
        container = open_media(path)
    except (av.FFmpegError, OSError, ValueError, MemoryError, RecursionError) as e:
        raise SoundFileError(f"{path.name}: the file: not a sound or video file that can be read") from e
    if not container.streams.audio:
        container.close()
        raise SoundFileError(f"{path.name}: the file: has no sound in it")
    if container.streams.audio[0].codec_context is None:
        container.close()
        raise SoundFileError(f"{path.name}: the sound: in a coding that cannot be read")
    return container


def track_info(path: Path) -> TrackInfo:
    """Errors: SoundFileError for what is no sound, or says it is longer than three hours."""
    with _open(path) as container:
        stream = container.streams.audio[0]
        seconds = 0.0
        if stream.duration is not None and stream.time_base is not None:
            seconds = float(stream.duration * stream.time_base)
        elif container.duration is not None:
            seconds = container.duration / av.time_base
        if seconds > MAX_SECONDS:
            raise SoundFileError(f"{path.name}: the sound: longer than three hours")
        if not 1 <= stream.rate <= 768_000 or stream.channels < 1:
            raise SoundFileError(f"{path.name}: the sound: {stream.rate} Hz, {stream.channels} channels is not a sound")
        return TrackInfo(max(0.0, seconds), stream.rate, stream.channels)


class Decoder:
    """Chunks of one file in order. `at` is the frame that the next chunk begins with."""

    def __init__(self, path: Path, rate_hz: int):
        track_info(path)
        self.path, self.rate = path, rate_hz
        self._container = _open(path)
        self._stream = self._container.streams.audio[0]
        self._stream.codec_context.thread_type = "AUTO"
        self.at = 0
        self._drop = 0
        self._begin()

    def _begin(self) -> None:
        # FFmpeg spreads one channel over two at −3 dB each; a track of one channel keeps its level on both.
        layout = "mono" if self._stream.channels == 1 else "stereo"
        self._resampler = av.AudioResampler(format="fltp", layout=layout, rate=self.rate)
        self._frames = self._container.decode(self._stream)

    def seek(self, frame: int) -> None:
        """The next chunk begins with `frame`."""
        base = self._stream.time_base
        assert base is not None
        start = self._stream.start_time or 0
        # Half a second earlier: coders with a memory have to settle before the frame asked for.
        target = max(0.0, frame / self.rate - 0.5)
        self._container.seek(start + int(target / base), stream=self._stream)
        self._begin()
        self.at, self._drop = frame, -1

    def chunk(self) -> F32 | None:
        """The next sound [2, frames], or None at the end. A file damaged in the middle ends there."""
        while True:
            try:
                frame = next(self._frames, None)
            except (av.FFmpegError, ValueError, MemoryError):
                frame = None
            pieces = self._resampler.resample(frame) if frame is not None else self._flush()
            if self._drop < 0 and frame is not None:
                self._drop = self._before(frame)
            sounds = [p.to_ndarray() for p in pieces]
            if not sounds and frame is None:
                return None
            if not sounds:
                continue
            sound = np.concatenate(sounds, axis=1).astype(np.float32, copy=False)
            sound = np.repeat(sound, 2, axis=0) if sound.shape[0] == 1 else sound
            skip = min(self._drop, sound.shape[1]) if self._drop > 0 else 0
            self._drop -= skip
            if skip < sound.shape[1]:
                sound = np.nan_to_num(sound[:, skip:], nan=0.0, posinf=0.0, neginf=0.0)
                self.at += sound.shape[1]
                return np.ascontiguousarray(sound)

    def _flush(self) -> "list[av.AudioFrame]":
        try:
            return self._resampler.resample(None)
        except (av.FFmpegError, ValueError, EOFError):
            return []

    def _before(self, frame: "av.AudioFrame") -> int:
        """How many frames lie between where decoding began after a seek and the frame asked for."""
        base = self._stream.time_base
        if frame.pts is None or base is None:
            return 0
        began = float((frame.pts - (self._stream.start_time or 0)) * base)
        return max(0, round(self.at - began * self.rate))

    def close(self) -> None:
        self._container.close()


def chunks(path: Path, rate_hz: int, most_s: float = MAX_SECONDS) -> Iterator[F32]:
    """A whole file piece by piece, at most `most_s` seconds of it."""
    decoder = Decoder(path, rate_hz)
    try:
        while decoder.at < most_s * rate_hz and (sound := decoder.chunk()) is not None:
            yield sound
    finally:
        decoder.close()


def read_track(path: Path, rate_hz: int, most_s: float = MAX_SECONDS) -> F32:
    """A file at once. Errors: SoundFileError, also for one with nothing in it."""
    pieces = list(chunks(path, rate_hz, most_s))
    if not pieces:
        raise SoundFileError(f"{path.name}: the sound: empty, no frames in it")
    return np.concatenate(pieces, axis=1)


class MemoryTrack:
    """A track that is all there; for everything that runs faster than real time."""

    def __init__(self, sound: F32):
        self._sound = sound if sound.shape[0] == 2 else np.repeat(sound[:1], 2, axis=0)
        self.length = sound.shape[1]
        self.position = 0
        self.loop = (0, self.length)
        self.jumps: list[tuple[int, int]] = []

    def seek(self, frame: int) -> None:
        self.position = min(max(frame, 0), self.length - 1)

    def block(self, n: int) -> F32:
        """The next `n` frames, going round in the loop."""
        first, end = self.loop
        end = end if self.position < end else self.length
        at = np.arange(self.position, self.position + n)
        at[at >= end] = first + (at[at >= end] - end) % max(1, end - first)
        self.jumps = [(int(i) + 1, int(at[i + 1])) for i in np.flatnonzero(np.diff(at) != 1)]
        self.position = int(at[-1]) + 1
        if self.position >= end:
            self.position = first
            self.jumps.append((n, first))
        return self._sound[:, at]

    def close(self) -> None:
        pass
