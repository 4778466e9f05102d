"""Long sounds looked at piece by piece: nothing is held but what is looked at.

A sound is anything with a length that gives float32 mono for a slice: an array, or a file.
"""

from typing import Protocol

import numpy as np

from .correlation import F32, decimate

AROUND = 16  # frames around a piece, so that its ends are as its middle


class Sound(Protocol):
    """Frames of one channel; a slice is read when it is asked for."""

    def __len__(self) -> int: ...

    def __getitem__(self, part: slice, /) -> F32: ...


class Decimated:
    """Every `step`-th frame of a sound after a low-pass, turned upside down where `polarity` is −1."""

    def __init__(self, sound: Sound, step: int, polarity: int = 1):
        self._sound, self._step, self._polarity = sound, step, np.float32(polarity)

    def __len__(self) -> int:
        return len(self._sound) // self._step

    def __getitem__(self, part: slice, /) -> F32:
        begin, end, _ = part.indices(len(self))
        first, last = max(0, begin - AROUND), min(len(self), end + AROUND)
        piece = decimate(np.asarray(self._sound[first * self._step : last * self._step]), self._step)
        return np.asarray(self._polarity * piece[begin - first : end - first], np.float32)


class Stretched:
    """A sound read faster by `slope` (seconds per second): its frame k is frame k·(1 + slope) of the sound, by splines
    of the fifth order."""

    def __init__(self, sound: Sound, slope: float, polarity: int = 1):
        self._sound, self._share, self._polarity = sound, 1.0 + slope, np.float32(polarity)

    def __len__(self) -> int:
        return int((len(self._sound) - 1) / self._share)

    def __getitem__(self, part: slice, /) -> F32:
        from scipy import ndimage

        begin, end, _ = part.indices(len(self))
        if end <= begin:
            return np.zeros(0, np.float32)
        places = np.arange(begin, end) * self._share
        first, last = max(0, int(places[0]) - AROUND), min(len(self._sound), int(places[-1]) + AROUND)
        piece = np.asarray(self._sound[first:last])
        if self._share != 1.0:
            piece = ndimage.map_coordinates(piece, [places - first], order=5, mode="nearest")
        else:
            piece = piece[begin - first : end - first]
        return np.asarray(self._polarity * piece, np.float32)


def levels_db(sound: Sound, rate_hz: int) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    """Of every whole second; −200 for silence."""
    power = [
        float(np.mean(np.square(sound[at : at + rate_hz], dtype=np.float64)))
        for at in range(0, len(sound) - rate_hz + 1, rate_hz)
    ]
    return np.asarray(10 * np.log10(np.maximum(np.array(power), 1e-20)))
