"""What a recording keeps: everything but a far end that nobody switched on for it, or who did not agree."""

from collections.abc import Collection

from ..document.setup import Listener, Setup
from .audibility import heard_now


def _far_ends(setup: Setup) -> set[str]:
    return {p.id for p in setup.parts if p.kind == "far_end"}


def far_ends_routed(setup: Setup) -> list[str]:
    """Ids of the far ends that somebody hears, or would as soon as nothing is muted."""
    routed = {r.part for r in setup.routes if r.on}
    return [p.id for p in setup.parts if p.id in routed & _far_ends(setup)]


def far_ends_wanted(setup: Setup) -> list[str]:
    """Ids of the far ends that would stand in a recording: those that are switched on for a recorder, and those whom a
    call or a stream carries."""
    return [p.id for p in setup.parts if p.id in _switched_on(setup) | _carried(setup)]


def _switched_on(setup: Setup) -> set[str]:
    recorders = {x.id for x in setup.listeners if x.kind == "recorder"}
    return {r.part for r in setup.routes if r.on and r.listener in recorders} & _far_ends(setup)


def _carried(setup: Setup) -> set[str]:
    outward = (x for x in setup.listeners if x.kind not in ("monitor", "recorder"))
    return {p for x in outward for p in _in_it(setup, x)}


def _in_it(setup: Setup, listener: Listener) -> set[str]:
    """The far ends that may come to be heard there, whatever is muted now and in whatever moment."""
    return {r.part for r in setup.routes if r.on and r.listener == listener.id} & _far_ends(setup)


def parts_kept(setup: Setup, agreed: Collection[str]) -> list[str]:
    """Ids of the parts that get a track of their own; `agreed` are the far ends who may be recorded."""
    kept = _switched_on(setup) & set(agreed)
    return [p.id for p in setup.parts if p.channels and (p.kind != "far_end" or p.id in kept)]


def processed_kept(setup: Setup, agreed: Collection[str]) -> list[str]:
    """Ids of the parts that get a second track, of what their chain makes of them."""
    kept = set(parts_kept(setup, agreed))
    return [p.id for p in setup.parts if p.id in kept and p.chain]


def listeners_kept(setup: Setup, agreed: Collection[str]) -> list[str]:
    """Ids of the listeners whose sound is kept: none in which a far end stands who did not agree, and no headphones in
    which one is heard whom nobody switched on for a recorder."""
    unasked = _far_ends(setup) - set(agreed)
    unwanted = _far_ends(setup) - _switched_on(setup)
    return [
        x.id
        for x in setup.listeners
        if not unasked & _in_it(setup, x)
        and not (x.kind == "monitor" and unwanted & set(heard_now(setup, "", (), x.id)))
    ]
