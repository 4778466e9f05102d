"""The cable that measuring needs, out of the headphones' socket into an input."""

import numpy as np

from .delays import F32
from .truth import Cable

CABLE_GAIN = {"plugged": 0.5, "wandering": 0.5, "loud": 6.0, "unplugged": 0.0}


class PatchCable:
    def __init__(self, rate_hz: int):
        self._rate, self._past = rate_hz, np.zeros(rate_hz, np.float32)

    def through(self, sound: F32, state: Cable, now: int) -> F32:
        """What of a block [n] that begins at frame `now` comes out at its other end."""
        sound = sound * np.float32(CABLE_GAIN[state])
        if state == "wandering":  # something in between changes its latency every second and a half
            late = (now // (self._rate * 3 // 2)) % 5 * 3
            line = np.concatenate([self._past, sound])
            self._past = line[len(sound) :]
            start = len(self._past) - late
            return line[start : start + len(sound)]
        return sound
