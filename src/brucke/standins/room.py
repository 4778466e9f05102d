"""What a microphone hears of its room: the hum of the mains and a fan, steady as they are."""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
MAINS_HZ = 50.0
HARMONICS = ((1, 1.0), (2, 0.6), (3, 0.5), (4, 0.2), (5, 0.25), (7, 0.15))  # multiple, amplitude
FAN_HZ = 600.0  # above it the fan's noise falls by 6 dB an octave
FORGOTTEN = 1e-9  # of its first value: so far the fan's filter looks back


class Room:
    """Levels as root mean square in dBFS; the same seed gives the same noise."""

    def __init__(self, rate_hz: int, hum_db: float, fan_db: float, seed: int = 1):
        self._rate, self._rng = rate_hz, np.random.default_rng(seed)
        total = np.sqrt(sum(a * a for _n, a in HARMONICS) / 2)
        self._hum = 10 ** (hum_db / 20) / total
        keep = np.exp(-2 * np.pi * FAN_HZ / rate_hz)
        # One pole, as the finite response it is to within `FORGOTTEN`: SciPy takes two seconds to be imported.
        self._response = (1 - keep) * keep ** np.arange(np.ceil(np.log(FORGOTTEN) / np.log(keep)))
        # Through its filter, noise of variance 1 becomes (1 − keep) / (1 + keep).
        self._fan = 10 ** (fan_db / 20) / np.sqrt((1 - keep) / (1 + keep))
        self._at, self._past = 0, np.zeros(len(self._response) - 1)

    def sound(self, frames: int) -> F32:
        t = (self._at + np.arange(frames)) / self._rate
        self._at += frames
        hum = sum(a * np.sin(2 * np.pi * MAINS_HZ * n * t + n) for n, a in HARMONICS)
        noise = np.concatenate([self._past, self._rng.standard_normal(frames)])
        self._past = noise[len(noise) - len(self._past) :]
        low = np.convolve(noise, self._response, "valid")
        return np.asarray(self._hum * hum + self._fan * low, np.float32)
