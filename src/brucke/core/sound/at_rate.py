"""A sound at another rate, for listening."""

import math

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]


def at_rate(sound: F32, rate_hz: int, wanted_hz: int) -> F32:
    """[channels, frames] at `wanted_hz`, by SciPy's polyphase filter; the very same where the rates are."""
    if rate_hz == wanted_hz or not sound.shape[1]:
        return sound
    from scipy import signal

    shared = math.gcd(rate_hz, wanted_hz)
    return np.ascontiguousarray(signal.resample_poly(sound, wanted_hz // shared, rate_hz // shared, axis=1), np.float32)
