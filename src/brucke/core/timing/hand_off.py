"""What has to be entered in the program at a listener: Brucke delays the sound, but a picture that it does not carry
can only wait there."""

import msgspec

from ..document.setup import Setup
from .arrivals import ListenerTiming

SAME_MS = 0.5


class HandOff(msgspec.Struct, frozen=True):
    """The whole to enter, in milliseconds, not what is to be added. `twice`: sound is delayed there and here.
    `pictured`: there is a picture at all; `known`: its way was measured, so that there is something to enter."""

    picture_ms: float
    sound_ms: float
    twice: bool
    pictured: bool
    entered: bool
    known: bool = True


def hand_off(setup: Setup, t: ListenerTiming) -> HandOff:
    """From the timing of a listener. What the sound waits there is taken back before the picture is made to wait."""
    there = setup.listener(t.listener)
    wait = t.hand_off_s * 1e3
    back = min(max(0.0, there.sound_there_ms), wait)
    picture, sound = there.picture_there_ms + wait - back, there.sound_there_ms - back
    here = any(r.delay_frames for r in t.routes if r.kind != "picture")
    return HandOff(
        picture, sound, abs(there.sound_there_ms) > SAME_MS and here, any(r.kind == "picture" for r in t.routes),
        wait < SAME_MS and not t.picture_unknown, not t.picture_unknown,
    )  # fmt: skip
