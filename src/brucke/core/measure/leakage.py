"""Whether a microphone picks up something that we play just now, by one look at half a second of both.

Conventions: float32 mono, shape (frames,), one rate, both of the same stretch of time by the engine's clock; seconds.
"""

import numpy as np

from .correlation import F32, correlate, decimate, find_peak
from .offset import level_db
from .stimulus import taper

WINDOW_S = 0.6
REACH_S = 0.35  # out by an interface, two metres of air, in again: longer ways are none of a microphone's own
QUIET_DB = -60.0
# Found on songs of ours: what is picked up stands at 24 to 60 times the RMS with its next peak under a half; a voice
# or a string that plays exactly along at 9 to 21 with its next peak at 0.9.
SURE, ALONE = 12.0, 0.55


def picked_up(sent: F32, heard: F32, rate_hz: int) -> float | None:
    """Seconds by which `sent` [frames] comes in later in `heard` [frames, the same]; None where it does not, or where
    either is quiet. One look may err: two that agree do not."""
    if len(sent) != len(heard) or level_db(sent) < QUIET_DB or level_db(heard) < QUIET_DB:
        return None
    step = max(1, round(rate_hz / 48000))
    reference, recording = (taper(decimate(x, step), rate_hz // step) for x in (sent, heard))
    c = correlate(reference, recording, (0, round(REACH_S * rate_hz / step)))
    if c.values.max() < SURE * np.sqrt(np.mean(c.values**2)):  # mostly, and at no cost
        return None
    peak = find_peak(c, rate_hz // step, signed=False)
    return peak.lag * step / rate_hz if peak.to_rms > SURE and peak.second < ALONE else None
