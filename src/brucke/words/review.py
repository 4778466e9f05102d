"""The verdict of a take as sentences: one fact, one sentence, in Review, the deck, `prove` and `rehearse`."""

from ..core.document.setup import Setup
from ..core.timing.take_verdict import PartVerdict, TakeVerdict
from .detail import choose
from .timing import ms_text, part_name
from .translation import _

REASONS = {
    "no_lead": _("nothing that sets the beat reaches them; route the song here, and it can be measured"),
    "too_short": _("too short to measure; record at least six seconds"),
    "not_found": _("the lead was not found in this recording"),
    "not_measured": _("not measured"),
    "nothing_routed": _("nothing is routed here"),
}
LEAST_MS = 0.01


def within_text(seconds: float) -> str:
    """“8 ms”, “0.3 ms”, or that it is less than can be told."""
    ms = seconds * 1e3
    if ms < LEAST_MS:
        return _("0.01 ms")
    return f"{ms:.0f} ms" if ms >= 9.95 else f"{ms:.1f} ms" if ms >= 0.095 else f"{ms:.2f} ms"


def in_step_text(edge_s: float) -> str:
    """Heard in the recording, and how far that can be told: a delay that is known exactly is heard only so far."""
    return _("in step within {edge}").format(edge=within_text(edge_s))


def left_text(v: PartVerdict) -> str:
    """“+0.31 ms ± 0.8”"""
    ms = v.left_s * 1e3
    sign = "−" if ms < 0 else "+"
    value = f"{sign}{abs(ms):.2f}" if abs(ms) < 9.995 else f"{sign}{abs(ms):.1f}"
    width = max(v.plus_minus_s * 1e3, LEAST_MS)
    return f"{value} ms" + choose("", f" ± {width:.0f}" if width >= 99.5 else f" ± {width:.2g}")


def _longer(seconds: float) -> str:
    more = max(10, round(seconds / 10) * 10)
    return _("{n} s").format(n=more) if more < 120 else _("{n} min").format(n=round(more / 60))


def part_text(v: PartVerdict) -> str:
    """What may be said of one part, without its name."""
    said = _("{said}, upside down").format(said=_code_text(v)) if v.inverted else _code_text(v)
    return rests_text(said) if v.dry and v.code in ("in_step", "late", "early") else said


def rests_text(said: str) -> str:
    """Of what was looked for as it came in: nobody knows beforehand when a voice sounds, the measured round trip
    tells."""
    return _("{said}, if the round trip is right").format(said=said)


def _code_text(v: PartVerdict) -> str:
    match v.code:
        case "in_step":
            return in_step_text(v.edge_s)
        case "late":
            return _("late {amount}").format(amount=ms_text(abs(v.left_s)))
        case "early":
            return _("early {amount}").format(amount=ms_text(abs(v.left_s)))
        case "too_little":
            return _("too little to judge")
        case "not_found":
            return _("no sound on the beat to look for") if v.reason == "no_source" else _("not found")
        case _ if v.reason == "disagree":
            return _("not sure: its moments contradict each other")
        case _:
            return _("not sure, {left}: record {longer} more").format(left=left_text(v), longer=_longer(v.more_s))


def take_text(setup: Setup, v: TakeVerdict) -> str:
    """The one sentence of a listener of a take."""
    if v.reason:
        return REASONS.get(v.reason, v.reason)
    if not v.parts:
        return _("nothing is routed here")
    worst = v.worst
    if worst is None:
        said = in_step_text(v.edge_s)
        said = rests_text(said) if v.dry else said
        turned = ", ".join(part_name(setup, p.part).lower() for p in v.parts if p.inverted)
        return _("{said}, {parts} upside down").format(said=said, parts=turned) if turned else said
    return f"{part_name(setup, worst.part).lower()} {part_text(worst)}"


def needs_you(v: TakeVerdict) -> bool:
    """Whether the sentence asks for something. A listener to whom nothing is routed does not."""
    return bool(v.parts) and not v.in_step
