"""The call and the stream: what happens to sound (and picture) after it has left the engine."""

import contextlib
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ..core.document.setup import Device
from ..ports.sounds.files import TrackWriter
from .camera import HEIGHT, U8, WIDTH
from .coder import OpusLink
from .delays import F32, Timeline
from .opus_timing import FRAME, LATENCY, RATE
from .performer import Performer
from .truth import ServiceTruth

Defer = Callable[[Callable[[], None]], None]


class SoundKeeper:
    """Writes what the far end hears as it comes, while asked to; aside where `defer` says how."""

    def __init__(self, defer: Defer | None = None) -> None:
        self._defer = defer or (lambda work: work())
        self._writer: TrackWriter | None = None
        self._broken: TrackWriter | None = None
        self._synced = 0

    def start(self, path: Path, rate_hz: int) -> None:
        """Errors: OSError."""
        self._defer(self.let_go())
        self._writer, self._synced = TrackWriter(path, 2, rate_hz), 0

    def add(self, sound: F32) -> None:
        writer = self._writer
        if writer is not None:
            piece = sound.copy()
            self._defer(lambda: self._write(writer, piece))

    def _write(self, writer: TrackWriter, piece: F32) -> None:
        if writer is self._broken:
            return
        try:
            writer.write(piece)
            if writer.frames - self._synced >= RATE:
                self._synced = writer.frames
                writer.sync()
        except OSError:
            self._broken = writer  # what is there stays; the take says what is missing
            _close(writer)

    def let_go(self) -> Callable[[], None]:
        """Nothing more is kept from now on; what closes the file, after everything that was deferred before."""
        writer, self._writer = self._writer, None
        return lambda: _close(writer) if writer is not None and writer is not self._broken else None


def _close(writer: TrackWriter) -> None:
    with contextlib.suppress(OSError):
        writer.close()


class Call:
    """Coder and network both ways; at the far end somebody hears it and may answer.

    `returned` holds the far end's sound by the absolute frame at which the engine captures it; it is there from the
    absolute frame `begin` on.
    """

    def __init__(
        self, device: Device, truth: ServiceTruth, far: Performer | None, defer: Defer | None = None, begin: int = 0
    ):  # fmt: skip
        self._there = OpusLink(2, 96_000)
        self._back = OpusLink(1, 48_000)
        buffers = device.buffer_frames * device.buffers
        self._delay_there = buffers + LATENCY + round(truth.there_s * RATE)
        self._delay_back = buffers + LATENCY + round(truth.back_s * RATE)
        self._far = far
        self._sent, self._answered = begin, 0
        self._answer_at: int | None = None
        self.returned = Timeline(4 * RATE)
        self.kept = SoundKeeper(defer)

    def hear(self, sound: F32, rough: int, answer: bool) -> None:
        """The engine's newest block [2, n]; what comes out of the coder reaches the far end's ears."""
        for piece in _pieces(self._there.push(sound)):
            at = self._sent + self._delay_there
            self._sent += piece.shape[1]
            self.kept.add(piece)
            if self._far is None:
                continue
            self._far.hear(at, piece.mean(axis=0), rough)
            mouth = self._far.play(at, piece.shape[1]) if answer else np.zeros(piece.shape[1], np.float32)
            if self._answer_at is None:
                self._answer_at = at
            back = self._back.push(mouth[None])
            if back.shape[1]:
                self.returned.write(self._answer_at + self._answered + self._delay_back, back[0])
                self._answered += back.shape[1]

    def leap(self, frames: int) -> None:
        """So much later, with nothing heard or said on the way."""
        self._sent += frames
        self._answered += frames if self._answer_at is not None else 0

    def forget(self, now: int) -> None:
        if self._far is not None:
            self._far.forget(now + self._delay_there)


def _pieces(sound: F32) -> list[F32]:
    return [sound[:, i : i + FRAME] for i in range(0, sound.shape[1], FRAME)]


class Stream:
    """Muxes sound and picture with delays of its own and gives back a Matroska file of what was seen."""

    def __init__(self, device: Device, truth: ServiceTruth, begin: int = 0):
        self._sound_delay = device.buffer_frames * device.buffers + LATENCY
        self._picture_delay = LATENCY + round(truth.picture_s * RATE)
        self._frames = begin
        self._file: av.container.OutputContainer | None = None

    @property
    def keeping(self) -> bool:
        """Whether somebody records what is seen."""
        return self._file is not None

    def start(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._file = av.open(str(path), "w", format="matroska")
        self._audio = self._file.add_stream("libopus", rate=RATE)
        self._audio.layout = "stereo"
        self._audio.format = "flt"
        self._audio.bit_rate = 128_000
        self._video = self._file.add_stream("mjpeg", rate=30)
        self._video.width, self._video.height, self._video.pix_fmt = WIDTH, HEIGHT, "yuvj420p"
        self._video.time_base = Fraction(1, 1000)
        self._video.codec_context.time_base = Fraction(1, 1000)
        self._video.codec_context.options = {"qmin": "2", "qmax": "3"}
        self._begin = self._frames
        self._pending = np.zeros((2, 0), np.float32)
        self._coded = 0
        self._last_picture = -1

    def hear(self, sound: F32) -> None:
        self._frames += sound.shape[1]
        if self._file is None:
            return
        self._pending = np.concatenate([self._pending, sound], axis=1)
        while self._pending.shape[1] >= FRAME:
            piece, self._pending = self._pending[:, :FRAME], self._pending[:, FRAME:]
            packed = np.ascontiguousarray(np.clip(piece, -1, 1).T.reshape(1, -1), np.float32)
            frame = av.AudioFrame.from_ndarray(packed, format="flt", layout="stereo")
            frame.sample_rate, frame.time_base, frame.pts = RATE, Fraction(1, RATE), self._coded
            self._coded += FRAME
            self._file.mux(self._audio.encode(frame))

    def leap(self, frames: int) -> None:
        """So much later; not while it is recorded."""
        self._frames += frames

    def see(self, at: int, picture: U8) -> None:
        """A finished picture whose exposure and transfer ended up at absolute frame `at`.

        The file's clock is that of its sound; a picture later than the sound stands later in it.
        """
        if self._file is None:
            return
        shown = round((at + self._picture_delay - self._sound_delay - self._begin) / RATE * 1000)
        if shown <= self._last_picture or shown < 0:
            return
        self._last_picture = shown
        frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
        frame.pts, frame.time_base = shown, Fraction(1, 1000)
        self._file.mux(self._video.encode(frame))

    def let_go(self) -> Callable[[], None]:
        """Nothing more is kept from now on; what completes the file, wherever that is done."""
        file, self._file = self._file, None
        if file is None:
            return lambda: None
        audio, video = self._audio, self._video

        def complete() -> None:
            file.mux(audio.encode(None))
            file.mux(video.encode(None))
            file.close()

        return complete
