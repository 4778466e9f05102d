"""What goes wrong while it goes, in one sentence with what to do."""

from .translation import _

# By code, for whoever switches one off.
NAMES = {
    "muted": _("singing while muted"), "clips": _("an input that clips"), "nobody": _("open, and nobody takes it"),
    "long": _("a forgotten recording"),
}  # fmt: skip
MUTED = _("{part} is muted, and something comes in: nobody hears it. F11 lets it sound.")
CLIPS = _("{part} is too loud at its input: it clips. Turn the knob there down.")
NOBODY_TAKES = _("{listener} is open, and no program has chosen it: nobody hears it there.")
LEFT = _("{program} has left {listener}: nobody hears it there any more.")
LONG = _("Recording for {hours} h now. R ends it, where it was forgotten.")
HELD = _(
    "The key that mutes has been held for {seconds} s: {part} is muted until it is let go. F11 once more, where it "
    "sticks."
)
