"""What is said of a step outside: where it goes, how long that takes, and what is wrong with it."""

from ..core.document.setup import Setup
from ..core.sound.processors import OutsideStep
from .detail import choose
from .timing import db_text, device_name, ms_text
from .translation import _

FAULTS = {
    "no_return": _("{name}: nothing comes back. The sound goes on without it, dry and in time."),
    "gone": _("{name}: where it goes is not there. The sound goes on without it, dry and in time."),
    "other_time": _(
        "{name} comes back at another time than it was measured. The sound goes on without it, dry and in time; "
        "measure again."
    ),
    "clips": _("{name}: what comes back clips. Turn its output down."),
    "circle": _("{name}: what comes back is what goes in, which howls. Let it come back on other inputs."),
    "shared": _("{name}: another step goes out or comes back on the same channels. Give each its own."),
}


def fault_text(name: str, fault: str) -> str:
    return FAULTS[fault].format(name=name or _("The outside step"))


def step_text(program: str, owner: str, name: str) -> str:
    """Said wherever it is said who hears: this way has no door."""
    text = _("{program} gets {owner} through {name}, open or closed")
    return text.format(program=program or _("a program"), owner=owner, name=name or _("an outside step"))


def where_text(setup: Setup, p: OutsideStep) -> str:
    """“out on 3 and 4 of the Table interface, back on 7 and 8”."""
    if not (p.send_device and p.return_device):
        return _("It goes nowhere yet.")
    if setup.device(p.send_device).kind != "interface":
        return _(
            "Choose “Brucke · to {device}” as the microphone there, and “Brucke · from {device}” as its output."
        ).format(device=device_name(setup, p.send_device))
    back = " and ".join(str(c + 1) for c in p.return_channels)
    return _("Out on {first} and {second} of {device}, back on {back}.").format(
        first=p.send_channel + 1, second=p.send_channel + 2, device=device_name(setup, p.send_device), back=back
    )


def takes_text(setup: Setup, p: OutsideStep) -> str:
    """How long it takes, and what that rests on."""
    if not p.latency_frames:
        return _("Its way was not measured yet: until then the sound passes it by, and costs no time.")
    if not p.waits_at(setup.rate_hz, setup.block_frames):
        return _("Measured with another rate or block: until it is measured again it is dry.")
    took = ms_text(p.latency_frames / setup.rate_hz, 2)
    return choose(
        _("There and back takes {ms}; everything else waits for it."),
        _("There and back takes {ms}, {frames} frames; everything else waits for it. Its level is put right by {db}."),
    ).format(ms=took, frames=p.latency_frames, db=db_text(p.gain_db))
