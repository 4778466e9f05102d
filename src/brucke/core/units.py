"""Conversions in one place: decibels and gain, frames and seconds, parts per million.

Times inside the program are seconds (float) or whole frames (int); milliseconds appear only in the
interface, in files and on the command line, where the name says so.
"""

import math

SILENCE_DB = -120.0


def db_to_gain(db: float) -> float:
    """Linear amplitude of a level in decibels; anything at or below −120 dB is silence."""
    return 0.0 if db <= SILENCE_DB else 10.0 ** (db / 20.0)


def gain_to_db(gain: float) -> float:
    """Level in decibels of a linear amplitude, never below −120 dB."""
    return SILENCE_DB if gain <= 1e-6 else 20.0 * math.log10(gain)


def seconds_to_frames(seconds: float, rate_hz: float) -> int:
    """Nearest whole number of frames."""
    return round(seconds * rate_hz)


def ms(seconds: float) -> float:
    return seconds * 1e3


def buffer_seconds(frames: int, count: int, rate_hz: float) -> float:
    """What a buffer of `frames`, `count` of them queued, costs: n·k/f."""
    return frames * count / rate_hz


def speed_of_sound(celsius: float = 20.0) -> float:
    """Metres per second in dry air, the temperature law of ISO 9613-1 (343.2 at 20 °C)."""
    return 343.2 * math.sqrt((celsius + 273.15) / 293.15)
