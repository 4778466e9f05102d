"""What a processor does, as one sentence in words and numbers; and what it does just now, while it runs."""

from ..core.sound.processors import (
    Band,
    Compressor,
    DeEsser,
    Equaliser,
    Gain,
    Gate,
    HighPass,
    Limiter,
    Multiband,
    NoiseRemoval,
    OutsideStep,
    PlugIn,
    Processor,
    Thickening,
    held,
)
from .detail import in_numbers
from .shape import value_text
from .timing import MINUS, db_text, percent_text
from .translation import _

HELD_DB = 0.1  # less is at rest
MOST_BANDS = 2
# Up to which frequency a sound is heard as what; common practice, no source.
HEARD_AS = ((150.0, _("bass")), (800.0, _("warmth")), (5000.0, _("clarity")))


def _value(p: Processor | Band, field: str) -> str:
    return value_text(float(getattr(p, field)), p.RANGES[field])


def _amount(db: float) -> str:
    """“4 dB”, “0.4 dB”: how much, without a sign."""
    return f"{abs(db):.0f} dB" if abs(db) >= 9.95 else f"{abs(db):.1f} dB".replace(".0 dB", " dB")


def plain_text(p: Processor) -> str:
    """What it is for, without its numbers."""
    match p:
        case HighPass():
            return _("takes rumble away")
        case Gate():
            return _("silent while nobody sounds")
        case Equaliser():
            return _equaliser_text(p)
        case Compressor():
            return _("holds back what is loud")
        case Multiband():
            return _("holds low, middle and high back apart")
        case Thickening():
            return _("adds {n} voices, {ms:g} ms later").format(n=p.voices, ms=held(p, "delay_ms"))
        case DeEsser():
            return _("holds back sharp s sounds")
        case Gain():
            gain = held(p, "gain_db")
            return _("as loud as it comes") if abs(gain) < 0.05 else _("louder") if gain > 0 else _("softer")
        case Limiter():
            return _("lets nothing become too loud")
    return ""


def doing_text(p: Processor) -> str:
    """What it is set to do, while nothing is heard of it."""
    if not p.on:
        return _("switched off")
    if not in_numbers() and (plain := plain_text(p)):
        return plain
    match p:
        case NoiseRemoval():
            return (
                _("takes “{name}” out of the sound").format(name=p.profile) if p.profile else _("no noise learnt yet")
            )
        case HighPass():
            return _("nothing below {hz}").format(hz=_value(p, "frequency_hz"))
        case Gate():
            return _("closed below {db}").format(db=db_text(held(p, "threshold_db")))
        case Equaliser():
            return _equaliser_text(p)
        case Compressor():
            return _("holds back what is above {db}, {ratio:g} to 1").format(db=db_text(held(p, "threshold_db")),
                ratio=p.ratio)  # fmt: skip
        case Multiband():
            return _("holds low, middle and high back apart")
        case Thickening():
            return _("{n} voices beside it, {ms:g} ms later").format(n=p.voices, ms=held(p, "delay_ms"))
        case DeEsser():
            return _("holds back sharp s sounds above {hz}").format(hz=_value(p, "frequency_hz"))
        case Gain():
            gain = held(p, "gain_db")
            return _("as loud as it comes") if abs(gain) < 0.05 else (
                f"{_amount(gain)} "
                f"{_('louder') if gain > 0 else _('softer')}"
            )  # fmt: skip
        case Limiter():
            return _("nothing above {db}").format(db=db_text(held(p, "ceiling_db")))
        case PlugIn():
            return _("your own plug-in")
        case OutsideStep():
            return _outside_text(p)
    return ""


def _outside_text(p: OutsideStep) -> str:
    if not (p.send_device and p.return_device):
        return _("goes nowhere yet")
    if not p.latency_frames:
        return _("not measured yet, so it is dry")
    return _("out and back")


def _band_word(frequency_hz: float) -> str:
    """What a frequency is heard as."""
    return next((word for edge, word in HEARD_AS if frequency_hz < edge), _("brightness"))


def _equaliser_text(p: Equaliser) -> str:
    """“2 dB less at 300 Hz, 2.5 dB more at 3.5 kHz”: those that do the most."""
    moved = sorted((b for b in p.bands if abs(b.gain_db) >= 0.05), key=lambda b: -abs(b.gain_db))[:MOST_BANDS]
    if not moved:
        return _("changes nothing yet")
    if not in_numbers():
        bands = sorted(moved, key=lambda b: b.frequency_hz)
        return ", ".join(f"{_('more') if b.gain_db > 0 else _('less')} {_band_word(b.frequency_hz)}" for b in bands)
    said = [
        (_("{db} more at {hz}") if b.gain_db > 0 else _("{db} less at {hz}")).format(
            db=_amount(b.gain_db), hz=_value(b, "frequency_hz")
        )
        for b in sorted(moved, key=lambda b: b.frequency_hz)
    ]
    return ", ".join(said)


def now_text(p: Processor, reductions: tuple[float, ...], quieter_db: float) -> str:
    """What it does just now: `reductions` in dB, one for each band; `quieter_db` how much softer it makes the
    pauses."""
    most = max(reductions, default=0.0)
    if not in_numbers():
        works = most >= HELD_DB and not isinstance(p, Gate | PlugIn | OutsideStep)
        return _("{does}, just now").format(does=doing_text(p)) if works and p.on else doing_text(p)
    match p:
        case _ if not p.on:
            return doing_text(p)
        case NoiseRemoval() if p.profile and quieter_db >= 0.5:
            return _("quieter by {db} between the sounds").format(db=_amount(quieter_db))
        case Gate():
            return _("closed below {db}, {now}").format(
                db=db_text(held(p, "threshold_db")), now=_("open now") if most < 1.0 else _("shut now")
            )
        case Compressor():
            if most < HELD_DB:
                return _("at rest, holds back above {db}").format(db=db_text(held(p, "threshold_db")))
            return _("holds {db} back above {threshold}").format(db=_amount(most), threshold=db_text(held(p,
                "threshold_db")))  # fmt: skip
        case Multiband():
            low, middle, high = (f"{x:.0f}" for x in (*reductions, 0.0, 0.0, 0.0)[:3])
            return _("holds low {low}, middle {middle}, high {high} dB back").format(low=low, middle=middle, high=high)
        case DeEsser():
            return _("takes {db} off sharp s sounds").format(db=_amount(most)) if most >= HELD_DB else _(
                "at rest, no sharp s sounds")  # fmt: skip
        case Limiter():
            ceiling = db_text(held(p, "ceiling_db"))
            if most < HELD_DB:
                return _("nothing above {db}, at rest").format(db=ceiling)
            return _("nothing above {db}, holds {now} back").format(db=ceiling, now=_amount(most))
    return doing_text(p)


def level_text(db: float) -> str:
    """“−23.9 dBFS”"""
    if db <= -99:
        return _("silent")
    return f"{MINUS if db < 0 else ''}{abs(db):.1f} dBFS" if in_numbers() else percent_text(db)
