"""What to enter in the program at a listener, as sentences to copy or to keep as a page."""

from collections.abc import Sequence

from ..core.document.setup import Listener, Setup
from ..core.timing.hand_off import HandOff
from .detail import in_numbers
from .timing import MINUS, device_name, listener_name
from .translation import _


def handed_to(setup: Setup) -> tuple[Listener, ...]:
    """Those that have a program of their own."""
    return tuple(x for x in setup.listeners if x.kind in ("call", "stream"))


def signed_text(ms: float) -> str:
    """“+42 ms”, “0 ms”."""
    whole = round(ms)
    return f"{'+' if whole > 0 else MINUS if whole < 0 else ''}{abs(whole)} ms"


def page_title(setup: Setup, listener: Listener) -> str:
    return _("{setup}: to enter in {program}, for {listener}").format(
        setup=setup.name, program=device_name(setup, listener.device), listener=listener_name(setup, listener.id)
    )


def page_lines(setup: Setup, listener: Listener, h: HandOff) -> Sequence[tuple[str, str, str]]:
    """(what, value, what it means) of everything to enter."""
    lines = []
    if h.pictured:
        waits = (
            _("the picture waits so long; sound cannot be hurried")
            if round(h.picture_ms)
            else _("the picture has nothing to wait for")
        )
        if h.known:
            lines.append((_("Picture delay"), signed_text(h.picture_ms), waits))
        else:
            lines.append((_("Picture delay"), _("not known"), _("a film of the stream tells it")))
    lines.append(
        (
            _("Sound offset"),
            signed_text(h.sound_ms),
            _("plus: the sound comes later there, minus: sooner; all other delay is set in Brucke"),
        )
    )
    if in_numbers():
        same = _("the same as here, so that nothing is converted twice")
        lines.append((_("Sample rate"), f"{setup.rate_hz} Hz", same))
    wide = (
        _("stereo")
        if listener.channels == 2
        else _("{n} channels").format(n=listener.channels)
        if listener.channels > 2
        else _("one channel")
    )
    lines.append((_("Channels"), wide, ""))
    if listener.kind == "call":
        lines.append((_("Echo removal"), _("off"), _("it takes music for an echo")))
        lines.append((_("Noise removal"), _("off"), _("it takes held notes for noise")))
        lines.append((_("Automatic level"), _("off"), _("loud and soft are set in Brucke")))
    return lines


def warnings(setup: Setup, listener: Listener, h: HandOff) -> Sequence[str]:
    """What is odd about it."""
    if h.twice:
        return [
            _(
                "One delay is set in two places: {there} in the program, and more here. Set the sound offset there to "
                "0, measure again, and let Align do it."
            ).format(there=signed_text(listener.sound_there_ms))
        ]
    return []


def page_text(setup: Setup, listener: Listener, h: HandOff) -> str:
    """As one text to copy."""
    lines = [
        f"{what}: {value}{f' ({means})' if means else ''}" for what, value, means in page_lines(setup, listener, h)
    ]
    return "\n".join([page_title(setup, listener), "", *lines, *warnings(setup, listener, h)]) + "\n"
