"""Films made for tests, by FFmpeg's coders and nothing of the project: flashes with beeps, hands that clap, anything in
between."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

RATE = 48000


@dataclass(frozen=True)
class Hands:
    """How hands move: `coming_s` on their way, `soft` stopped along a curve, `leaving` as fast as they came (0: they
    rest), `exposure` as a share of a period."""

    coming_s: float = 0.14
    soft: bool = False
    leaving: float = 0.3
    exposure: float = 0.0
    background: bool = False
    noise: float = 2.0

    def apart(self, t: float, claps: np.ndarray) -> float:
        """0 together, 1 at rest."""
        before = claps - t
        come = np.min(np.where(before >= 0, before, np.inf), initial=np.inf) / self.coming_s
        come = min(1.0, come)
        come = 1 - np.cos(np.pi / 2 * come) if self.soft else come
        gone = np.min(np.where(before < 0, -before, np.inf), initial=np.inf) / self.coming_s
        if self.leaving == 0.0:
            left = 0.0 if gone < 2 else min(1.0, 0.3 * (gone - 2))
        else:
            left = min(1.0, gone * self.leaving)
        return float(min(come, left) if come < 1 else left)


def hands_at(
    hands: Hands, claps: np.ndarray, size: tuple[int, int], rng: np.random.Generator
) -> Callable[[float, float], np.ndarray]:
    """Draws the picture of one moment, shape [height, width]."""
    wide, high = size
    x = np.arange(wide)[None, :]
    y = np.arange(high)[:, None]
    rest = (60 + 30 * np.sin(x / 97) + 25 * np.cos(y / 61)).astype(np.float32)
    rows = slice(round(0.5 * high), round(0.68 * high))
    reach, hand = 0.18 * wide, 0.045 * wide

    def draw(t: float, period: float) -> np.ndarray:
        picture = rest.copy()
        if hands.background:
            at = (0.1 + 0.8 * ((0.13 * t) % 1)) * wide
            picture[: high // 3] += 70 * np.clip(1 - np.abs(x - at) / (0.05 * wide), 0, 1)
            picture[: high // 2] += 12 * np.sin(x / 40 + 9 * t)
        moments = np.linspace(0, hands.exposure * period, 5) if hands.exposure else [0.0]
        shares = np.zeros(wide, np.float32)
        for m in moments:
            d = hand + reach * hands.apart(t + m, claps)
            for side in (-1, 1):
                shares += np.clip(hand + 0.5 - np.abs(x[0] - wide / 2 - side * d), 0, 1) / len(moments)
        shares = np.minimum(shares, 1)
        picture[rows] = picture[rows] * (1 - shares) + 200 * shares
        return np.clip(picture + hands.noise * rng.standard_normal((high, wide), np.float32), 0, 255).astype(np.uint8)

    return draw


def clap_sound(claps: Sequence[float], seconds: float, rng: np.random.Generator) -> np.ndarray:
    sound = 0.001 * rng.standard_normal(round(seconds * RATE))
    for c in claps:
        n = round(0.08 * RATE)
        at = round(c * RATE)
        burst = rng.standard_normal(n) * np.exp(-np.arange(n) / (0.012 * RATE)) * 0.4
        sound[at : at + n] += burst[: len(sound) - at]
    return sound.astype(np.float32)


def write_film(
    path: Path, times: Sequence[float], draw: Callable[[float, float], np.ndarray], sound: np.ndarray | None,
    size: tuple[int, int],
    codec: str = "libx264", audio: str = "pcm_s16le", rate: int = RATE, sound_at: float = 0.0,
    pixels: str | None = None,
) -> Path:  # fmt: skip
    """Pictures at `times` (seconds, rising), each drawn for its own time; `sound` [frames] begins at `sound_at`."""
    base = Fraction(1, 48_000)  # as fine as every coder takes it
    period = float(np.median(np.diff(times)))
    with av.open(str(path), "w") as out:
        video = out.add_stream(codec, rate=Fraction(round(1 / period * 1001), 1001) if period else 25)
        video.width, video.height, video.pix_fmt = *size, pixels or "yuv420p"
        video.time_base = video.codec_context.time_base = base
        video.bit_rate = 4_000_000
        if codec == "libx264":
            video.options = {"preset": "ultrafast", "crf": "20"}
        stream = out.add_stream(audio, rate=rate) if sound is not None else None
        if stream is not None:
            stream.layout = "stereo"
        done = 0
        for t in times:
            frame = av.VideoFrame.from_ndarray(draw(t, period), format="gray").reformat(format=pixels or "yuv420p")
            frame.pts, frame.time_base = round(t / base), base
            out.mux(video.encode(frame))
            while stream is not None and done < len(sound) and done / rate + sound_at <= t + 0.2:
                piece = np.stack([sound[done : done + 4800]] * 2).astype(np.float32)
                one = av.AudioFrame.from_ndarray(piece, format="fltp", layout="stereo")
                one.sample_rate, one.pts, one.time_base = rate, done + round(sound_at * rate), Fraction(1, rate)
                for part in av.AudioResampler(
                    format=stream.codec_context.format.name, layout="stereo", rate=rate
                ).resample(one):
                    out.mux(stream.encode(part))
                done += 4800
        out.mux(video.encode(None))
        if stream is not None:
            out.mux(stream.encode(None))
    return path
