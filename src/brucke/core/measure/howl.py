"""Whether a microphone howls: one frequency that stands alone, stays, and grows.

Features and their use after van Waterschoot & Moonen 2011, “Fifty Years of Acoustic Feedback Control: State of the Art
and Future Challenges”, Proceedings of the IEEE 99: peak to harmonics (PHPR), peak to the rest, and interframe
persistence and slope of the peak. Limits are ours, chosen so that no note of the planted voices and strings is one.
"""

import numpy as np
import numpy.typing as npt

FRAMES, FRAME_S = 6, 0.1
LOW_HZ, HIGH_HZ = 150.0, 10_000.0
STANDS_DB = 20.0  # above everything but itself
HARMONIC_DB = 35.0  # above each of its neighbours in the harmonic series, which a note has
STAYS = 0.01  # of its frequency, from frame to frame
GROWS_DB = 3.0  # over all frames; or it is as loud as it can be
LOUD_DB = -12.0
HEARD_DB = -50.0
SECONDS = FRAMES * FRAME_S


def howl_hz(sound: npt.NDArray[np.float32], rate_hz: float) -> float | None:
    """Frequency in Hz of a howl in the newest SECONDS of `sound` [n], None without one, or where it is too short."""
    n = round(FRAME_S * rate_hz)
    if len(sound) < FRAMES * n:
        return None
    frames = sound[-FRAMES * n :].astype(np.float64).reshape(FRAMES, n) * np.hanning(n)
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    hz = np.fft.rfftfreq(n, 1 / rate_hz)
    inside = (hz >= LOW_HZ) & (hz <= HIGH_HZ)
    peaks = [int(np.argmax(np.where(inside, p, 0.0))) for p in power]
    levels = []
    for p, at in zip(power, peaks, strict=True):
        own = _around(p, at)
        rest = float(p.sum()) - own
        if own <= 0 or own < rest * 10 ** (STANDS_DB / 10) or _is_of_a_note(p, at, own):
            return None
        levels.append(10 * np.log10(own / (n * np.hanning(n).sum() / 4)))
    centre = hz[peaks]
    stays = bool(np.abs(np.diff(centre)).max() <= STAYS * centre[-1] + 1e-9)
    grows = min(np.diff(levels)) > -0.5 and (levels[-1] - levels[0] >= GROWS_DB or levels[-1] > LOUD_DB)
    return float(centre[-1]) if stays and grows and levels[-1] > HEARD_DB else None


def _around(power: npt.NDArray[np.float64], at: int) -> float:
    """Power of a line with what its window spreads."""
    return float(power[max(0, at - 2) : at + 3].sum())


def _is_of_a_note(power: npt.NDArray[np.float64], at: int, own: float) -> bool:
    """Whether anything stands where a note has its other harmonics."""
    places = [round(at * ratio) for ratio in (0.5, 2.0, 3.0, 1.5)]
    return any(_around(power, k) > own * 10 ** (-HARMONIC_DB / 10) for k in places if 3 < k < len(power) - 3)
