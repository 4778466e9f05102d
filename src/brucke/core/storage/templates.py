"""Setups to start from. Everything in them can be changed; the sounds they name ship with the program."""

from collections.abc import Callable

import msgspec
from msgspec.structs import replace

from ..document.setup import Moment, Setup
from ..edits.listener_edits import add_listener, lay_out_tracks, new_device
from ..edits.part_edits import add_part, add_tracks, change_part
from ..edits.route_edits import set_gain, switch


class Template(msgspec.Struct, frozen=True):
    code: str
    make: Callable[[], Setup]


def _desk(name: str) -> Setup:
    """An interface that leads, headphones on it, and a recorder."""
    setup, _ = new_device(Setup(name=name), "interface", "Interface")
    setup = add_listener(setup, "monitor", "Headphones", "Interface")
    return setup


def _with_recorder(setup: Setup) -> Setup:
    setup = add_listener(setup, "recorder", "Recorder", "Recorder")
    return lay_out_tracks(setup, "recorder")


def _levels(setup: Setup) -> Setup:
    """Headroom from the start: music under the voice."""
    for route in setup.routes:
        listener = setup.listener(route.listener)
        kind = setup.part(route.part).kind
        if listener.kind == "recorder" or kind == "picture":
            continue
        gain = {"lead": -6.0, "follower": -3.0, "far_end": -6.0}[kind] - (6.0 if listener.kind == "monitor" else 0.0)
        setup = set_gain(setup, route.part, route.listener, gain)
    return setup


def _moments(setup: Setup) -> Setup:
    """Sing, and talk: the song pauses, and calls have the least delay."""
    calls = {x.id: "least_delay" for x in setup.listeners if x.kind == "call"}
    talk = Moment(id="talk", name="Talk", pauses=True, policy=calls)  # type: ignore[arg-type]
    return replace(setup, moments=(Moment(id="sing", name="Sing"), talk))


def _voice(setup: Setup) -> Setup:
    setup = add_part(setup, "microphone", "Voice", "Interface")
    setup = change_part(setup, "voice", beat_source="voice.flac")
    return _to_all(setup, "voice")


def _to_all(setup: Setup, part: str) -> Setup:
    return switch(setup, [(part, x.id) for x in setup.listeners], True)


def _backing(setup: Setup) -> Setup:
    return add_tracks(add_part(setup, "track", "Music", "Backing player"), "music", ["harp.flac"])


def _finished(setup: Setup) -> Setup:
    return _moments(_with_recorder(_levels(setup)))


def sing() -> Setup:
    setup = add_listener(_desk("Sing to a backing track"), "call", "Call", "Call program")
    setup = _voice(_backing(setup))
    setup = add_part(setup, "far_end", "Far end", "Call program")
    return _finished(change_part(setup, "far_end", beat_source="lounge.flac"))


def workstation() -> Setup:
    setup = add_listener(_desk("Workstation into a call"), "call", "Call", "Call program")
    setup = add_part(setup, "mix", "Workstation mix", "Workstation")
    setup = change_part(setup, "workstation_mix", beat_source="harp.flac")
    setup = add_part(setup, "far_end", "Far end", "Call program")
    setup = change_part(setup, "far_end", beat_source="lounge.flac")
    return _finished(_voice(setup))


def stream() -> Setup:
    setup = add_listener(_desk("Stream with camera"), "stream", "Stream", "Streaming program")
    setup = _voice(_backing(setup))
    setup = add_part(setup, "camera", "Picture", "Camera")
    return _finished(change_part(setup, "picture", shows="voice"))


def two_computers() -> Setup:
    setup = add_listener(_desk("To another computer"), "program", "Second computer", "Second computer")
    setup = _voice(_backing(setup))
    setup = _to_all(add_part(setup, "instrument", "Cello", "Interface"), "cello")
    setup = change_part(setup, "cello", beat_source="cello.flac", hears_itself="room", source="microphone")
    return _finished(setup)


def session() -> Setup:
    setup = add_listener(_desk("One-to-one session by call"), "call", "Call", "Call program")
    setup = _voice(_backing(setup))
    setup = add_part(setup, "far_end", "Their voice", "Call program")
    return _finished(change_part(setup, "their_voice", beat_source="lounge.flac"))


TEMPLATES = (
    Template("sing", sing), Template("workstation", workstation), Template("stream", stream),
    Template("two_computers", two_computers), Template("session", session),
)  # fmt: skip
