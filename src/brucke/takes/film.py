"""Sound and picture of a recording with both, on one clock."""

from pathlib import Path

import msgspec
import numpy as np
import numpy.typing as npt

from ..core.measure.sharp_sounds import sharp_sounds
from ..core.measure.sound_and_picture import SoundAndPicture, sound_and_picture, telling
from ..core.measure.video_features import VideoFeatures
from .recording import FilmSound, read_film_sound, read_pictures
from .take import TakeError

LONGEST_S = 3 * 3600.0
JUDGED_S = 600.0  # of a longer film its first ten minutes are looked at
RISE, SHARE, LEAST = 8.0, 0.02, 1e-9  # what counts as a sharp sound in a film that holds more than claps


class Film(msgspec.Struct, frozen=True):
    """`sound` [channels, frames] begins at `sound_start_s`; one `brightness` per picture at `times_s`.

    Brightness is the mean absolute difference from the resting (median) picture.
    """

    sound: npt.NDArray[np.float32]
    rate_hz: int
    sound_start_s: float
    times_s: npt.NDArray[np.float64]
    brightness: npt.NDArray[np.float64]


def read_film(path: Path, most_s: float = LONGEST_S) -> Film:
    """Its first `most_s` seconds. TakeError where it cannot be read or holds no sound."""
    sound, seen = read_film_sound(path, most_s), read_pictures(path, most_s)
    brightness = np.zeros(0)
    if len(seen.times_s):
        brightness = np.abs(seen.light - np.median(seen.light, axis=0)).mean(axis=1).astype(np.float64)
    return Film(sound.sound, sound.rate_hz, sound.start_s, seen.times_s, brightness)


class Judged(msgspec.Struct, frozen=True):
    """A film with what was found in it."""

    sound: FilmSound
    seen: VideoFeatures
    found: SoundAndPicture
    sharp_s: npt.NDArray[np.float64]  # when something sharp sounds, on the film's clock
    only_s: float = 0.0  # so much of its beginning was looked at, 0: all of it


def judge_film(path: Path, most_s: float = JUDGED_S) -> Judged:
    """Sound against picture. Errors: TakeError, also for a film without sound or without pictures."""
    sound = read_film_sound(path, most_s)
    sharp = telling(sharp_sounds(_louder(sound.sound), sound.rate_hz, RISE, SHARE, LEAST))
    at = sharp.times_s + sound.start_s
    seen = read_pictures(path, most_s + sound.start_s, at)
    if len(seen.times_s) < 8:
        raise TakeError(f"{path.name}: the file: {_pictures(len(seen.times_s))}")
    more = sound.sound.shape[1] / sound.rate_hz >= most_s
    return Judged(sound, seen, sound_and_picture(seen, at), at, most_s if more else 0.0)


def _pictures(count: int) -> str:
    return "holds no picture" if not count else f"holds only {count} pictures"


def _louder(sound: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """The channel that has more: a sum could be silent where the two are opposite."""
    return np.ascontiguousarray(sound[int(np.argmax(np.einsum("ij,ij->i", sound, sound)))])
