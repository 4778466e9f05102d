"""Somebody here who hears what is taken at another computer."""

from ...core.document.setup import Setup
from ...core.edits.listener_edits import add_listener
from ...core.edits.route_edits import device_of_this_computer
from ...ports.devices.server_choice import spoken
from ...words.documents import LISTENER_WORDS


def with_headphones(setup: Setup) -> Setup:
    """The setup with headphones: where nobody listens yet, what is taken would be heard by nobody."""
    if any(x.kind == "monitor" for x in setup.listeners):
        return setup
    name, device = LISTENER_WORDS["monitor"]
    after = add_listener(setup, "monitor", name, device)
    return device_of_this_computer(after, after.listeners[-1].device) if spoken() else after
