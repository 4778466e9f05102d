"""What a recording keeps: everything but a far end that nobody switched on for it."""

from ..document.setup import Setup
from .hearing import heard_now


def far_ends_kept(setup: Setup) -> set[str]:
    """The far ends that are switched on for a recorder."""
    recorders = {x.id for x in setup.listeners if x.kind == "recorder"}
    wanted = {r.part for r in setup.routes if r.on and r.listener in recorders}
    return {p.id for p in setup.parts if p.kind == "far_end" and p.id in wanted}


def parts_kept(setup: Setup) -> list[str]:
    """Ids of the parts that get a track of their own."""
    kept = far_ends_kept(setup)
    return [p.id for p in setup.parts if p.channels and (p.kind != "far_end" or p.id in kept)]


def listeners_kept(setup: Setup) -> list[str]:
    """Ids of the listeners whose sound is kept: not the headphones in which people at a far end are heard who were not
    asked to be recorded. What goes out to a stream is public already."""
    refused = {p.id for p in setup.parts if p.kind == "far_end"} - far_ends_kept(setup)
    return [x.id for x in setup.listeners if x.kind != "monitor" or not refused & set(heard_now(setup, "", (), x.id))]
