"""The microphone of whoever sits here."""

from ..document.setup import Part, Setup


def own_microphone(setup: Setup) -> Part | None:
    """The one that “mute me” mutes: the first microphone that plays along, else the first there is; None without
    one."""
    found = [p for p in setup.parts if p.source == "microphone" and p.kind != "far_end"]
    return next((p for p in found if p.kind == "follower"), found[0] if found else None)
