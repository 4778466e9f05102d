"""What the noise of a room sounds like, learnt from silence, and whether it really was silence."""

import math
from collections.abc import Iterator

import msgspec
import numpy as np
import numpy.typing as npt

from ..units import SILENCE_DB, gain_to_db
from .windows import LENGTH, WINDOWS

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
BINS = LENGTH // 2 + 1
LEAST_S, GOOD_S = 3.0, 12.0
STEP_S = 0.1  # levels are looked at in steps of this length
RISES_DB = 6.0  # a step so much above the quietest tenth was no silence: common practice, no source
NOTHING_DB = -110.0
# Mean over median of the power per bin: 1.44 for noise, 1 for a hum, up to 1.65 for a very low or a pulsating noise;
# bowed and plucked strings that play on are above 2.
STEADY = 1.85


class NoiseProfile(msgspec.Struct, frozen=True, kw_only=True):
    """Mean power per bin of a root-Hann window of 1024 frames, divided by the window's own power, as it comes in before
    any trim."""

    name: str
    rate_hz: int
    level_db: float
    seconds: float
    power: tuple[float, ...]

    def noise(self, window: str) -> F64:
        """Power per bin as spectra of `window` show it."""
        return np.array(self.power) * float(np.sum(WINDOWS[window].look ** 2))


def profile_problems(p: NoiseProfile) -> Iterator[tuple[str, str]]:
    """(place, reason) of numbers that no noise has."""
    if len(p.power) != BINS:
        yield "power", f"{len(p.power)} numbers, {BINS} are wanted"
    bad = next((i for i, x in enumerate(p.power) if not (math.isfinite(x) and 0 <= x < 1e6)), None)
    if bad is not None:
        yield "power", f"number {bad + 1} is no power of a sound"
    if not 1000 <= p.rate_hz <= 1_000_000:
        yield "rate_hz", f"{p.rate_hz} Hz is no sample rate"


class NotSilent(msgspec.Struct, frozen=True):
    """Why nothing was learnt: too_short, nothing, changes (it was no steady noise), or not_silent at `at_s` by
    `over_db`."""

    code: str
    at_s: float = 0.0
    over_db: float = 0.0


class ProfileLearner:
    """Takes in silence block by block [channels, frames]; `seconds` of it so far."""

    def __init__(self, rate_hz: int):
        self.rate = rate_hz
        self._window = WINDOWS["long"]
        self._tail = np.zeros((0, 0), np.float32)
        self._spectra: list[F32] = []
        self._levels: list[float] = []
        self._step = np.zeros(0)
        self.frames = 0

    @property
    def seconds(self) -> float:
        return self.frames / self.rate

    def push(self, sound: F32) -> None:
        """More of the silence to learn from, [channels, frames]."""
        self.frames += sound.shape[1]
        self._look_at_level(sound)
        tail = sound if self._tail.size == 0 else np.concatenate([self._tail, sound], axis=1)
        w, hop = self._window, LENGTH // 2
        at = 0
        while at + w.length <= tail.shape[1]:
            spectrum = np.fft.rfft(tail[:, at : at + w.length] * w.look, axis=1)
            self._spectra.append(np.mean(np.abs(spectrum) ** 2, axis=0).astype(np.float32))
            at += hop
        self._tail = tail[:, at:]

    def _look_at_level(self, sound: F32) -> None:
        square = np.mean(np.square(sound, dtype=np.float64), axis=0)
        self._step = np.concatenate([self._step, square])
        n = round(STEP_S * self.rate)
        whole = len(self._step) // n
        if whole:
            self._levels += np.mean(self._step[: whole * n].reshape(whole, n), axis=1).tolist()
            self._step = self._step[whole * n :]

    def profile(self, name: str) -> NoiseProfile | NotSilent:
        """What was learnt, or why nothing was."""
        if self.seconds < LEAST_S or not self._spectra:
            return NotSilent("too_short")
        levels = 10 * np.log10(np.maximum(self._levels, 1e-20))
        if float(np.max(levels)) < NOTHING_DB:
            return NotSilent("nothing")
        quiet = max(float(np.percentile(levels, 10)), NOTHING_DB)
        loudest = int(np.argmax(levels))
        if levels[loudest] > quiet + RISES_DB:
            return NotSilent("not_silent", loudest * STEP_S, float(levels[loudest]) - quiet)
        spectra = np.array(self._spectra)
        mean: F64 = np.asarray(np.mean(spectra, axis=0, dtype=np.float64))
        if float(np.sum(mean)) > STEADY * float(np.sum(np.median(spectra, axis=0))):
            return NotSilent("changes")
        power = mean / float(np.sum(self._window.look**2))
        level = gain_to_db(float(np.sqrt(np.mean(self._levels)))) if self._levels else SILENCE_DB
        return NoiseProfile(
            name=name, rate_hz=self.rate, level_db=level, seconds=self.seconds, power=tuple(float(x) for x in power)
        )


def learn(name: str, sound: F32, rate_hz: int) -> NoiseProfile | NotSilent:
    """All at once, from sound [channels, frames]."""
    learner = ProfileLearner(rate_hz)
    learner.push(sound)
    return learner.profile(name)
