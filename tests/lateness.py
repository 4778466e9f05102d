"""Where a known song stands in what was heard: for the test of a recording, and for the bench of an hour."""

import numpy as np

from brucke.core.measure.correlation import correlate, find_peak
from brucke.core.measure.stimulus import taper

CLEAR = 25  # its peak over all others in that second; some 45 where nothing was lost, below 15 where much was


def song_lateness(song, heard, rate, every_s=1, within_s=1.0):
    """{second: frames by which the song stands later in what was heard}, a second of every `every_s` in which it sounds
    and is heard clearly; looked for `within_s`, since a song repeats itself."""
    found = {}
    for at in range(0, len(song) - 2 * rate, every_s * rate):
        piece = song[at : at + rate]
        if np.sqrt(np.mean(piece**2)) > 0.01:
            c = correlate(taper(piece, rate), taper(heard[at : at + 2 * rate], rate), (0, round(within_s * rate) - 1))
            peak = find_peak(c, rate, signed=False)
            found |= {at // rate: peak.lag} if peak.to_rms > CLEAR else {}
    return found
