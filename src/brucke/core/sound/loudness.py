"""Loudness of what a listener gets, as it flows: momentary, short-term, integrated, range and true peak.

Sources: ITU-R BS.1770-4 (K weighting, gating, true peak by four times oversampling), EBU Tech 3341 (momentary 400 ms,
short-term 3 s, ten times a second), EBU Tech 3342 (range). The weighting's analogue prototypes, from which any rate
gets its filter, are from memory; at 48 kHz they give the coefficients printed in BS.1770.
"""

import itertools
import math
from collections import deque
from dataclasses import dataclass, field

import msgspec
import numpy as np
import numpy.typing as npt
from scipy.signal import firwin, sosfilt, upfirdn

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
STEP_S = 0.1
MOMENTARY_STEPS, SHORT_STEPS = 4, 30
ABSOLUTE_LUFS, RELATIVE_LU, RANGE_RELATIVE_LU = -70.0, -10.0, -20.0
OFFSET = -0.691
BIN_LU = 0.01
BINS = round((30 - ABSOLUTE_LUFS) / BIN_LU)
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


class Loudness(msgspec.Struct, frozen=True):
    """In LUFS, LU and dBTP; −∞ where there is nothing to measure."""

    integrated_lufs: float
    momentary_max_lufs: float
    short_term_max_lufs: float
    range_lu: float
    true_peak_dbtp: float


@dataclass
class PowerSteps:
    """K-weighted mean power of every tenth of a second; sound comes as for `LoudnessMeter`. Whoever takes `powers`
    empties it."""

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
        """More of the sound, [channels, frames], at the rate it was made for; steps of a tenth of a second are kept."""
        weighted, self._zi = sosfilt(self._sos, np.asarray(sound, np.float64), axis=1, zi=self._zi)
        square = np.concatenate([self._rest, self._weights @ np.square(weighted)])
        whole = len(square) // self._step
        self.powers += square[: whole * self._step].reshape(whole, self._step).mean(axis=1).tolist()
        self._rest = square[whole * self._step :]


class GateHistogram:
    """How many windows had which loudness, in steps of a hundredth of a LU, with the power they had: gating costs the
    same after three hours as after a minute (EBU Tech 3341 permits a histogram). Powers are kept exactly; only a window
    within a hundredth of a LU of a gate may fall on its other side."""

    def __init__(self) -> None:
        self._count = np.zeros(BINS, np.int64)
        self._power = np.zeros(BINS)
        self.most = 0.0

    def add(self, power: float) -> None:
        self.most = max(self.most, power)
        if power > _power(ABSOLUTE_LUFS):
            bin = min(BINS - 1, int((_lufs(power) - ABSOLUTE_LUFS) / BIN_LU))
            self._count[bin] += 1
            self._power[bin] += power

    def _above(self, relative_lu: float) -> slice | None:
        """The bins above the relative gate, None where nothing passed the absolute one."""
        count = int(self._count.sum())
        if not count:
            return None
        gate = _lufs(float(self._power.sum()) / count) + relative_lu
        return slice(max(0, int((gate - ABSOLUTE_LUFS) / BIN_LU)), BINS)

    def integrated_lufs(self) -> float:
        kept = self._above(RELATIVE_LU)
        return -math.inf if kept is None else _lufs(float(self._power[kept].sum() / self._count[kept].sum()))

    def range_lu(self) -> float:
        """Between the 10th and the 95th percentile of what passes."""
        kept = self._above(RANGE_RELATIVE_LU)
        if kept is None:
            return 0.0
        reached = np.cumsum(self._count[kept])
        low, high = (int(np.searchsorted(reached, share * (reached[-1] - 1) + 1)) for share in (0.10, 0.95))
        return (high - low) * BIN_LU


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
        self._recent: deque[float] = deque(maxlen=SHORT_STEPS)
        self._seen = 0
        self._momentary, self._short = GateHistogram(), GateHistogram()
        taps = firwin(OVERSAMPLING * PHASE_TAPS + 1, 1 / OVERSAMPLING, window=("kaiser", 8.0)) * OVERSAMPLING
        self._interpolator: F64 = np.asarray(taps, np.float64)
        self._tail = np.zeros((self.channels, PHASE_TAPS))

    def push(self, sound: F32) -> None:
        """More of the sound, [channels, frames], at the rate it was made for."""
        if sound.shape[1] == 0:
            return
        self._steps.push(sound)
        self._take_steps()
        self._watch_peak(sound)

    @property
    def seconds(self) -> float:
        return self._seen * STEP_S

    def _take_steps(self) -> None:
        """Every new tenth of a second into its windows."""
        for power in self._steps.powers:
            self._recent.append(power)
            self._seen += 1
            if self._seen >= MOMENTARY_STEPS:
                self._momentary.add(self._mean(MOMENTARY_STEPS))
            if self._seen >= SHORT_STEPS:
                self._short.add(self._mean(SHORT_STEPS))
        self._steps.powers.clear()

    def _mean(self, steps: int) -> float:
        return sum(itertools.islice(self._recent, len(self._recent) - steps, None)) / steps

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

    def _newest(self, steps: int) -> float:
        return _lufs(self._mean(steps)) if self._seen >= steps else -math.inf

    @property
    def momentary_lufs(self) -> float:
        return self._newest(MOMENTARY_STEPS)

    @property
    def short_term_lufs(self) -> float:
        return self._newest(SHORT_STEPS)

    @property
    def integrated_lufs(self) -> float:
        """Of all tenths of a second, through both gates."""
        return self._momentary.integrated_lufs()

    @property
    def range_lu(self) -> float:
        """Between the 10th and the 95th percentile of the short-term loudness that passes its gates."""
        return self._short.range_lu()

    def result(self) -> Loudness:
        return Loudness(
            self.integrated_lufs, _lufs(self._momentary.most), _lufs(self._short.most), self.range_lu,
            20 * math.log10(self.true_peak) if self.true_peak > 0 else -math.inf,
        )  # fmt: skip


def integrated_lufs(powers: list[float]) -> float:
    """Of all tenths of a second, through both gates: the plain form, which looks at all of them again."""
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
