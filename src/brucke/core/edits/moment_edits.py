"""Every change of moments. Pure: Setup -> Setup."""

from typing import Any

from msgspec.structs import replace

from ..document.ranges import LENGTHS, held_to
from ..document.setup import Moment, MomentRoute, Policy, Setup
from .naming import free_id, free_name

MAX_MOMENTS = LENGTHS["moments"]


def add_moment(setup: Setup, name: str, like: str = "") -> Setup:
    """One more moment at the end, as `like` is, or as everything is set."""
    if len(setup.moments) >= MAX_MOMENTS:
        return setup
    model = setup.moment(like)
    new_id = free_id(name, {m.id for m in setup.moments})
    new = replace(
        model or Moment(id=new_id, name=name), id=new_id, name=free_name(name, [m.name for m in setup.moments])
    )
    return replace(setup, moments=(*setup.moments, new))


def change_moment(setup: Setup, moment: str, **fields: Any) -> Setup:
    return replace(setup, moments=tuple(replace(m, **fields) if m.id == moment else m for m in setup.moments))


def remove_moment(setup: Setup, moment: str) -> Setup:
    """Lines of the order that named it leave what is."""
    order = tuple(
        replace(x, moment="" if x.moment == moment else x.moment, after="" if x.after == moment else x.after)
        for x in setup.order
    )
    return replace(setup, moments=tuple(m for m in setup.moments if m.id != moment), order=order)


def move_moment(setup: Setup, moment: str, by: int) -> Setup:
    """Their order is that of their keys."""
    ids = [m.id for m in setup.moments]
    if moment not in ids:
        return setup
    moments, at = list(setup.moments), ids.index(moment)
    moments.insert(min(max(at + by, 0), len(moments) - 1), moments.pop(at))
    return replace(setup, moments=tuple(moments))


def _change_route(setup: Setup, moment: str, part: str, listener: str, **fields: Any) -> Setup:
    found = setup.moment(moment)
    if found is None:
        return setup
    rest = tuple(r for r in found.routes if (r.part, r.listener) != (part, listener))
    old = next((r for r in found.routes if (r.part, r.listener) == (part, listener)), None)
    new = replace(old or MomentRoute(part=part, listener=listener), **fields)
    plain = new == MomentRoute(part=part, listener=listener)
    return change_moment(setup, moment, routes=rest if plain else (*rest, new))


def set_mute(setup: Setup, moment: str, part: str, listener: str, mute: bool) -> Setup:
    """Whether a part is silent for one listener in a moment."""
    return _change_route(setup, moment, part, listener, mute=mute)


def set_gain(setup: Setup, moment: str, part: str, listener: str, gain_db: float | None) -> Setup:
    """How loud a route is in a moment; None: as it is set."""
    held = None if gain_db is None else held_to("MomentRoute", "gain_db", gain_db)
    return _change_route(setup, moment, part, listener, gain_db=held)


def pass_chains(setup: Setup, moment: str, passes: bool) -> Setup:
    """Whether everything is heard without its chain, and past the listeners', in a moment."""
    for r in setup.routes:
        changes: dict[str, bool | None] = dict.fromkeys(("processed", "bypass"))
        if passes:
            changes = {"processed": False, "bypass": True}
        setup = _change_route(setup, moment, r.part, r.listener, **changes)
    return setup


def stop_ducking(setup: Setup, moment: str, stops: bool) -> Setup:
    """Whether nothing goes down under anybody in a moment."""
    for r in setup.routes:
        if r.duck is not None:
            setup = _change_route(setup, moment, r.part, r.listener, duck_db=0.0 if stops else None)
    return setup


def passes_chains(moment: Moment) -> bool:
    return any(r.processed is False for r in moment.routes)


def stops_ducking(moment: Moment) -> bool:
    return any(r.duck_db == 0.0 for r in moment.routes)


def set_policy(setup: Setup, moment: str, listener: str, policy: Policy) -> Setup:
    """Whether sounds wait for one another at a listener in a moment."""
    found = setup.moment(moment)
    if found is None:
        return setup
    kept = {k: v for k, v in found.policy.items() if k != listener}
    return change_moment(setup, moment, policy=kept if policy == "in_step" else {**kept, listener: policy})
