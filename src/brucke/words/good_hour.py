"""What is different since the last good hour, in sentences, and what brings it back."""

from ..core.document.setup import Setup
from ..core.knowledge.good_hour import Change, GoodHour
from .detail import choose
from .documents import difference_text
from .timing import counted, day_text, device_name
from .translation import _

VERSIONS = {"brucke": _("Brucke"), "server": _("The desktop's sound server"), "system": _("This computer's system")}


def since_text(then: GoodHour, count: int) -> str:
    """“3 things are different since the last good hour (24 Nov, 52 min).”"""
    what = _("one thing is") if count == 1 else _("{things} are").format(things=counted(count, "thing"))
    text = _("{what} different since the last good hour ({when}).").format(what=what, when=when_text(then))
    return text[:1].upper() + text[1:]


def when_text(then: GoodHour) -> str:
    return _("{day}, {minutes:.0f} min").format(day=day_text(then.date), minutes=then.minutes)


def change_text(then: GoodHour, now: Setup, c: Change) -> str:
    """One sentence."""
    if c.kind == "setup" and c.difference is not None:
        return difference_text(then.setup, now, c.difference) + "."
    if c.kind == "equipment":
        what, _slash, device = c.of.partition("/")
        verb = _("records from") if what == "in" else _("plays to")
        return _("{device} {verb} {after}; then it was {before}.").format(
            device=device_name(now, device), verb=verb, after=c.after or _("nothing"), before=c.before
        )
    if c.kind == "frames":
        said = choose(
            _("This computer hands sound on in other portions than it did then."),
            _("This computer gives {after} frames at a time; then it was {before}."),
        )
        return said.format(after=c.after, before=c.before)
    if c.kind == "round_trip":
        device = device_name(now, c.of.split(":")[1])
        return _("The round trip of {device} is {after:.2f} ms; then it was {before:.2f} ms.").format(
            device=device, after=float(c.after) * 1e3, before=float(c.before) * 1e3
        )
    return _("{what} is {after}; then it was {before}.").format(what=VERSIONS[c.of], after=c.after, before=c.before)


BACK_TEXT = {
    "setup": _("As it was"), "equipment": _("Take {before} again"), "frames": _("Measure again"),
    "round_trip": _("Measure again"), "version": _("Measure again"),
}  # fmt: skip


def back_text(c: Change) -> str:
    """What its button says."""
    return BACK_TEXT[c.kind].format(before=c.before)
