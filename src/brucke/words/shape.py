"""What Shape says: parameters with their values, loudness, plug-ins. No screen here."""

from ..core.sound.processors import Band, Equaliser, Multiband, NoiseRemoval, PlugIn, Processor, Range
from .detail import choose, in_numbers
from .processors import CHOICES, FIELDS, SHAPES
from .timing import MINUS, db_text
from .translation import _

WINDOWS_WORDS = {"long": _("long"), "middle": _("middle"), "short": _("short")}
PRESET_NAMES = {
    "speech": _("speech"), "singing": _("singing"), "bowed": _("bowed strings"), "plucked": _("plucked strings"),
    "drums": _("drums"), "mix": _("workstation mix"),
}  # fmt: skip
LOUDNESS_WORDS = (_("momentary"), _("short-term"), _("integrated"), _("true peak"))
SHOWN = 3  # parameters that stand on a card


def value_text(value: float, r: Range) -> str:
    """A number with its unit, as short as it stays exact enough."""
    if r.unit == "dB":
        return f"{value:.1f} dB" if r.low >= 0 else db_text(value)
    if r.unit == "Hz" and value >= 1000:
        return f"{value / 1000:.3g} kHz"
    text = f"{value:.3g}" if value < 1000 else f"{value:.0f}"
    return f"{text} {r.unit}".strip()


def _band_text(b: Band) -> str:
    return f"{value_text(b.frequency_hz, b.RANGES['frequency_hz'])} {db_text(b.gain_db)}"


def shown_values(p: Processor) -> list[tuple[str, str]]:
    """The first few parameters: (name, value). Plainly none, since none says itself."""
    if not in_numbers():
        return []
    if isinstance(p, Equaliser):
        moved = [b for b in p.bands if b.gain_db] or list(p.bands)
        return [(SHAPES[b.shape], _band_text(b)) for b in moved[:SHOWN]]
    if isinstance(p, PlugIn):
        return [(x.name[:16], f"{x.value:.0%}".replace("%", " %")) for x in p.parameters[:SHOWN]]
    chosen = [(CHOICES[f][0], CHOICES[f][1].format(n=getattr(p, f))) for f in p.CHOICES]
    rows = [*chosen, *((FIELDS[f], value_text(float(getattr(p, f)), r)) for f, r in p.RANGES.items())]
    if isinstance(p, NoiseRemoval):
        rows = [(_("profile"), p.profile or _("none yet")), *rows]
    if isinstance(p, Multiband):
        rows = [rows[i] for i in (0, 1, 5)]
    return rows[:SHOWN]


def loudness_text(lufs: float) -> str:
    return _("{lufs} LUFS").format(lufs=f"{lufs:.1f}".replace("-", MINUS)) if lufs > -100 else _("silent")


def peak_text(dbtp: float) -> str:
    return _("{db} dBTP").format(db=f"{dbtp:.1f}".replace("-", MINUS)) if dbtp > -120 else _("silent")


def off_target_text(off: float) -> str:
    """Against the target, in LU."""
    if abs(off) <= 1.0:
        return _("As loud as it is meant to be.")
    way = _("loud") if off > 0 else _("soft")
    return choose(_("Too {way}."), _("{lu:.1f} LU too {way}.")).format(lu=abs(off), way=way)


def matched_text(gain_db: float) -> str:
    if abs(gain_db) < 0.05:
        return _("Heard without. Nothing was measured yet, so it may be softer or louder.")
    return choose(_("Heard without, equally loud."), _("Heard without, {db} for the same loudness.")).format(
        db=db_text(gain_db)
    )


def felt_text(places: list[str], ms: str) -> str:
    return _("In {places} the player hears this {ms} late and may feel it.").format(places=", ".join(places), ms=ms)


def mismatch_text(db: float) -> str:
    said = choose(
        _("The room is louder than when it was learnt."), _("The room is {db:.0f} dB louder than when it was learnt.")
    )
    return f"{said.format(db=db)} {_('Learn it again when nobody sounds.')}"


PLUG_IN_FAULTS = {
    "crashed": _("crashed"), "hangs": _("does not answer"), "not_finite": _("gave no numbers"),
    "wrong_latency": _("does not cost the time it was measured to cost"), "not_loaded": _("does not load"),
    "not_here": _("is not on this computer"),
}  # fmt: skip


def plug_in_fault_text(name: str, fault: str) -> str:
    return _("{name} {fault}. The sound goes on without it, dry and in time.").format(
        name=name, fault=PLUG_IN_FAULTS[fault]
    )  # fmt: skip


def not_silent_text(code: str, at_s: float, over_db: float) -> str:
    """Why no noise profile was learnt."""
    return {
        "too_short": _("less than 3 s of silence; stay silent for ten to fifteen"),
        "nothing": _("nothing came in at all, not even noise; look for a cable or a mute"),
        "changes": _("it was no steady noise, somebody sounded all the while; learn it in silence"),
        "not_silent": choose(
            _("it was not silent at {at:.1f} s; learn it again"),
            _("it was not silent at {at:.1f} s ({over:.0f} dB above the rest); learn it again"),
        ),
    }[code].format(at=at_s, over=over_db)
