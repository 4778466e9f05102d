"""A card for the person at the other side of a call: a few sentences, filled in from the setup."""

from collections.abc import Sequence

from ..core.document.setup import Listener, Setup
from ..core.routing.audibility import heard_now
from .this_computer import together_text
from .timing import device_name, listener_name, part_name
from .translation import _


def other_sides(setup: Setup) -> tuple[Listener, ...]:
    """Those at whose far end somebody sits."""
    return tuple(x for x in setup.listeners if x.kind == "call")


def card_title(setup: Setup, listener: Listener) -> str:
    return _("{setup}: for you at the other side of {listener}").format(
        setup=setup.name, listener=listener_name(setup, listener.id)
    )


def card_sentences(setup: Setup, listener: Listener, moment: str = "") -> Sequence[str]:
    """What they will hear first, then five things to do."""
    program = device_name(setup, listener.device)
    heard = together_text([part_name(setup, p) for p in heard_now(setup, moment, (), listener.id)])
    wide = (
        _("In {program} switch stereo on, and a setting for music if there is one: it is sent with a left and a right.")
        if listener.channels > 1
        else _("In {program} switch a setting for music on if there is one; stereo is not needed.")
    )
    return [
        _("You will hear {heard}.").format(heard=heard),
        _("Wear headphones: what a loudspeaker plays goes back to us, late."),
        _("In {program} switch echo removal and noise removal off: both take music for a disturbance.").format(
            program=program
        ),
        wide.format(program=program),
        _("Be in a quiet room: doors and windows shut, nothing that hums or rings."),
        _("Use a wire to the network if there is one, and let nobody else fetch anything large meanwhile."),
    ]


def card_text(setup: Setup, listener: Listener, moment: str = "") -> str:
    """As one text to send."""
    first, *rest = card_sentences(setup, listener, moment)
    numbered = [f"{i + 1}. {s}" for i, s in enumerate(rest)]
    return "\n".join([card_title(setup, listener), "", first, "", *numbered]) + "\n"
