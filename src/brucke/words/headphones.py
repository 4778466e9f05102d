"""The headphone check in words."""

from collections.abc import Sequence

from .translation import _

ASKED = {"left": _("Where is this tone?"), "right": _("And where is this one?")}
ANSWER_TEXT = {
    "left": _("Left ear"), "right": _("Right ear"), "both": _("Both, or the middle"), "nowhere": _("Nowhere"),
}  # fmt: skip
TOO_LOUD = _("Too loud")
GOOD = _("Left is left, right is right, and not too loud.")
FAULTS = {
    "reversed": _("The sides are the wrong way round. Turn the headphones round, or swap their plugs."),
    "one_sound": _("Both sides do not differ. A mono plug or adapter, or a device that plays one channel only."),
    "silent": _("Nothing is heard. The desktop plays somewhere else, or the headphones' own knob is down."),
    "left_silent": _("Nothing is heard on the left. A plug that is not all the way in, or a broken wire."),
    "right_silent": _("Nothing is heard on the right. A plug that is not all the way in, or a broken wire."),
    "loud": _("Even a soft tone was too loud. Turn the headphones' own knob down before anybody sings."),
    "wireless": _("These headphones are wireless: what you hear is late by a tenth of a second or more, and so will "
                  "you be. Take a wire."),
    "late": _("What you hear is late by {ms:.0f} ms, more than a wire takes. Is there something wireless on the way?"),
}  # fmt: skip


def result_text(faults: Sequence[str], way_s: float | None) -> str:
    """Sentences, one a fault."""
    if not faults:
        return GOOD
    return " ".join(FAULTS[f].format(ms=(way_s or 0.0) * 1e3) for f in faults)
