"""Delay lines of the simulated world, with fractions of a frame."""

from functools import lru_cache

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
TAPS = 48


@lru_cache(maxsize=512)
def fraction_taps(fraction: float) -> F32:
    """Windowed-sinc interpolator that delays by TAPS/2 − 1 + fraction frames."""
    x = np.arange(TAPS) - (TAPS / 2 - 1) - fraction
    window = np.i0(9.0 * np.sqrt(np.maximum(0.0, 1 - (x / (TAPS / 2)) ** 2))) / np.i0(9.0)
    taps = np.sinc(x) * window
    return (taps / taps.sum()).astype(np.float32)


class DelayLine:
    """A constant delay of at least TAPS/2 − 1 frames, one block at a time. Sound [frames]."""

    def __init__(self, frames: float):
        whole = int(np.floor(frames)) - (TAPS // 2 - 1)
        if whole < 0:
            raise ValueError(f"{frames} frames is shorter than the interpolator")
        fraction = frames - np.floor(frames)
        self._taps = fraction_taps(fraction) if fraction else None
        self._past = np.zeros(whole + TAPS - 1, np.float32)

    def push(self, sound: F32) -> F32:
        line = np.concatenate([self._past, sound])
        self._past = line[len(sound) :]
        if self._taps is None:
            return line[TAPS // 2 : TAPS // 2 + len(sound)]
        return np.convolve(line[: len(sound) + TAPS - 1], self._taps, "valid")


def read_looped(source: F32, position: float, frames: int) -> F32:
    """`frames` of a looped source from a fractional position."""
    whole = int(np.floor(position))
    fraction = round(position - whole, 6)
    index = np.arange(whole - TAPS // 2 + 1, whole + frames + TAPS // 2)
    piece = np.take(source, index, mode="wrap")
    # Reading later by a fraction is delaying by its complement.
    return np.convolve(piece, fraction_taps(1.0 - fraction), "valid")[:frames]


class Timeline:
    """Sound by absolute frame: written in pieces, read once in order; what nobody wrote is silence."""

    def __init__(self, frames: int):
        self._ring = np.zeros(frames, np.float32)

    def write(self, at: int, sound: F32) -> None:
        index = np.arange(at, at + len(sound)) % len(self._ring)
        self._ring[index] = sound

    def take(self, at: int, frames: int) -> F32:
        index = np.arange(at, at + frames) % len(self._ring)
        sound = self._ring[index]
        self._ring[index] = 0.0
        return sound

    def look(self, at: int, frames: int) -> F32:
        return self._ring[np.arange(at, at + frames) % len(self._ring)]
