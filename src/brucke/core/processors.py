"""What a part's chain can hold. Frozen data with the trade's parameters; `PROCESSORS` says their names, units and ranges."""

from dataclasses import dataclass
from typing import Literal

import msgspec

MAX_SLOTS = 8
MAX_BANDS = 6
MAX_PLUG_INS = 8  # in a whole setup
MAX_PLUG_IN_FRAMES = 2048  # what one may cost itself


class _Data(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    pass


class HighPass(_Data, frozen=True, kw_only=True, tag="high_pass", tag_field="kind"):
    """Takes away what rumbles below."""

    on: bool = True
    frequency_hz: float = 80.0
    slope_db: Literal[12, 24] = 12


class Gate(_Data, frozen=True, kw_only=True, tag="gate", tag_field="kind"):
    """Silences what is quieter than the threshold. Costs no time."""

    on: bool = True
    threshold_db: float = -50.0
    attack_ms: float = 1.0
    hold_ms: float = 80.0
    release_ms: float = 160.0
    range_db: float = -40.0


class Band(_Data, frozen=True, kw_only=True):
    """One band of an equaliser."""

    shape: Literal["bell", "low_shelf", "high_shelf"] = "bell"
    frequency_hz: float = 1000.0
    gain_db: float = 0.0
    q: float = 0.7


class Equaliser(_Data, frozen=True, kw_only=True, tag="equaliser", tag_field="kind"):
    """Four bells between two shelves."""

    on: bool = True
    bands: tuple[Band, ...] = (
        Band(shape="low_shelf", frequency_hz=120),
        Band(frequency_hz=250),
        Band(frequency_hz=1000),
        Band(frequency_hz=3000),
        Band(frequency_hz=6000),
        Band(shape="high_shelf", frequency_hz=9000),
    )


class Compressor(_Data, frozen=True, kw_only=True, tag="compressor", tag_field="kind"):
    """Evens out loud and soft. Costs no time."""

    on: bool = True
    threshold_db: float = -25.0
    ratio: float = 2.0
    knee_db: float = 6.0
    attack_ms: float = 5.0
    release_ms: float = 200.0
    make_up_db: float = 0.0


class Multiband(_Data, frozen=True, kw_only=True, tag="multiband", tag_field="kind"):
    """Three compressors side by side: low, middle and high. `link_percent` is how far each follows what all three do
    on average, so that the colour of the sound stays. Costs no time."""

    on: bool = True
    low_hz: float = 200.0
    high_hz: float = 3000.0
    low_threshold_db: float = -30.0
    middle_threshold_db: float = -30.0
    high_threshold_db: float = -35.0
    ratio: float = 2.0
    attack_ms: float = 10.0
    release_ms: float = 200.0
    link_percent: float = 50.0
    low_gain_db: float = 0.0
    middle_gain_db: float = 0.0
    high_gain_db: float = 0.0


class Thickening(_Data, frozen=True, kw_only=True, tag="thickening", tag_field="kind"):
    """The sound again, two to four times, each a little later and wandering by up to `depth_ms`. The sound itself
    passes at once, so it costs no time."""

    on: bool = True
    voices: Literal[2, 3, 4] = 2
    delay_ms: float = 12.0
    depth_ms: float = 0.4
    wander_hz: float = 0.6
    level_db: float = -6.0


class DeEsser(_Data, frozen=True, kw_only=True, tag="de_esser", tag_field="kind"):
    """Holds back sharp s sounds: what is above its frequency, where it is louder than the threshold."""

    on: bool = True
    frequency_hz: float = 6000.0
    threshold_db: float = -32.0
    range_db: float = -8.0


class Gain(_Data, frozen=True, kw_only=True, tag="gain", tag_field="kind"):
    """Louder or softer."""

    on: bool = True
    gain_db: float = 0.0


class Limiter(_Data, frozen=True, kw_only=True, tag="limiter", tag_field="kind"):
    """Lets nothing above its ceiling, between the samples either. Looks ahead, so it costs time."""

    on: bool = True
    ceiling_db: float = -1.0
    release_ms: float = 100.0


class NoiseRemoval(_Data, frozen=True, kw_only=True, tag="noise_removal", tag_field="kind"):
    """Takes the noise of `profile` (its name in the setup) out. Stands first in a chain, and costs its window's time."""

    on: bool = True
    profile: str = ""
    window: Literal["long", "middle", "short"] = "middle"
    strength_percent: float = 100.0
    floor_db: float = -50.0
    smoothing_percent: float = 99.0


class PlugInParameter(_Data, frozen=True, kw_only=True):
    """One setting of a plug-in; `value` from 0 to 1, as plug-ins count."""

    key: str
    name: str
    value: float


class PlugIn(_Data, frozen=True, kw_only=True, tag="plug_in", tag_field="kind"):
    """One of the user's own plug-ins, by the name it was found under on this computer; a setup never says where a
    plug-in stands, so that none from outside can start anything. It runs beside the engine, in `place`, a block later;
    `latency_frames` is what it was measured to cost itself."""

    on: bool = True
    name: str
    place: int = 0
    latency_frames: int = 0
    parameters: tuple[PlugInParameter, ...] = ()


Processor = (
    PlugIn | NoiseRemoval | HighPass | Gate | Equaliser | Compressor | Multiband | Thickening | DeEsser | Gain | Limiter
)


@dataclass(frozen=True)
class Range:
    """What a parameter may be; what is outside never reaches the engine."""

    low: float
    high: float
    unit: str


RANGES: dict[str, dict[str, Range]] = {
    "PlugIn": {},
    "NoiseRemoval": {"strength_percent": Range(0, 100, "%"), "floor_db": Range(-80, 0, "dB"), "smoothing_percent": Range(80, 99.8, "%")},
    "HighPass": {"frequency_hz": Range(20, 1000, "Hz")},
    "Gate": {
        "threshold_db": Range(-100, 0, "dB"), "attack_ms": Range(0.1, 200, "ms"), "hold_ms": Range(0.1, 2000, "ms"),
        "release_ms": Range(0.1, 5000, "ms"), "range_db": Range(-100, 0, "dB"),
    },
    "Band": {"frequency_hz": Range(20, 20000, "Hz"), "gain_db": Range(-24, 24, "dB"), "q": Range(0.1, 12, "")},
    "Compressor": {
        "threshold_db": Range(-80, 0, "dB"), "ratio": Range(1, 20, ": 1"), "knee_db": Range(0, 24, "dB"),
        "attack_ms": Range(0.1, 500, "ms"), "release_ms": Range(1, 5000, "ms"), "make_up_db": Range(-24, 24, "dB"),
    },
    "Multiband": {
        "low_hz": Range(40, 1000, "Hz"), "high_hz": Range(1000, 12000, "Hz"), "low_threshold_db": Range(-80, 0, "dB"),
        "middle_threshold_db": Range(-80, 0, "dB"), "high_threshold_db": Range(-80, 0, "dB"),
        "ratio": Range(1, 20, ": 1"), "attack_ms": Range(0.1, 500, "ms"), "release_ms": Range(1, 5000, "ms"),
        "link_percent": Range(0, 100, "%"), "low_gain_db": Range(-24, 24, "dB"), "middle_gain_db": Range(-24, 24, "dB"),
        "high_gain_db": Range(-24, 24, "dB"),
    },
    "Thickening": {
        "delay_ms": Range(1, 30, "ms"), "depth_ms": Range(0, 3, "ms"), "wander_hz": Range(0.05, 3, "Hz"),
        "level_db": Range(-40, 0, "dB"),
    },
    "DeEsser": {
        "frequency_hz": Range(1000, 16000, "Hz"), "threshold_db": Range(-80, 0, "dB"), "range_db": Range(-40, 0, "dB"),
    },
    "Gain": {"gain_db": Range(-60, 24, "dB")},
    "Limiter": {"ceiling_db": Range(-24, 0, "dB"), "release_ms": Range(1, 2000, "ms")},
}  # fmt: skip


def held(thing: Processor | Band, field: str) -> float:
    """A parameter within its range."""
    r = RANGES[type(thing).__name__][field]
    return min(max(float(getattr(thing, field)), r.low), r.high)
