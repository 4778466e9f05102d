"""What comes back of the music itself, looked at every few seconds while it plays: how much later, and whether that
slides or jumps.

Conventions: float32 mono, shape (frames,), one rate, both of the same stretch of time by the engine's clock; seconds.
"""

import numpy as np
import numpy.typing as npt

from .correlation import F32, correlate, find_peak
from .drift import Drift, line_through
from .offset import level_db
from .stimulus import taper

F64 = npt.NDArray[np.float64]
WINDOW_S = 1.5
NEAR_S, NEAR_SURE, SURE = 0.04, 6.0, 9.0  # searched first where it was last; peak over RMS there, and anywhere
QUIET_DB = -60.0
LEAST = 12  # looks before anything is said


def came_back(sent: F32, heard: F32, rate_hz: int, near_s: float | None) -> float | None:
    """Seconds by which the first WINDOW_S of `sent` [frames] is heard later in `heard` [frames]; None where it is not,
    or sounds too little. `near_s` is where it was last, None where nobody knows."""
    length = round(WINDOW_S * rate_hz)
    window = sent[:length]
    if len(heard) <= length or level_db(window) < QUIET_DB or level_db(heard) < QUIET_DB - 30:
        return None
    whole = (0, len(heard) - length)
    near = None
    if near_s is not None:
        low, high = round((near_s - NEAR_S) * rate_hz), round((near_s + NEAR_S) * rate_hz)
        near = (max(0, low), min(whole[1], high))
    for reach, sure in ((near, NEAR_SURE), (whole, SURE)):
        if reach is None or reach[1] - reach[0] < 2:
            continue
        piece = heard[reach[0] : reach[1] + length]
        c = correlate(taper(window, rate_hz), taper(piece, rate_hz), (0, reach[1] - reach[0]))
        peak = find_peak(c, rate_hz, signed=False)
        if peak.to_rms > sure and peak.second < 0.8:
            return (peak.lag + reach[0]) / rate_hz
    return None


def so_far(times_s: F64, lags_s: F64, rate_hz: int) -> Drift | None:
    """A straight line and steps through lags `lags_s` [n] seen at `times_s` [n], all in seconds; None while that is too
    little."""
    return line_through(times_s, lags_s, rate_hz) if len(times_s) >= LEAST else None
