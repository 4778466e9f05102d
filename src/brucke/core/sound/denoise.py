"""Learned noise removal: short spectra, a profile of the noise, and a gain that follows speech without warbling.

Sources: Boll 1979 (a profile learnt from silence), Ephraim & Malah 1984 (decision-directed estimate of the
signal-to-noise ratio), Plapous, Marro & Scalart 2006 (a second step that takes away its delay of one spectrum).
"""

import math

import numpy as np
import numpy.typing as npt

from .noise_profile import NoiseProfile
from .windows import WINDOWS

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
LEAST_PRIOR = 10 ** (-25 / 10)  # the least signal-to-noise ratio that is believed, in power
MOST_POSTERIOR = 1e4
REFINED = 2  # how often the estimate is made again from its own result
THREE = np.full(3, 1 / 3)  # neighbouring bins, for the first estimate
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
        w = self._w = WINDOWS[window]
        self.noise = np.maximum(profile.noise(window), 1e-20)
        self.strength, self.floor, self.smoothing = strength, 10 ** (floor_db / 20), smoothing
        self.latency_frames = w.synthesis - math.gcd(block, w.hop)
        self._seen = np.zeros((channels, w.length))
        self._fresh = 0
        self._sum = np.zeros((channels, w.synthesis))
        # Finished frames wait here; the silence in front is what makes every block whole.
        self._done = np.zeros((channels, 2 * max(block, w.hop) + w.hop), np.float64)
        self._waiting = w.hop - math.gcd(block, w.hop)
        self._speech = np.zeros(w.length // 2 + 1)
        self._present = self.noise.copy()
        self._least = [float("inf"), float("inf")]
        self._follow = math.exp(-w.hop / (PRESENT_S * profile.rate_hz))
        self._turn = max(1, round(FALLS_S * profile.rate_hz / w.hop))
        self._count = 0

    def process(self, sound: F32) -> F32:
        """One block in, one block out."""
        n, w, at = sound.shape[1], self._w, 0
        while at < n:
            take = min(n - at, w.hop - self._fresh)
            self._seen[:, :-take] = self._seen[:, take:]
            self._seen[:, -take:] = sound[:, at : at + take]
            self._fresh += take
            at += take
            if self._fresh == w.hop:
                self._fresh = 0
                self._spectrum()
        out = self._done[:, :n].astype(np.float32)
        self._done[:, :-n] = self._done[:, n:].copy()
        self._waiting -= n
        return out

    def _spectrum(self) -> None:
        w = self._w
        spectrum = np.fft.rfft(self._seen * w.look, axis=1)
        power = np.mean(spectrum.real**2 + spectrum.imag**2, axis=0)
        spectrum *= self._gain(power)
        piece = np.fft.irfft(spectrum, w.length, axis=1) * w.put
        self._sum += piece[:, -w.synthesis :]
        at = self._waiting
        self._done[:, at : at + w.hop] = self._sum[:, : w.hop]
        self._waiting += w.hop
        self._sum[:, : -w.hop] = self._sum[:, w.hop :].copy()
        self._sum[:, -w.hop :] = 0.0
        self._watch(power)

    def _gain(self, power: F64) -> F64:
        a = self.smoothing
        posterior = np.minimum(power / self.noise, MOST_POSTERIOR)
        seen = np.convolve(np.pad(posterior, 1, mode="edge"), THREE, "valid")
        prior = np.maximum(a * self._speech / self.noise + (1 - a) * np.maximum(seen - 1, 0), LEAST_PRIOR)
        gain = prior / (1 + prior)
        self._speech = gain * gain * power
        for _ in range(REFINED):
            prior = np.maximum(gain * gain * posterior, LEAST_PRIOR)
            gain = prior / (1 + prior)
        return np.asarray(1 - self.strength * (1 - np.maximum(gain, self.floor)), np.float64)

    # The present noise

    def _watch(self, power: F64) -> None:
        """The lowest that the smoothed power was in the last turns: what stays when nobody speaks."""
        self._present = power + self._follow * (self._present - power)
        level = float(np.sum(self._present))
        self._least[1] = min(self._least[1], level)
        self._count += 1
        if self._count % self._turn == 0:
            self._least = [self._least[1], float("inf")]

    @property
    def mismatch_db(self) -> float:
        """How much louder the present noise is than the profile; 0 until enough was heard."""
        least = self._least[0]
        return 10 * math.log10(max(least, 1e-20) / float(np.sum(self.noise))) if math.isfinite(least) else 0.0
