"""A route as it is in a moment. Pure."""

from msgspec.structs import replace

from ..document.setup import Moment, Route


def in_moment(moment: Moment | None, route: Route) -> Route:
    """`route` with everything that `moment` changes of it: off where it is muted there, and its own gain, chains passed
    by and depth of ducking. The delay policy is another thing, see `timing/delays.py`."""
    if moment is None:
        return route
    here = (route.part, route.listener)
    change = next((m for m in moment.routes if (m.part, m.listener) == here), None)
    if change is None:
        return route
    changed = {
        field: value for field in ("gain_db", "processed", "bypass") if (value := getattr(change, field)) is not None
    }
    if route.duck is not None and change.duck_db is not None:
        changed["duck"] = replace(route.duck, depth_db=change.duck_db)
    if change.mute and route.way == "engine":
        changed["on"] = False
    return replace(route, **changed) if changed else route
