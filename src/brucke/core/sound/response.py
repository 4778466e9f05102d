"""What filters and dynamics do to a level, for drawings. No numba."""

import numpy as np
import numpy.typing as npt

from ..processors import Compressor, DeEsser, Equaliser, Gate, HighPass, Limiter, held
from .parameters import BUTTERWORTH, band_numbers, high_pass_numbers

F64 = npt.NDArray[np.float64]


def filter_response_db(p: HighPass | Equaliser, hz: F64, rate_hz: float) -> F64:
    """Of all bands together: the state-variable filter's transfer function on the unit circle."""
    if isinstance(p, HighPass):
        rows = [high_pass_numbers(held(p, "frequency_hz"), q, rate_hz) for q in BUTTERWORTH[p.slope_db]]
    else:
        rows = [band_numbers(b, rate_hz) for b in p.bands]
    # The bilinear transform: s = j · tan(π f / rate).
    s = 1j * np.tan(np.pi * np.minimum(hz, 0.499 * rate_hz) / rate_hz)
    total = np.ones(len(hz), complex)
    for g, k, m0, m1, m2 in rows:
        below = g * g + g * k * s + s * s
        total *= m0 + (m1 * g * s + m2 * g * g) / below
    return np.asarray(20 * np.log10(np.maximum(np.abs(total), 1e-9)), np.float64)


def level_curve_db(p: Gate | Compressor | DeEsser | Limiter, level_db: F64) -> F64:
    """The level that goes out for a steady level that comes in."""
    if isinstance(p, Gate):
        return np.where(level_db > held(p, "threshold_db"), level_db, level_db + held(p, "range_db"))
    if isinstance(p, Limiter):
        return np.minimum(level_db, held(p, "ceiling_db"))
    if isinstance(p, DeEsser):
        less = _reduction(level_db, held(p, "threshold_db"), 4.0, 6.0)
        return np.asarray(level_db - np.minimum(less, -held(p, "range_db")), np.float64)
    less = _reduction(level_db, held(p, "threshold_db"), held(p, "ratio"), held(p, "knee_db"))
    return np.asarray(level_db - less + held(p, "make_up_db"), np.float64)


def _reduction(db: F64, threshold: float, ratio: float, knee: float) -> F64:
    over, slope = db - threshold, 1 - 1 / ratio
    soft = slope * (over + knee / 2) ** 2 / max(2 * knee, 1e-9)
    return np.where(2 * over <= -knee, 0.0, np.where(2 * over < knee, soft, slope * over))
