"""What processors and their parameters are called, and what each is for."""

from collections.abc import Iterator

from ..core.sound.processors import KINDS, OutsideStep, PlugIn, Processor
from .translation import _

# kind: its name, and what it is for.
PROCESSORS = {
    "noise_removal": (_("room noise"), _("takes learned noise out")),
    "high_pass": (_("high-pass"), _("takes away rumble")),
    "gate": (_("gate"), _("silent when nobody sounds")),
    "equaliser": (_("equaliser"), _("darker, brighter, clearer")),
    "compressor": (_("compressor"), _("evens out loud and soft")),
    "multiband": (_("multiband compressor"), _("evens out low, middle and high apart")),
    "thickening": (_("thickening"), _("a fuller sound")),
    "de_esser": (_("de-esser"), _("holds back sharp s sounds")),
    "gain": (_("gain"), _("louder or softer")),
    "limiter": (_("limiter"), _("nothing above its ceiling")),
    "plug_in": (_("plug-in"), ""),
    "outside_step": (_("outside step"), _("out to equipment or a program, and back")),
}
PROCESSOR_NAMES = {kind: name for kind, (name, _what) in PROCESSORS.items()}
FIELDS = {
    "frequency_hz": _("frequency"), "threshold_db": _("threshold"), "attack_ms": _("attack"), "hold_ms": _("stay open"),
    "release_ms": _("release"), "range_db": _("range"), "ratio": _("ratio"), "knee_db": _("knee"),
    "make_up_db": _("make-up"), "gain_db": _("gain"), "ceiling_db": _("ceiling"), "q": _("narrowness"),
    "strength_percent": _("strength"), "floor_db": _("floor"), "smoothing_percent": _("smoothing"), "low_hz": _(
    "low up to"), "high_hz": _("high from"),
    "low_threshold_db": _("low threshold"), "middle_threshold_db": _("middle threshold"),
    "high_threshold_db": _("high threshold"), "link_percent": _("together"), "low_gain_db": _("low gain"),
    "middle_gain_db": _("middle gain"), "high_gain_db": _("high gain"), "delay_ms": _("later by"),
    "depth_ms": _("wanders by"), "wander_hz": _("wanders at"), "level_db": _("level"),
}  # fmt: skip
SHAPES = {"low_shelf": _("low shelf"), "bell": _("bell"), "high_shelf": _("high shelf")}
# What is one of a few: its name, and each of them.
CHOICES = {
    "slope_db": (_("slope"), _("{n} dB an octave")), "voices": (_("voices"), _("{n} voices")),
}  # fmt: skip


def kind_of(p: Processor) -> str:
    return str(p.__struct_config__.tag)


def processor_name(p: Processor) -> str:
    if isinstance(p, PlugIn | OutsideStep) and p.name:
        return p.name[:32]
    name = PROCESSOR_NAMES[kind_of(p)]
    return name[0].upper() + name[1:]


def _offered() -> Iterator[tuple[str, tuple[Processor, str]]]:
    for kind in KINDS:
        if not issubclass(kind, PlugIn):  # each of those is found on its computer
            fresh = kind()
            yield kind_of(fresh), (fresh, PROCESSORS[kind_of(fresh)][1])


# kind: a new one, and what it is for, in the order of the registry.
OFFERED = dict(_offered())
