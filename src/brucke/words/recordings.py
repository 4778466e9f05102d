"""What is said of a recording as a thing that somebody owns, and of who agreed to be in it."""

from collections.abc import Collection
from datetime import datetime
from pathlib import Path

from ..core.document.setup import Setup
from ..core.knowledge.evidence import Knowledge
from .timing import clock_text, date_text, day_text, part_name
from .translation import _


def label_text(date: str, name: str) -> str:
    """What the user called it, or when it was made."""
    return name or date_text(date)


def given_name(date: str, setup: str) -> str:
    """“2026-11-30 14.05 Evening lesson”: for somebody who gets it alone."""
    return f"{datetime.fromisoformat(date).strftime('%Y-%m-%d %H.%M')} {setup}".strip()


def kept_at_text(folder: Path, demo: bool) -> str:
    if demo:
        return _("It goes when the demo is closed.")
    home = str(Path.home())
    place = str(folder.parent)
    return _("In {place}").format(place="~" + place.removeprefix(home) if place.startswith(home + "/") else place)


def agreed_text(setup: Setup, knowledge: Knowledge, kept: Collection[str]) -> str:
    """Who of the far ends in it agreed, and when; empty without one."""
    said = []
    for p in setup.parts:
        agreement = knowledge.agreement(p.id) if p.kind == "far_end" and p.id in kept else None
        if agreement is not None:
            said.append(_("{who} agreed on {day}").format(who=agreement.who or p.name, day=day_text(agreement.date)))
    return "; ".join(said)


def may_record_text(setup: Setup, part: str) -> tuple[str, str]:
    """The question before a far end is recorded, and what it means."""
    return (
        _("{part} would be in this recording. Do they agree?").format(part=part_name(setup, part)),
        _(
            "Who agreed, and when, is kept with this setup and with every recording. Without them, neither their "
            "voice is recorded nor "
            "anything that it is mixed into."
        ),
    )


def may_be_recorded_text(setup: Setup, knowledge: Knowledge, part: str) -> str:
    """What was answered for a far end."""
    agreement = knowledge.agreement(part)
    if agreement is not None:
        return _("{who} agreed on {day} to be recorded.").format(
            who=agreement.who or part_name(setup, part), day=day_text(agreement.date)
        )
    if any(a.part == part for a in knowledge.agreed):
        return _("They are not recorded.")
    return _("Nobody has asked them yet. You are asked before the first recording with them.")


# Why nothing of what just happened can be kept.
CANNOT_REMEMBER = {
    "off": _("Nothing is remembered: that is off. Review switches it on."),
    "far_end": _("Nothing is remembered while somebody at a far end is routed: record openly, and they are asked."),
    "silent": _("Nothing is remembered: nothing sounds."),
    "recording": _("Nothing is remembered while a recording runs: everything is in that."),
    "nothing": _("Nothing is remembered yet."),
}


def remembered_text(state: str, why: str, seconds: float, most_s: float, size: int) -> str:
    """What is remembered of the last minutes, where, and how much that may become; `why` not, where it is not."""
    if state == "off":
        return _("In memory only, and on no disk before you keep them.")
    if state == "waits":
        return CANNOT_REMEMBER[why]
    if state == "keeping":
        return _("What just happened is being written.")
    text = _("The last {time} are in memory, on no disk; at most {most}, {size}.")
    return text.format(time=clock_text(seconds), most=clock_text(most_s), size=size_text(size))


def record_button(state: str, test: bool, seconds: float) -> str:
    if state == "recording" and not test:
        return _("End recording  {time}").format(time=clock_text(seconds))
    return _("Record")


def test_button(state: str, test: bool, share: float, seconds: float) -> str:
    """`share` of what is being done is done."""
    match state:
        case "recording" if test:
            return _("End the test  {s} s").format(s=round(share * seconds))
        case "finishing":
            return _("Collecting…")
        case "proving":
            return _("Measuring it  {share}").format(share=f"{share:.0%}")
        case _:
            return _("Test recording")


def size_text(size: int) -> str:
    """“84 MB”, “1.2 GB”."""
    if size >= 1e9:
        return f"{size / 1e9:.1f} GB"
    return f"{max(1, round(size / 1e6))} MB" if size else ""
