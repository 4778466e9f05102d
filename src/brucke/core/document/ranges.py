"""The one table of ranges: what a number, a name or a list in a document may be. What is outside is refused.

A processor's own ranges stand with the processor; here they are joined by those of everything else a file can say.
"""

import math
import re
import unicodedata
from collections.abc import Iterator
from typing import Any

import msgspec

from ..sound.processors import RANGES as PROCESSOR_RANGES
from ..sound.processors import Range

ID = re.compile(r"[a-z0-9_-]{1,64}\Z")
MAX_NAME = 200
MAX_TEXT = 20_000
MAX_DELAY_S = 2.0
RATES_HZ = Range(8000, 192000, "Hz")
_SECONDS = Range(0, 86_400, "s")
_MS = Range(0, 10_000, "ms")
_METRES = Range(0, 1000, "m")
_GAIN = Range(-200, 12, "dB")

RANGES: dict[str, dict[str, Range]] = {
    **PROCESSOR_RANGES,
    "Setup": {"rate_hz": RATES_HZ, "block_frames": Range(16, 4096, "frames")},
    "Device": {
        "buffer_frames": Range(0, 65_536, "frames"), "buffers": Range(1, 64, "buffers"),
        "pictures_per_s": Range(0, 240, "pictures a second"),
    },
    "EnteredStage": {"latency_ms": _MS, "plus_minus_ms": _MS},
    "RestsOn": {"times": Range(-64, 64, "times"), "beyond_ms": Range(-10_000, 10_000, "ms")},
    "Track": {"gain_db": Range(-60, 20, "dB"), "loop_from_s": _SECONDS, "loop_to_s": _SECONDS},
    "Part": {
        "colour": Range(0, 1000, ""), "trim_db": Range(-60, 40, "dB"), "count_in_beats": Range(0, 16, "beats"),
        "tempo_bpm": Range(20, 400, "beats a minute"), "distance_m": _METRES,
    },
    "Listener": {
        "channels": Range(1, 16, "channels"), "air_m": _METRES, "extra_ms": Range(0, MAX_DELAY_S * 1e3, "ms"),
        "wait_at_most_ms": Range(0, MAX_DELAY_S * 1e3, "ms"),
        "target_lufs": Range(-40, -6, "LUFS"), "ceiling_db": Range(-40, 0, "dBFS"), "picture_there_ms": _MS,
        "sound_there_ms": Range(-10_000, 10_000, "ms"),
    },
    "Route": {"gain_db": _GAIN, "delay_ms": Range(0, MAX_DELAY_S * 1e3, "ms")},
    "MapPoint": {"gain_db": _GAIN},
    "OrderLine": {"from_s": _SECONDS, "to_s": _SECONDS, "lasts_s": _SECONDS},
    "Duck": {
        "depth_db": Range(0, 60, "dB"), "threshold_db": Range(-80, 0, "dBFS"), "attack_ms": Range(0.1, 500, "ms"),
        "release_ms": Range(1, 5000, "ms"),
    },
    "Moment": {"crossfade_s": Range(0, 10, "s")},
    "MomentRoute": {"gain_db": _GAIN, "duck_db": Range(0, 60, "dB")},
    "NoiseProfile": {"rate_hz": Range(1000, 1_000_000, "Hz"), "level_db": Range(-400, 100, "dB"), "seconds": _SECONDS},
    "Measurement": {
        "value_s": Range(-10, 10, "s"), "plus_minus_s": Range(0, 10, "s"), "proof_start_s": Range(-10, 10, "s"),
        "proof_step_s": Range(0, 1, "s"), "air_s": Range(0, 10, "s"), "there_s": Range(0, 10, "s"),
        "repeats": Range(0, 10_000,
        "times"), "agreeing": Range(0, 10_000, "times"),
    },
}  # fmt: skip
# How long a list may be; of what is not named here, MOST.
LENGTHS = {
    "devices": 128, "parts": 64, "listeners": 16, "routes": 1024, "moments": 100, "profiles": 100, "tracks": 200,
    "order": 500, "stages": 50, "map": 256, "power": 100_000, "proof": 20_000, "measurements": 20_000, "spoils": 20_000,
    "parameters": 1000,
}  # fmt: skip
MOST = 2000
LONG_TEXTS = ("notes",)


def held_to(thing: str, field: str, value: float) -> float:
    """`value` within the range of the table."""
    r = RANGES[thing][field]
    return min(max(value, r.low), r.high)


def number_problem(value: float, r: Range) -> str:
    """Why a number is unfit, empty where it is fit."""
    if not math.isfinite(value):
        return f"{value} is not a number"
    if not r.low <= value <= r.high:
        return (
            f"{value:g} {r.unit} is outside {r.low:.10g} to {r.high:.10g} {r.unit}".replace("  ", " ")
            .strip()
            .replace("-", "−")
        )
    return ""


def text_problem(field: str, text: str) -> str:
    """Why a name or a text is unfit, empty where it is fit."""
    most = MAX_TEXT if field in LONG_TEXTS else MAX_NAME
    if len(text) > most:
        return f"longer than {most} characters"
    allowed = "\n\t\r" if field in LONG_TEXTS else ""
    if any(unicodedata.category(c) in ("Cc", "Cs") and c not in allowed for c in text):
        return "has characters that cannot be written"
    return ""


def id_problem(id: str) -> str:
    return "" if ID.match(id) else f"“{printable(id)}” cannot be an id (small letters, digits, _ and -, at most 64)"


def printable(text: str, most: int = 64) -> str:
    """A text of somebody else's in one of our sentences."""
    return "".join(c if c.isprintable() else "�" for c in text[:most])


def range_problems(thing: Any, place: str = "") -> Iterator[tuple[str, str]]:
    """(place, reason) of everything in a struct, a list or a mapping that the table refuses."""
    if isinstance(thing, msgspec.Struct):
        limits = RANGES.get(type(thing).__name__, {})
        for field in thing.__struct_fields__:
            yield from _field_problems(field, getattr(thing, field), f"{place}.{field}".lstrip("."), limits.get(field))
    elif isinstance(thing, list | tuple):
        for i, inner in enumerate(thing):
            yield from value_problems("", inner, f"{place}[{i}]")
    elif isinstance(thing, dict):
        for key, inner in thing.items():
            yield from value_problems("", inner, f"{place}.{printable(str(key))}")


def _field_problems(field: str, value: Any, place: str, limit: Range | None) -> Iterator[tuple[str, str]]:
    if isinstance(value, list | tuple | dict) and len(value) > (most := LENGTHS.get(field, MOST)):
        yield place, f"{len(value)} {field}, at most {most} are possible"
        return
    if limit is not None and value is not None:
        reason = number_problem(value, limit)
        if reason:
            yield place, reason
        return
    yield from value_problems(field, value, place)


def value_problems(field: str, value: Any, place: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, str):
        reason = text_problem(field, value)
    elif isinstance(value, float):
        reason = "" if math.isfinite(value) else f"{value} is not a number"
    elif isinstance(value, int) and abs(value) > 2**62:
        reason = "is too large"
    else:
        yield from range_problems(value, place)
        return
    if reason:
        yield place, reason
