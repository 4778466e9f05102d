"""Sounds to measure with: the exponential sweep and the maximum-length sequence.

Conventions: float32, full scale ±1 before the level is applied, 20 ms raised-cosine ends on the sweep.
Sources: Farina 2000 (exponential sweep); Rife & Vanderkooy 1989 (maximum-length sequences).
"""

from typing import Literal

import numpy as np
import numpy.typing as npt

from ..units import db_to_gain

StimulusKind = Literal["sweep", "sequence"]
F32 = npt.NDArray[np.float32]

# The first repeats of a measurement come up gently: −12 dB, −6 dB, then the level asked for.
GENTLY = np.array([0.25, 0.5, 1.0], np.float32)
# Feedback taps of primitive polynomials x^n + x^k + 1 (n: k), standard tables (values from memory, tested).
_TAPS = {9: 5, 10: 7, 11: 9, 15: 14, 17: 14, 18: 11}


def taper(signal: F32, rate_hz: int, seconds: float = 0.02) -> F32:
    """`signal` [frames] with raised-cosine ends of that many `seconds`, as a copy."""
    n = min(round(seconds * rate_hz), len(signal) // 2)
    if n == 0:
        return signal.astype(np.float32, copy=True)
    rise = (0.5 - 0.5 * np.cos(np.pi * (np.arange(n) + 0.5) / n)).astype(np.float32)
    out: F32 = signal.astype(np.float32, copy=True)
    out[:n] *= rise
    out[-n:] *= rise[::-1]
    return out


def sweep(rate_hz: int, seconds: float = 1.0, low_hz: float = 60.0, high_hz: float = 20000.0) -> F32:
    """Exponential sweep from `low_hz` to `high_hz` (at most 0.45 of the rate), shape (frames,)."""
    high_hz = min(high_hz, 0.45 * rate_hz)
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    grow = np.log(high_hz / low_hz)
    phase = 2 * np.pi * low_hz * seconds / grow * (np.exp(t / seconds * grow) - 1)
    return taper(np.sin(phase).astype(np.float32), rate_hz)


def maximum_length_sequence(order: int = 15) -> F32:
    """±1 sequence of length 2**order − 1 whose circular autocorrelation is 1 and −1/N."""
    if order not in _TAPS:
        raise ValueError(f"no feedback taps for order {order}, only {sorted(_TAPS)}")
    length = 2**order - 1
    bits = np.empty(length + order, np.int8)
    bits[:order] = 1
    k = _TAPS[order]
    # s[i] = s[i − n] ^ s[i − (n − k)] can be filled n − k at a time, as nothing newer is needed.
    step = order - k if order - k < order else 1
    for start in range(order, length + order, step):
        stop = min(start + step, length + order)
        bits[start:stop] = bits[start - order : stop - order] ^ bits[start - (order - k) : stop - (order - k)]
    return (1.0 - 2.0 * bits[:length]).astype(np.float32)


def stimulus(kind: StimulusKind, rate_hz: int, level_db: float) -> F32:
    """About one second of the chosen sound at `level_db` (peak, dBFS)."""
    sound = sweep(rate_hz) if kind == "sweep" else taper(maximum_length_sequence(15), rate_hz, 0.005)
    return (sound * np.float32(db_to_gain(level_db))).astype(np.float32)
