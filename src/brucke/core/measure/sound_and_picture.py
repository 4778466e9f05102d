"""Sound against picture of any recording with both: by flashes and beeps, else by claps."""

import msgspec
import numpy as np
import numpy.typing as npt

from .claps import clap_offset
from .flashes import EventOffset, flash_offset, flashes
from .sharp_sounds import SharpSounds
from .video_features import VideoFeatures

F64 = npt.NDArray[np.float64]
MOST_SOUNDS, WITHIN_DB = 40, 20.0
CUT, CUT_SHARE, SUDDEN_NEAR_S = 12.0, 0.4, 0.25  # levels by which three fifths of a picture change at a cut
# of what changes, by which the whole picture gets lighter or darker: what moves darkens one place and lightens another
LIGHT_SHARE = 0.6
SEARCH_S = {"flashes": 1.0, "claps": 0.6}  # no offset farther from none is accepted
DRIFT_EVENTS, DRIFT_S = 6, 30.0  # so many events over so long tell whether it drifts


class Drifting(msgspec.Struct, frozen=True):
    """How the offset changes, in parts per million, positive: the picture falls more and more behind; 95 %."""

    ppm: float
    plus_minus_ppm: float


class SoundAndPicture(msgspec.Struct, frozen=True):
    """`seen` is “flashes” or “claps”, and then `offset` stands; else it is empty, and `reason` is a code: “silent”:
    nothing sharp sounds, “still”: nothing is seen that goes with what sounds, “edge”: what goes with it stands at the
    edge of what was looked through."""

    seen: str
    reason: str = ""
    offset: EventOffset | None = None
    drift: Drifting | None = None


def telling(sounds: SharpSounds) -> SharpSounds:
    """The sharp sounds that are looked at: not so many that nobody could keep the pictures around them."""
    return sounds.strongest(MOST_SOUNDS, WITHIN_DB)


def sound_and_picture(seen: VideoFeatures, sounds_s: F64) -> SoundAndPicture:
    """How much earlier or later than the pictures `seen` the sound is, from `sounds_s` [sounds]: when something sharp
    sounds, in seconds on the clock of the pictures."""
    if not len(sounds_s):
        return SoundAndPicture("", "silent")
    for name, look in (("flashes", flash_offset), ("claps", clap_offset)):
        found = look(seen, sounds_s, SEARCH_S[name])
        if found is not None and (name == "flashes" or not _lit_or_cut(seen, found)):
            if SEARCH_S[name] - abs(found.seconds) < seen.period_s / 2:
                return SoundAndPicture("", "edge")
            return SoundAndPicture(name, "", found, _drift(found))
    return SoundAndPicture("", "still")


def _lit_or_cut(seen: VideoFeatures, found: EventOffset) -> bool:
    """Whether most of what was taken for claps is light that comes and goes, or another picture at once: hands do
    neither."""
    usual = np.median(seen.moved, axis=0)
    moved = np.maximum(seen.moved - usual, 0).sum(axis=1)
    lighter = np.zeros(len(moved))
    lighter[1:] = np.diff(seen.light, axis=0).sum(axis=1)
    cut = np.quantile(seen.moved, CUT_SHARE, axis=1) > CUT
    at, *_ = flashes(seen)
    cut[at] = True
    neither = 0
    for t in found.pictures_s:
        near = np.abs(seen.times_s - t) <= SUDDEN_NEAR_S
        light = float(np.abs(lighter[near]).sum()) > LIGHT_SHARE * float(moved[near].sum())
        neither += bool(cut[near].any()) or light
    return neither > 0.5 * found.events


def _drift(found: EventOffset) -> Drifting | None:
    """A straight line through the offsets of the events, where there are enough over a long enough time."""
    n = found.events
    if n < DRIFT_EVENTS or np.ptp(found.sounds_s) < DRIFT_S:
        return None
    from scipy import stats

    line = stats.linregress(found.sounds_s, found.pictures_s - found.sounds_s)
    return Drifting(float(line.slope) * 1e6, float(line.stderr) * float(stats.t.ppf(0.975, n - 2)) * 1e6)
