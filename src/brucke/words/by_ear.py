"""What is heard apart, as sentences."""

from ..core.measure.threshold import MOST_MS, Staircase
from .translation import _

CLICKS = _(
    "Two clicks. Turn to hear how far apart so many milliseconds are, compare blind, or choose a recording of a voice "
    "and its music."
)
ABOUT = _(
    "Voice and music that begin together, or one file with the voice left and the music right. Found phrase by "
    "phrase, so that what the singer does is told from what the path does."
)
ASKED = _("Comparison {n}: one of the two was apart. Which?")
BLIND = _("The two come one after another, in an order that nobody knows. Guess where you do not hear it.")


def knob_text(ms: float) -> str:
    """“voice 42 ms late”."""
    if round(ms) == 0:
        return _("voice with the music")
    return (_("voice {ms:.0f} ms late") if ms > 0 else _("voice {ms:.0f} ms early")).format(ms=abs(ms))


def threshold_text(s: Staircase) -> str:
    """What a staircase that is done found."""
    if s.never_heard:
        return _("Even {most:.0f} ms was not told from together. Is the sound on, and is something played in this "
                 "phrase?").format(most=MOST_MS)  # fmt: skip
    low, high = s.between_ms
    if low == 0.0:
        return _("You hear even {ms:.0f} ms apart.").format(ms=s.ms)
    wide = f"{low:.0f} – {high:.0f}"
    return _("You hear them apart from about {ms:.0f} ms on ({wide}), after {n} comparisons. What is nearer than that "
             "is together, for you.").format(ms=s.threshold_ms, wide=wide, n=s.asked)  # fmt: skip
