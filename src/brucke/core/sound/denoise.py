"""Learned noise removal: short spectra, a profile of the noise, and a gain that follows speech without warbling.

Sources: Boll 1979 (a profile learnt from silence), Ephraim & Malah 1984 (decision-directed estimate of the
signal-to-noise ratio), Plapous, Marro & Scalart 2006 (a second step that takes away its delay of one spectrum).
"""

import math

import numpy as np
import numpy.typing as npt

from .noise_kernels import (
    FLOOR,
    FOLLOW,
    LEAST,
    LEAST_PRIOR,
    MOST_POSTERIOR,
    NONE,
    NUMBERS,
    SETTINGS,
    SMOOTHING,
    STRENGTH,
    TURN,
    WRITE,
    take_noise_out,
)
from .noise_profile import BINS, NoiseProfile
from .windows import LENGTH, WINDOWS

F32 = npt.NDArray[np.float32]
LEAST_SNR = 10 ** (-25 / 10)  # the least signal-to-noise ratio that is believed, in power
MOST_SNR = 1e4
PRESENT_S, FALLS_S = 0.25, 2.0  # how the present noise is followed: smoothed, and its lowest of so long


class Denoiser:
    """Sound [channels, frames] in blocks of `block`, given back `latency_frames` later. All channels share one gain,
    so the image does not move.

    `strength` 0…1 is how much of the gain is used, `floor_db` the least gain, `smoothing` the weight of the spectrum
    before in the estimate.
    """

    def __init__(
        self, profile: NoiseProfile, block: int, channels: int = 1, window: str = "long", strength: float = 1.0,
        floor_db: float = -50.0, smoothing: float = 0.99,
    ):  # fmt: skip
        w = WINDOWS[window]
        self.latency_frames = w.synthesis - math.gcd(block, w.hop)
        self._hop, self._look = w.hop, w.look
        self._put = w.put[-w.synthesis :] / LENGTH
        self._noise = np.maximum(profile.noise(window), 1e-20)
        self._seen = np.zeros((channels, LENGTH))
        self._sums = np.zeros((channels, w.synthesis))
        # The silence in front is what makes every block whole.
        self._done = np.zeros((channels, 1 << (2 * max(block, w.hop) + w.hop).bit_length()))
        self._numbers = np.zeros(NUMBERS, np.int64)
        self._numbers[WRITE] = w.hop - math.gcd(block, w.hop)
        self._spectra = np.zeros((-(-channels // 2), 2, LENGTH))
        self._speech, self._present = np.zeros(BINS), self._noise.copy()
        self._work = np.zeros((3, BINS))
        self._settings = np.full(SETTINGS, NONE)
        self._settings[[LEAST_PRIOR, MOST_POSTERIOR]] = LEAST_SNR, MOST_SNR
        self._settings[FOLLOW] = math.exp(-w.hop / (PRESENT_S * profile.rate_hz))
        self._settings[TURN] = max(1, round(FALLS_S * profile.rate_hz / w.hop))
        self.set(strength, 10 ** (floor_db / 20), smoothing)

    def set(self, strength: float, floor: float, smoothing: float) -> None:
        """How much of the gain is used, the least gain, and the weight of the spectrum before."""
        self._settings[[STRENGTH, FLOOR, SMOOTHING]] = strength, floor, smoothing

    @property
    def strength(self) -> float:
        return float(self._settings[STRENGTH])

    def process(self, sound: F32, out: F32 | None = None) -> F32:
        """One block [channels, block] in, one block out, into `out` (contiguous float32) where it is given; what comes
        out is `latency_frames` late."""
        sound = np.ascontiguousarray(sound, np.float32)
        out = np.empty_like(sound) if out is None else out
        take_noise_out(
            sound, out, self._seen, self._sums, self._done, self._spectra, self._hop, self._look, self._put,
            self._noise,
            self._speech, self._present, self._work, self._settings, self._numbers,
        )  # fmt: skip
        return out

    @property
    def mismatch_db(self) -> float:
        """How much louder the present noise is than the profile; 0 until enough was heard."""
        least = float(self._settings[LEAST])
        return 10 * math.log10(max(least, 1e-20) / float(np.sum(self._noise))) if least < NONE else 0.0
