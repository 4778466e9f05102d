"""The other ways of knowing, by their action."""

from .translation import _

OTHER_WAYS = {
    "film": _("Sound against picture of a recording…"),
    "camera": _("A square that flashes, for a camera…"),
    "voice_music": _("Voice against music of a recording…"),
    "what_if": _("What if: another buffer, a limit, a chain…"),
    "stages": _("Which box takes how long, and the air…"),
    "path": _("Is the path clean?…"),
    "clocks": _("Two clocks against one another…"),
    "buffer": _("The smallest buffer that holds…"),
    "hand_off": _("What to enter in the other program…"),
}
