"""How a far end was set in step afterwards, in words."""

from .timing import ms_text, plus_minus_text
from .translation import _

BY = {
    "source": _("told by what they played on its beat"),
    "echo": _("told by what was sent to them and came in again with their own sound"),
    "phrases": _("told by when their phrases begin against the music"),
    "stored": _("as what is stored of the call says; nothing of it could be heard in the recording"),
}


def in_step_text(name: str, by: str, late_s: float, plus_minus_s: float, wander_s: float) -> str:
    if by == "nothing":
        return _("{name}: nothing tells how late it comes in. Listen, and move it by hand.").format(name=name)
    sure = plus_minus_text(plus_minus_s)
    said = f"{ms_text(late_s)} {sure}" if sure.startswith("±") else ms_text(late_s)
    wandering = _(", wandering by {amount}").format(amount=ms_text(wander_s)) if wander_s > 0.001 else ""
    return _("{name} came back {said} late{wandering}, {by}.").format(name=name, said=said, wandering=wandering,
                                                                      by=BY[by])  # fmt: skip
