"""Foot switches and controllers, in words."""

from collections.abc import Sequence

from ..core.control.bindings import Binding
from .translation import _

FAILED = _("A control sent something that could not be used: {why}.")
NO_MIDI = _("MIDI cannot be listened to: what does it ends again and again. Foot switches that type keys work on.")
NO_OSC = _("OSC is not listened to, {why}. Choose another port.")
GONE = _("{name} has gone. It is listened to again as soon as it is back.")
GONE_HELD = _("{name} has gone while its pedal was held: you stay muted. F11 lets you sound.")
STUCK = _("{control} has been held for {seconds} s. Where it sticks, press it once more.")
NAMES = {
    "line_next": _("the next line"), "line_back": _("this line again, or the one before"),
    "mute_me": _("mute me; held: as long as it is held"), "silence": _("silence, or again"),
    "on_air": _("let them hear, or let nobody hear"), "goodbye": _("goodbye"),
    "heard": _("they say they hear it"),
}  # fmt: skip
KINDS = {"note": _("key {number}"), "controller": _("controller {number}"), "program": _("program {number}")}


def control_text(control: str) -> str:
    """A control as somebody would name it, its channel where it is not the first."""
    kind, channel, number = control.split()
    text = KINDS[kind].format(number=number)
    return text if channel == "1" else _("{control}, channel {channel}").format(control=text, channel=channel)


def act_text(act: str) -> str:
    if act.startswith("moment_"):
        return _("moment {number}").format(number=act.removeprefix("moment_"))
    return NAMES[act]


PRESS_IT = _("Now press the pedal or key that is to do it.")
LEARNED = _("Learned: {what}.")
PORTAL = {
    "": _("Not listened to: keys work while a window of Brucke is in front."),
    "asking": _("The desktop asks you for the keys."),
    "none": _("This desktop has no such service: keys work only while a window of Brucke is in front, foot switches by "
              "MIDI always."),
    "refused": _("The desktop gave no keys."),
    "gone": _("The desktop's service has gone. Listen once more to ask again."),
}  # fmt: skip
LISTENS_TO = _("Listening to {keys}, whatever window is in front.")
NO_PORTS = _("Nothing is plugged in that sends MIDI. What comes is listened to by itself.")


def binding_text(b: Binding) -> str:
    """“controller 64: next line”, “key 60, held: goodbye”."""
    control = control_text(b.control)
    return f"{_('{control}, held').format(control=control) if b.held else control}: {act_text(b.act)}"


def ports_text(listens: bool, ports: Sequence[str]) -> str:
    if not listens:
        return _("Not listened to. A foot switch that types works without: its keys stand under Keys (F1).")
    return _("Listening to {ports}.").format(ports=", ".join(ports)) if ports else NO_PORTS


def portal_text(state: str, keys: Sequence[str]) -> str:
    if state == "listening":
        return LISTENS_TO.format(keys=", ".join(k for k in keys if k))
    return PORTAL[state]


def osc_text(listens: bool, port: int, allowed: Sequence[str], loopback: str) -> str:
    """Who may send, and what."""
    if not listens:
        return _("Not listened to.")
    if not port:
        return _("It begins.")
    who = (
        _("only from this computer")
        if tuple(allowed) == (loopback,)
        else _("from {who}").format(who=", ".join(allowed))
    )
    return _(
        "Listening at port {port}, {who}: /brucke/next, back, mute, silence, moment, open, goodbye, heard. 1 and 0 set "
        "mute and silence."
    ).format(port=port, who=who)
