"""Another listener's sound in one's own headphones, in words."""

from ..core.document.setup import Setup
from .timing import listener_name
from .translation import _


def hears_as_text(setup: Setup, listener: str, half: bool) -> str:
    """What is in the headphones, and what is not known of it."""
    name = listener_name(setup, listener)
    said = (
        _("{listener} is in your right ear, you are in your left.")
        if half
        else _("You hear what {listener} hears, as it leaves here.")
    )
    more = _(
        "What the program there adds is not known. Nobody else hears a difference. Ctrl+J goes on, and after the last "
        "back to yourself."
    )
    return f"{said.format(listener=name)} {more}"


def hears_as_short(setup: Setup, listener: str, half: bool) -> str:
    """As it stands in a list of who hears what."""
    name = listener_name(setup, listener)
    return (_("hear {listener} in one ear") if half else _("hear what {listener} hears")).format(listener=name)
