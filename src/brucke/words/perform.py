"""What Perform says: who hears what, as sentences; the line one is in, and what comes."""

from collections.abc import Sequence

from ..core.document.setup import Listener, Moment, OrderLine, Setup
from .timing import clock_text, part_name
from .translation import _

NO_ORDER = _("There is no running order yet. Edit the hour makes one.")
LAST_LINE = _("That was the last line of the running order.")
KINDS = {"song": _("song"), "talk": _("talk"), "pause": _("pause")}
NEW_NAMES = {"song": _("Song"), "talk": _("Talk"), "pause": _("Pause")}
NOTHING_NEXT = _("nothing more in the order")


def line_name(line: OrderLine) -> str:
    return line.name or NEW_NAMES[line.kind]


def song_text(line: OrderLine) -> str:
    """What undo calls it."""
    return _("the song is {name}").format(name=line_name(line))


def gone_text(line: OrderLine) -> str:
    """A line whose track is not among the backing tracks any more."""
    return _("{name} cannot begin: {file} is not among the backing tracks. Edit the hour chooses another.").format(
        name=line_name(line), file=line.file or _("its track")
    )


def not_begun_text(line: OrderLine, why: str) -> str:
    return _("{name} has not begun. {why}").format(name=line_name(line), why=why)


def hears_text(setup: Setup, listener: Listener, parts: Sequence[str]) -> str:
    """“hears voice, cello and harp”; of one's own headphones “hear …”, of a recorder what it would keep."""
    names = [part_name(setup, p).lower() for p in parts]
    said = _(" and ").join([x for x in (", ".join(names[:-1]), *names[-1:]) if x]) or _("nothing")
    if listener.kind == "monitor":
        return _("hear {what}").format(what=said)
    return _("hears {what}").format(what=said)


def who_text(listener: Listener) -> str:
    return _("You") if listener.kind == "monitor" else listener.name


def keeps_text(recording: bool, count: int, of: int) -> str:
    """The recorder, as a sentence."""
    if not recording:
        return _("keeps nothing now")
    return _("keeps every part") if count == of else _("keeps {count} of {of} parts").format(count=count, of=of)


def moment_about(moment: Moment, setup: Setup) -> str:
    """What a moment changes, in a few words."""
    muted = list(dict.fromkeys(part_name(setup, r.part).lower() for r in moment.routes if r.mute))
    said = [_("the song stands still")] if moment.pauses else []
    if muted:
        said.append(_("without {parts}").format(parts=", ".join(muted)))
    if any(p == "least_delay" for p in moment.policy.values()):
        said.append(_("now, without waiting"))
    return ", ".join(said) or _("everything as it is set")


def next_about(line: OrderLine | None, setup: Setup) -> str:
    """What the next line does."""
    if line is None:
        return ""
    moment = setup.moment(line.moment)
    if line.kind == "song":
        return _("the song begins") if moment is None else _("the song begins, {moment}").format(moment=moment.name)
    return _("the song stops") if moment is None else _("the song stops, {moment}").format(moment=moment.name)


def left_text(seconds: float | None) -> str:
    return _("{clock} left").format(clock=clock_text(seconds)) if seconds is not None else ""
