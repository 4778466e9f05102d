"""A whole sound file in whatever coding can be read here."""

from pathlib import Path

from .files import F32, SoundFileError, read_sound
from .track import read_track, track_info


def read_any(path: Path, rate_hz: int | None = None) -> tuple[F32, int]:
    """(sound [channels, frames], rate): its own rate unless one is asked for, to which it is converted. Errors:
    SoundFileError."""
    try:
        return read_sound(path, rate_hz)
    except SoundFileError as e:
        if not e.convertible:
            raise
        try:
            rate = rate_hz or track_info(path).rate_hz
            return read_track(path, rate), rate
        except SoundFileError:
            raise e from None
