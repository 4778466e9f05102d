"""Loudness of what a listener gets, as it flows: momentary, short-term, integrated, range and true peak.

Sources: ITU-R BS.1770-4 (K weighting, gating, true peak by four times oversampling), EBU Tech 3341 (momentary 400 ms,
short-term 3 s, ten times a second), EBU Tech 3342 (range). The weighting's analogue prototypes, from which any rate
gets its filter, are from memory; at 48 kHz they give the coefficients printed in BS.1770.
"""

import math
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from scipy.signal import firwin, sosfilt, upfirdn

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
STEP_S = 0.1
MOMENTARY_STEPS, SHORT_STEPS = 4, 30
ABSOLUTE_LUFS, RELATIVE_LU, RANGE_RELATIVE_LU = -70.0, -10.0, -20.0
OFFSET = -0.691
OVERSAMPLING, PHASE_TAPS = 4, 24
# Left, right, centre, left and right surround; every other layout counts each channel once.
WEIGHTS = {5: (1.0, 1.0, 1.0, 1.41, 1.41)}


def k_weighting(rate_hz: int) -> F64:
    """Second-order sections [2, 6]: a shelf for the head, a high-pass for what ears do not weigh."""
    f, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k, v = math.tan(math.pi * f / rate_hz), 10 ** (gain_db / 20)
    vb, a0 = v**0.4996667741545416, 1 + k / q + k * k
    shelf = ((v + vb * k / q + k * k) / a0, 2 * (k * k - v) / a0, (v - vb * k / q + k * k) / a0, 1.0,
             2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0)  # fmt: skip
    f, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f / rate_hz)
    a0 = 1 + k / q + k * k
    high = (1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0)
    return np.array([shelf, high])


def _lufs(power: float) -> float:
    return OFFSET + 10 * math.log10(power) if power > 0 else -math.inf


@dataclass(frozen=True)
class Loudness:
    """In LUFS, LU and dBTP; −∞ where there is nothing to measure."""

    integrated_lufs: float
    momentary_max_lufs: float
    short_term_max_lufs: float
    range_lu: float
    true_peak_dbtp: float


@dataclass
class PowerSteps:
    """K-weighted mean power of every tenth of a second; sound comes as for `LoudnessMeter`."""

    rate_hz: int
    channels: int
    powers: list[float] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._sos = k_weighting(self.rate_hz)
        self._zi = np.zeros((2, self.channels, 2))
        self._weights = np.array(WEIGHTS.get(self.channels, (1.0,) * self.channels))
        self._step = round(STEP_S * self.rate_hz)
        self._rest = np.zeros(0)

    def push(self, sound: F32) -> None:
        weighted, self._zi = sosfilt(self._sos, np.asarray(sound, np.float64), axis=1, zi=self._zi)
        square = np.concatenate([self._rest, self._weights @ np.square(weighted)])
        whole = len(square) // self._step
        self.powers += square[: whole * self._step].reshape(whole, self._step).mean(axis=1).tolist()
        self._rest = square[whole * self._step :]


def compared_lufs(before: PowerSteps, after: PowerSteps, seconds: float = 20.0) -> tuple[float, float]:
    """The loudness of a sound before and after its processors over the same newest moments: those whose sound after
    them passes the gates of the integrated loudness, so that pauses do not count. −∞ where there are none."""
    steps = min(round(seconds / STEP_S), len(before.powers), len(after.powers))
    a, b = (_windows(p.powers[-steps:] if steps else [], MOMENTARY_STEPS) for p in (before, after))
    loud = b > _power(ABSOLUTE_LUFS)
    if not loud.any():
        return -math.inf, -math.inf
    loud &= b > _power(_lufs(float(b[loud].mean())) + RELATIVE_LU)
    return _lufs(float(a[loud].mean())), _lufs(float(b[loud].mean()))


@dataclass
class LoudnessMeter:
    """Sound comes block by block [channels, frames], of any length."""

    rate_hz: int
    channels: int
    true_peak: float = 0.0

    def __post_init__(self) -> None:
        self._steps = PowerSteps(self.rate_hz, self.channels)
        taps = firwin(OVERSAMPLING * PHASE_TAPS + 1, 1 / OVERSAMPLING, window=("kaiser", 8.0)) * OVERSAMPLING
        self._interpolator: F64 = np.asarray(taps, np.float64)
        self._tail = np.zeros((self.channels, PHASE_TAPS))

    def push(self, sound: F32) -> None:
        if sound.shape[1] == 0:
            return
        self._steps.push(sound)
        self._watch_peak(sound)

    @property
    def seconds(self) -> float:
        return len(self._powers) * STEP_S

    @property
    def _powers(self) -> list[float]:
        return self._steps.powers

    def _watch_peak(self, sound: F32) -> None:
        x = np.concatenate([self._tail, sound], axis=1)
        self._tail = x[:, -PHASE_TAPS:]
        peak = float(np.max(np.abs(sound)))
        # Only what comes near the highest so far can be higher between its samples.
        if peak * 2 > self.true_peak:
            between = upfirdn(self._interpolator, x, OVERSAMPLING, axis=1)
            edge = OVERSAMPLING * PHASE_TAPS
            peak = max(peak, float(np.max(np.abs(between[:, edge:-edge]), initial=0.0)))
        self.true_peak = max(self.true_peak, peak)

    def _windows(self, steps: int) -> F64:
        return _windows(self._powers, steps)

    def _newest(self, steps: int) -> float:
        return _lufs(float(np.mean(self._powers[-steps:]))) if len(self._powers) >= steps else -math.inf

    @property
    def momentary_lufs(self) -> float:
        return self._newest(MOMENTARY_STEPS)

    @property
    def short_term_lufs(self) -> float:
        return self._newest(SHORT_STEPS)

    @property
    def integrated_lufs(self) -> float:
        return integrated_lufs(self._powers)

    @property
    def range_lu(self) -> float:
        """Between the 10th and the 95th percentile of the short-term loudness that passes its gates."""
        blocks = self._windows(SHORT_STEPS)
        loud = blocks[blocks > _power(ABSOLUTE_LUFS)]
        if not len(loud):
            return 0.0
        kept = loud[loud > _power(_lufs(float(loud.mean())) + RANGE_RELATIVE_LU)]
        low, high = np.percentile([_lufs(p) for p in kept], [10, 95])
        return float(high - low)

    def result(self) -> Loudness:
        def most(steps: int) -> float:
            return _lufs(float(self._windows(steps).max(initial=0.0)))

        return Loudness(
            self.integrated_lufs, most(MOMENTARY_STEPS), most(SHORT_STEPS), self.range_lu,
            20 * math.log10(self.true_peak) if self.true_peak > 0 else -math.inf,
        )  # fmt: skip


def integrated_lufs(powers: list[float]) -> float:
    """Of all tenths of a second, through both gates."""
    blocks = _windows(powers, MOMENTARY_STEPS)
    loud = blocks[blocks > _power(ABSOLUTE_LUFS)]
    if not len(loud):
        return -math.inf
    gate = _power(_lufs(float(loud.mean())) + RELATIVE_LU)
    return _lufs(float(loud[loud > gate].mean()))


def _windows(powers: list[float], steps: int) -> F64:
    """Mean power of every window of so many steps, one a step."""
    if len(powers) < steps:
        return np.zeros(0)
    total = np.concatenate([[0.0], np.cumsum(powers)])
    return np.asarray((total[steps:] - total[:-steps]) / steps, np.float64)


def _power(lufs: float) -> float:
    return float(10 ** ((lufs - OFFSET) / 10))
