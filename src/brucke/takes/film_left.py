"""What is left of a film after the edits of its take, coded anew: its pictures where they belong on the take's time,
with the sound of a mix. And the sound of any film that is written, a stream that goes along with its pictures."""

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np

from ..core.measure.correlation import F32
from .edited import Sounds
from .edits import after_edits_s
from .handed import Progress, Stopped
from .take import PlacedFilm

CODED = {"preset": "veryfast", "crf": "18"}
AHEAD_S = 0.5
MS = Fraction(1, 1000)


class SoundStream:
    """Blocks [2, frames] into the sound stream of a film: AAC in MP4, FLAC in Matroska."""

    def __init__(self, out: Any, rate: int):
        self._out, self._rate, self._at = out, rate, 0
        mp4 = out.format.name == "mp4"
        # At so many bits the slow search of that coder makes no difference that is heard, and takes most of the time.
        options = {"aac_coder": "fast"} if mp4 else {}
        self._stream = out.add_stream("aac" if mp4 else "flac", rate=rate, options=options)
        self._stream.layout = "stereo"
        if mp4:
            self._stream.bit_rate = 256_000
        form = self._stream.codec_context.format.name
        self._resampler = av.AudioResampler(format=form, layout="stereo", rate=rate)

    @property
    def seconds(self) -> float:
        return self._at / self._rate

    def until(self, sound: Iterator[F32], seconds: float) -> None:
        while self.seconds < seconds and (block := next(sound, None)) is not None:
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = self._rate, self._at
            self._at += block.shape[1]
            for part in self._resampler.resample(frame):
                self._out.mux(self._stream.encode(part))

    def end(self) -> None:
        for part in self._resampler.resample(None):
            self._out.mux(self._stream.encode(part))
        self._out.mux(self._stream.encode(None))


def in_take_s(film: PlacedFilm, at_s: float) -> float | None:
    """When in the take a picture was seen that stands there in the film; None where that is of something else."""
    for piece in film.pieces:
        if piece.begin_s <= at_s <= piece.end_s:
            return piece.at_s + (at_s - piece.begin_s) * (1 - piece.drift_ppm * 1e-6)
    return None


def film_of_what_is_left(
    sounds: Sounds, film: Any, out: Any, rate: int, sound: Iterator[F32], progress: Progress
) -> float:
    """Seconds of it. Errors: Stopped, FFmpeg's."""
    placed, edits, seconds = sounds.take.film, sounds.take.edits, sounds.seconds
    assert placed is not None
    pictures = film.streams.video[0]
    size = (pictures.width // 2 * 2, pictures.height // 2 * 2)
    video = out.add_stream("libx264", rate=30, options=CODED)
    video.width, video.height, video.pix_fmt = *size, "yuv420p"
    video.time_base = video.codec_context.time_base = MS
    audio, last = SoundStream(out, rate), -1
    total = float((film.duration or 0) / av.time_base) or 1.0
    for picture in film.decode(pictures):
        own = float(picture.time) if picture.time is not None else None
        taken = in_take_s(placed, own) if own is not None else None
        at = after_edits_s(edits, taken, seconds) if taken is not None else None
        if own is not None and not progress(min(1.0, own / total)):
            raise Stopped
        if at is None or round(1000 * at) <= last:
            continue
        last = round(1000 * at)
        audio.until(sound, at + AHEAD_S)
        fit = picture.reformat(*size, "yuv420p")
        fit.pts, fit.time_base, fit.pict_type = last, MS, 0
        out.mux(video.encode(fit))
    audio.until(sound, float("inf"))
    out.mux(video.encode(None))
    audio.end()
    return audio.seconds
