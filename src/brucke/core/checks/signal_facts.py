"""What a few seconds of every part and listener tell the soundcheck. NumPy only.

Sounds are float32 [2, frames] as the engine takes them in, after the trim.
"""

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from ..document.setup import Part, Setup
from ..knowledge.evidence import Heard
from ..measure.correlation import correlate, find_peak
from ..measure.stimulus import taper
from ..units import SILENCE_DB, db_to_gain, gain_to_db

F32 = npt.NDArray[np.float32]
# A lead heard in a microphone stands out of the whitened correlation by this much; bleed 30 dB below the voice does
# in 98 of 100 stretches of the demo. A voice singing the same notes does in 4 of 100, each time at another lag.
SURE = 12.0
BLEED_REACH_S = 0.25
BLEED_FLOOR_DB = -70.0


def power_db(sound: F32) -> float:
    """Level of `sound` (any shape, linear) as a root mean square, in dB of full scale; SILENCE_DB where it is empty."""
    return SILENCE_DB if sound.size == 0 else gain_to_db(float(np.sqrt(np.mean(np.square(sound, dtype=np.float64)))))


def peak_db(sound: F32) -> float:
    """Highest sample of `sound` (any shape, linear), in dB of full scale; SILENCE_DB where it is empty."""
    return SILENCE_DB if sound.size == 0 else gain_to_db(float(np.max(np.abs(sound))))


def hear_part(part: Part, sound: F32, lead: F32 | None, rate_hz: int) -> Heard:
    """Levels of one part; `lead` [frames] is what its player hears in the headphones."""
    trim = db_to_gain(part.trim_db)
    right = sound[1] if len(part.channels) > 1 else sound[0]
    loudest = peak_db(sound[: max(1, len(part.channels))])
    return Heard(
        input_peak_db=gain_to_db(db_to_gain(loudest) / trim) if trim > 0 else SILENCE_DB, peak_db=loudest,
        left_db=power_db(sound[0]), right_db=power_db(right), mono_db=power_db((sound[0] + right) / 2),
        bleeds_ms=_bleeds_ms(sound[0], lead, rate_hz) if lead is not None else (),
    )  # fmt: skip


def _bleeds_ms(microphone: F32, lead: F32, rate_hz: int) -> tuple[float, ...]:
    if len(lead) < rate_hz or power_db(microphone) < BLEED_FLOOR_DB or power_db(lead) < BLEED_FLOOR_DB:
        return ()
    c = correlate(taper(lead, rate_hz), taper(microphone, rate_hz), (0, round(BLEED_REACH_S * rate_hz)))
    peak = find_peak(c, rate_hz, signed=False)
    return (peak.lag / rate_hz * 1e3,) if peak.to_rms > SURE and peak.second < 0.7 else ()


def hear(setup: Setup, sounds: Mapping[str, F32]) -> dict[str, Heard]:
    """Facts of everything that came in, by part id. `sounds`: part id → [channels, frames] at the setup's rate, all
    from the same moment. A microphone is searched for the lead that its player follows."""
    found = {}
    for part in setup.parts:
        if part.kind == "picture" or part.id not in sounds:
            continue
        lead = sounds.get(part.follows) if part.source == "microphone" and part.follows else None
        line = None if lead is None else np.ascontiguousarray(lead.mean(axis=0), np.float32)
        found[part.id] = hear_part(part, sounds[part.id], line, setup.rate_hz)
    return found


def merged(a: Heard | None, b: Heard) -> Heard:
    """What two stretches told together: the loudest peaks, the sides of the louder stretch, every bleed."""
    if a is None:
        return b
    louder = a if max(a.left_db, a.right_db) > max(b.left_db, b.right_db) else b
    return Heard(
        input_peak_db=max(a.input_peak_db, b.input_peak_db), peak_db=max(a.peak_db, b.peak_db),
        left_db=louder.left_db, right_db=louder.right_db, mono_db=louder.mono_db,
        bleeds_ms=(*a.bleeds_ms, *b.bleeds_ms),
    )  # fmt: skip
