"""A test film: numbered pictures, and a flash with a beep at uneven intervals, exactly together. Played through any
path and recorded at its end, it tells what the path does to sound against picture.

The flash is a small square, and there are never more than three in a second (WCAG 2.2, 2.3.1): many people are
sensitive to flashing light.
"""

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import cast

import av
import numpy as np
import numpy.typing as npt

from .take import TakeError

U8 = npt.NDArray[np.uint8]
WIDTH, HEIGHT, SQUARE = 1280, 720, 200
# Seconds from one event to the next: no two alike, none below a third of a second, and no common measure, so that a
# camera of whatever rate sees them at
# different places in its pictures.
INTERVALS_S = (1.003, 0.711, 1.137, 0.859, 1.291, 0.673, 1.049, 0.937, 1.213, 0.787, 1.171, 0.901, 1.327, 0.739, 1.097)
FIRST_S, AFTER_S = 1.5, 1.5
FLASH_S, BEEP_S, BEEP_HZ, BEEP_LEVEL = 0.12, 0.08, 1000.0, 0.25
DARK, LIT, SQUARE_DARK, INK = 40, 225, 24, 150
SLOWEST, FASTEST = 10, 240
SUFFIXES = {
    ".mkv": ("matroska", "libx264", "pcm_s16le"), ".mov": ("mov", "libx264", "pcm_s16le"), ".mp4": ("mp4", "libx264",
    "aac"),
    ".avi": ("avi", "mpeg4", "pcm_s16le"),
}  # fmt: skip
QUICK: dict[str, dict[str, object]] = {"libx264": {"preset": "ultrafast", "crf": "20"}}
# The lines of a digit: top, upper left, upper right, middle, lower left, lower right, bottom.
_LINES = ("1110111", "0010010", "1011101", "1011011", "0111010", "1101011", "1101111", "1010010", "1111111", "1111011")


def picture_rate(text: str) -> Fraction:
    """“25”, “29.97”, “30000/1001”. Errors: ValueError with one sentence."""
    try:
        given = Fraction(text)
    except (ValueError, ZeroDivisionError):
        raise ValueError(f"“{text}” is no number of pictures a second") from None
    if not SLOWEST <= given <= FASTEST:
        raise ValueError(f"{text} pictures a second: from {SLOWEST} to {FASTEST}")
    whole = round(given * 1001 / 1000)
    broadcast = Fraction(whole * 1000, 1001)
    return broadcast if given.denominator != 1 and abs(given - broadcast) < Fraction(1, 100) else given


def event_pictures(fps: Fraction) -> list[int]:
    """The numbers of the pictures with which a flash begins."""
    at = FIRST_S + np.concatenate([[0.0], np.cumsum(INTERVALS_S)])
    return [round(float(t) * fps) for t in at]


def write_slate(path: Path, fps: Fraction = Fraction(25), rate_hz: int = 48000) -> list[float]:
    """The film; the times of its events in seconds. Errors: TakeError."""
    kind = SUFFIXES.get(path.suffix.lower())
    if kind is None:
        raise TakeError(f"{path.name}: the name: ends in none of {', '.join(SUFFIXES)}")
    events = event_pictures(fps)
    count = events[-1] + round(AFTER_S * fps)
    try:
        with av.open(f"file:{path}", "w", format=kind[0]) as out:
            _write(out, kind, fps, rate_hz, events, count)
    except (av.FFmpegError, OSError, ValueError) as e:
        path.unlink(missing_ok=True)
        raise TakeError(f"{path.name}: the film: {(getattr(e, 'strerror', None) or str(e)).lower()}") from None
    return [float(k / fps) for k in events]


def _write(
    out: "av.container.OutputContainer", kind: tuple[str, str, str], fps: Fraction, rate_hz: int, events: list[int],
    count: int
) -> None:  # fmt: skip
    video = cast("av.VideoStream", out.add_stream(kind[1], rate=fps))
    video.width, video.height, video.pix_fmt = WIDTH, HEIGHT, "yuv420p"
    video.bit_rate = 2_000_000
    video.options = QUICK.get(kind[1], {})
    audio = cast("av.AudioStream", out.add_stream(kind[2], rate=rate_hz))
    audio.layout = "stereo"
    sound = _beeps(events, fps, rate_hz, count)
    said = av.AudioResampler(format=audio.codec_context.format.name, layout="stereo", rate=rate_hz)
    step = rate_hz // 10
    colour = np.full((HEIGHT // 2, WIDTH), 128, np.uint8)  # none
    done = 0
    for k, picture in enumerate(_pictures(events, fps, count)):
        frame = av.VideoFrame.from_ndarray(np.concatenate([picture, colour]), format="yuv420p")
        frame.pts, frame.time_base = k, 1 / fps
        out.mux(video.encode(frame))
        while done < sound.shape[1] and done / rate_hz <= (k + 1) / fps:
            piece = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(sound[:, done : done + step]), format="fltp", layout="stereo"
            )
            piece.sample_rate, piece.pts, piece.time_base = rate_hz, done, Fraction(1, rate_hz)
            for part in said.resample(piece):
                out.mux(audio.encode(part))
            done += step
    for part in said.resample(None):
        out.mux(audio.encode(part))
    out.mux(video.encode(None))
    out.mux(audio.encode(None))


def _beeps(events: list[int], fps: Fraction, rate_hz: int, count: int) -> npt.NDArray[np.float32]:
    sound = np.zeros(round(count / fps * rate_hz), np.float32)
    beep = BEEP_LEVEL * np.cos(2 * np.pi * BEEP_HZ * np.arange(round(BEEP_S * rate_hz)) / rate_hz)
    fade = round(0.005 * rate_hz)
    beep[-fade:] *= np.linspace(1, 0, fade)
    for k in events:
        at = round(k / fps * rate_hz)
        sound[at : at + len(beep)] = beep[: len(sound) - at]
    return np.stack([sound, sound])


def _pictures(events: list[int], fps: Fraction, count: int) -> Iterator[U8]:
    lit = max(2, round(FLASH_S * fps))
    shining = {k + i for k in events for i in range(lit)}
    left, top = (WIDTH - SQUARE) // 2, HEIGHT // 2 - SQUARE
    for k in range(count):
        picture = np.full((HEIGHT, WIDTH), DARK, np.uint8)
        picture[top : top + SQUARE, left : left + SQUARE] = LIT if k in shining else SQUARE_DARK
        _draw_number(picture, k, HEIGHT // 2 + 80)
        yield picture


def _draw_number(picture: U8, number: int, top: int) -> None:
    """Six digits in lines, each 60 wide and 110 high."""
    wide, high, thick, gap = 60, 110, 10, 24
    text = f"{number:06d}"
    left = (picture.shape[1] - len(text) * (wide + gap) + gap) // 2
    middle = (high - thick) // 2
    lines = (
        (0, 0, wide, thick), (0, 0, thick, middle + thick), (wide - thick, 0, thick, middle + thick),
        (0, middle, wide, thick),
        (0, middle, thick, high - middle), (wide - thick, middle, thick, high - middle), (0, high - thick, wide, thick),
    )  # fmt: skip
    for i, digit in enumerate(text):
        x = left + i * (wide + gap)
        for on, (dx, dy, w, h) in zip(_LINES[int(digit)], lines, strict=True):
            if on == "1":
                picture[top + dy : top + dy + h, x + dx : x + dx + w] = INK
