"""What things of ours are called at the desktop's sound server."""

from ....core.document.setup import OF_THIS_COMPUTER as SERVER
from ....core.document.setup import Device, Setup
from ....core.routing.clocks import of_this_computer as here

GROUP = "brucke"  # all of ours are driven by one clock
OURS = "brucke."  # how the names of our nodes begin
ENGINE = f"{OURS}engine"
NOWHERE = f"{OURS}nowhere"  # what a desktop without headphones plays to, so that it is none of ours
PLAYED_TO = f"{OURS}in."  # how those begin that programs play to
MOST_NAME, MOST_NODE = 150, 90


def on_this_computer(setup: Setup) -> bool:
    """Whether anything of a setup goes through it."""
    return any(here(d) for d in setup.devices)


def program_name(said: str) -> str:
    """What a program says of itself, so short that a setup can keep it."""
    return said.strip()[:MOST_NAME]


def taken_program(device: Device) -> str:
    """The program that is taken over for a device, “” where it waits to be chosen."""
    return device.card.removeprefix(SERVER).removeprefix("/") if here(device) else ""


def can_be_kept(node: str) -> bool:
    """Whether a setup can keep the name of a device: two of them stand in one text."""
    return 0 < len(node) <= MOST_NODE and "/" not in node


def chosen_ends(device: Device) -> tuple[str, str]:
    """(node that an interface records from, node that it plays to), “” for what the desktop has chosen."""
    source, _, sink = (
        device.card.removeprefix(SERVER).removeprefix("/").partition("/") if here(device) else ("", "", "")
    )
    return source, sink


def choosing(source: str, sink: str) -> str:
    """The `card` of an interface that records from one node and plays to another."""
    return f"{SERVER}/{source}/{sink}" if source or sink else SERVER


def taking(program: str) -> str:
    """The `card` of a device for which a program is taken over."""
    return f"{SERVER}/{program}" if program else SERVER


def come_port(row: int) -> str:
    """Of the engine's node, for a row of the captures."""
    return f"in {row + 1}"


def go_port(row: int, channel: int) -> str:
    """Of the engine's node, for a channel of the listener in a row."""
    return f"out {row + 1} {channel + 1}"


def in_name(device: str, channel: int) -> str:
    """A channel that comes in from a device."""
    return f"{device}:{channel + 1}"


def out_name(listener: str, channel: int) -> str:
    """A channel that goes out to a listener."""
    return f"{listener}:{channel + 1}"


__all__ = [
    "ENGINE",
    "GROUP",
    "NOWHERE",
    "OURS",
    "PLAYED_TO",
    "SERVER",
    "can_be_kept",
    "choosing",
    "chosen_ends",
    "come_port",
    "go_port",
    "here",
    "in_name",
    "on_this_computer",
    "out_name",
    "program_name",
    "taken_program",
    "taking",
]
