"""What is said of the running engine: that it stopped, came back, or cannot carry what was asked."""

from .detail import choose
from .translation import _

SLEPT_TEXT = _("The computer slept. Test the round trip again before you rely on it.")
DECODER_ENDED = _(
    "The song's file made its decoder end. The song goes on where that can; everybody else hears what they heard."
)
STANDINS_ENDED = _("The stand-in equipment stopped; everything was stopped. Start again.")
STANDINS_AGAIN = _(
    "What plays the song and the stand-ins stopped and is started again. Everybody else hears what they heard."
)
ENGINE_STOPPED = _("The engine stopped. It is being started again with the same setup.")
ENGINE_BACK = _("The engine stopped and is back. Sound goes on; test the round trip again when there is time.")
LOUDNESS_ANEW = _("Loudness is counted anew from now on.")


def not_started_text(why: object) -> str:
    return _("Not started: {why}.").format(why=why)


def other_rate_text(rate_hz: int, setup_hz: int) -> str:
    """The desktop's sound server insists on another rate."""
    than = choose(
        _("another rate than the setup"), _("{rate} Hz and the setup at {own} Hz").format(rate=rate_hz, own=setup_hz)
    )
    return _(
        "This computer's sound runs at {than}: nothing goes in or out there. Set the desktop to the setup's rate, or "
        "the setup to the desktop's (Gather)."
    ).format(than=than)
