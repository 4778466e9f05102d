"""What a path does to all of a sound: how often and how much later it returns, with a side lost, and whether what
returns is all made of what was sent.

Conventions: float32, [2, frames] or (frames,), one rate for both.
"""

import numpy as np

from .correlation import F32, F64, PAD, correlate, decimate, find_peak
from .offset import level_db
from .stimulus import taper

COARSE_HZ, FOUND, DEAD_SIDE_DB = 6000, 6.0, 30.0
OPPOSITE = 0.1  # of the louder side's power: a mean below it has cancelled itself out
LONG_SEGMENT, ROOM_LINEAR = 65536, 0.85
POLARITY_S, TURNED = 0.005, 0.4  # so near the peak may one of the other sign be so high
LATEST_S = 12  # so late it may return
# A second time it is heard: so far from the first, so strong, and standing out so far.
ECHO_APART_S, ECHO_SHARE, ECHO_TO_RMS = 0.03, 0.12, 12.0


def arrivals(source: F32, back: F32, rate: int) -> list[tuple[float, float, int]]:
    """(seconds later, weight, polarity) of every time most of `source` [n] returned in `back` [m], the strongest first;
    none where it did not."""
    step = max(1, rate // COARSE_HZ)
    low, heard, r = decimate(source, step), decimate(back, step), rate // step
    c = correlate(taper(low, r), taper(heard, r), (-r, LATEST_S * r), rho=0.5)
    peak = find_peak(c, r)
    if peak.to_rms <= FOUND:
        return []
    values = np.abs(c.values[PAD:-PAD])
    usual, highest = float(np.sqrt(np.mean(values**2))), float(values.max())
    found = [(peak.lag / r, 1.0, _polarity(c.values[PAD:-PAD], round(peak.lag) + r, round(POLARITY_S * r)))]
    # What is alike in what was sent, as beats are, comes back as alike.
    own = np.abs(correlate(taper(low, r), taper(low, r), (0, (LATEST_S + 1) * r), rho=0.5).values[PAD:-PAD])
    own /= float(own[0]) or 1.0
    near = round(ECHO_APART_S * r)
    values[max(0, round(peak.lag) + r - near) : round(peak.lag) + r + near + 1] = 0
    for _ in range(4):
        top = int(np.argmax(values))
        if values[top] < max(ECHO_SHARE * highest, ECHO_TO_RMS * usual):
            break
        apart = abs(top - r - round(peak.lag))
        itself = float(own[max(0, apart - near) : apart + near + 1].max(initial=0.0))
        if itself < 0.5 * float(values[top]) / highest:
            found.append(((top - r) / r, float(values[top]) / highest, int(np.sign(c.values[PAD + top]))))
        values[max(0, top - near) : top + near + 1] = 0
    return found


def _polarity(values: F64, at: int, near: int) -> int:
    """−1 where it returned upside down; what a filter turned far enough that nobody could tell is taken to be
    upright."""
    around = values[max(0, at - near) : at + near + 1]
    return -1 if -float(around.min()) * TURNED > float(around.max()) else 1


def power_of(sound: F32) -> F64:
    """Mean square of each channel of `sound` [channels, frames]. Returns [channels]."""
    return np.asarray(np.mean(np.square(sound, dtype=np.float64), axis=1))


def opposite_sides(sound: F32) -> bool:
    """Whether the channels of `sound` [channels, frames] cancel one another in their mean."""
    mean = float(np.mean(np.square(sound.mean(axis=0), dtype=np.float64)))
    return mean < OPPOSITE * float(power_of(sound).max())


def echo_s(found: list[tuple[float, float, int]]) -> float:
    """How far from the first it comes a second time; 0 where it does not."""
    return abs(found[1][0] - found[0][0]) if len(found) > 1 else 0.0


def dead_side_db(sent: F32, returned: F32) -> float:
    """By how many dB one side of two lost more than the other between `sent` and `returned` [channels, frames]; 0 where
    that is no more than balance."""
    if sent.shape[0] < 2 or returned.shape[0] < 2:
        return 0.0
    went, came = ([level_db(side) for side in sound[:2]] for sound in (sent, returned))
    lost = abs((came[0] - came[1]) - (went[0] - went[1]))
    return lost if lost > DEAD_SIDE_DB else 0.0


def linear_share(source: F32, back: F32, rate: int, lag: float) -> float:
    """How much of `back` [m] is `source` [n] filtered, from 0 to 1, once everything within a second or so of `lag`
    seconds counts: a room keeps that, what rebuilds the sound does not."""
    from scipy import signal

    heard = back[max(0, round(lag * rate)) :]
    n = min(len(source), len(heard))
    f, alike = signal.coherence(source[:n], heard[:n], rate, nperseg=LONG_SEGMENT)
    _, power = signal.welch(heard[:n], rate, nperseg=LONG_SEGMENT)
    telling = (f > 120) & (f < 4000)
    return float((alike[telling] * power[telling]).sum() / (power[telling].sum() + 1e-20))
