"""This computer, in words: what sounds here and who listens."""

from collections.abc import Sequence

from ..core.document.setup import Part, Setup
from ..core.timing.arrivals import RouteTiming
from .detail import in_numbers
from .timing import day_text, device_name
from .translation import _


def part_text(part: Part | None) -> str:
    """“is Song”, “is Lounge, the far end”, “is no part”."""
    if part is None:
        return _("is no part")
    if part.kind == "far_end":
        return _("is {part}, the far end").format(part=part.name)
    return _("is {part}").format(part=part.name)


def way_text(part: Part | None, direct: bool) -> str:
    """How what a program plays is heard."""
    if part is None:
        return ""
    if part.kind == "far_end":
        return _("heard by you alone")
    return _("also directly") if direct else _("through Brucke")


def server_text(rate_hz: int, asked: int, cycle: int) -> str:
    """What the sound server runs at, beside what was asked for; plainly, that it is there."""
    rate = f"{rate_hz / 1000:g} kHz"
    if not in_numbers():
        return _("the sound of this computer: connected")
    if cycle and cycle != asked:
        return _("sound server: {rate}, {got} frames at a time; {asked} were asked for").format(
            rate=rate, got=cycle, asked=asked
        )
    return _("sound server: {rate}, {asked} frames, as asked").format(rate=rate, asked=asked)


def hears_line(setup: Setup, parts: Sequence[str], is_open: bool) -> str:
    """“it hears Voice, Song”, or what it would."""
    names = ", ".join(setup.part(p).name for p in parts) or _("nothing")
    return (_("it hears {parts}") if is_open else _("it would hear {parts}")).format(parts=names)


def choose_text(setup: Setup, device: str, name: str) -> str:
    return _("In {program} choose the microphone “{name}”, and switch its echo removal off.").format(
        program=device_name(setup, device), name=name
    )


def route_evidence_text(route: RouteTiming) -> str:
    """How a whole way is known: no better than its worst converter."""
    if route.as_of:
        return _("as measured on {day}").format(day=day_text(route.as_of))
    said = {s.evidence for s in route.stages}
    return _("measured") if route.measured and "measured" in said else _("calculated")


HOW = (_("through Brucke"), _("also directly"))
HOW_TEXT = {
    False: _("You hear it through Brucke only, so that others can get it later than you."),
    True: _(
        "You hear it where it plays by itself, without Brucke; what others get is a copy. It cannot be delayed for you."
    ),
}
NEXT_TIME = _(
    "What {program} plays becomes this part by itself, also after a restart. When Brucke ends it goes back to where "
    "it was."
)
NOT_KNOWN = _("What {program} itself does to the sound is not known.")
EMPTY_SOUNDS = _("Nothing plays on this computer. What a program plays appears here with its first sound.")
EMPTY_LISTENS = _("Nobody can listen here yet. A call or a stream of this computer appears here as a microphone.")


def together_text(names: Sequence[str]) -> str:
    """“Harp, Voice and Lounge”."""
    some = [n for n in (", ".join(names[:-1]), *names[-1:]) if n]
    return _(" and ").join(some) or _("nothing yet")


def still_records_text(programs: Sequence[str], microphone: str) -> str:
    """Of a microphone that programs have chosen and no listener of the setup is behind any more."""
    return _(
        "{programs} still records {microphone}, which is gone from this setup: silence, until another microphone is "
        "chosen."
    ).format(programs=together_text(programs), microphone=microphone)


def looked_for_text(why: str) -> str:
    """`why` as a sentence of its own, and what is done about it."""
    return _("{why}. It is looked for; what goes through it is silent.").format(why=why[:1].upper() + why[1:])
