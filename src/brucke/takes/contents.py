"""Who is in a recording: its parts, and what a listener heard together; and what of it is asked for."""

from typing import Literal

import msgspec

from ..core.document.setup import Part
from .take import Take, TakeError

Use = Literal["editor", "film", "song", "everything"]
ORDER = ("stream", "call", "recorder", "program", "monitor")


def parts_of(take: Take, far_ends: bool) -> list[Part]:
    return [p for p in take.setup.parts if p.id in take.parts and (far_ends or p.kind != "far_end")]


def mix_of(take: Take, mix: str = "", far_ends: bool = True) -> str:
    """The listener whose sound is the song: `mix`, else a stream, a call, a recorder, what else there is; without
    `far_ends` one that hears none. Errors: TakeError."""
    kept = [x for x in take.setup.listeners if x.id in take.listeners and mix in ("", x.id)]
    if not kept:
        raise TakeError("no listener's sound was kept in this recording")
    kept = [x for x in kept if far_ends or not far_ends_heard(take, x.id)]
    if not kept:
        raise TakeError("the far end sounds in what was heard together, and is to stay here; choose another listener")
    return min(kept, key=lambda x: ORDER.index(x.kind)).id


def far_ends_heard(take: Take, listener: str) -> list[str]:
    """Ids of the far ends that sound in what a listener got."""
    routed = {r.part for r in take.setup.routes if r.listener == listener and r.on}
    return [p.id for p in take.setup.parts if p.kind == "far_end" and p.id in routed and p.id in take.parts]


class Asked(msgspec.Struct, frozen=True):
    """`far_ends`: whether the sound of far ends goes along; `loudness_lufs` None leaves levels as they are; `mix` names
    the listener whose sound is the song, “” for the first that has one."""

    use: Use
    far_ends: bool = True
    loudness_lufs: float | None = None
    mix: str = ""
