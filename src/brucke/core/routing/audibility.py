"""Who hears what just now: from routes, mutes, gains and the moment in force."""

from collections.abc import Collection

from ..document.setup import Setup
from .moment_routes import in_moment

SILENT_DB = -59.5


def heard_now(setup: Setup, moment: str, muted: Collection[str], listener: str) -> list[str]:
    """Ids of the sounds that reach `listener`; the picture and the count-in apart."""
    state = setup.moment(moment)
    found = []
    for part in setup.parts:
        route = setup.route(part.id, listener)
        if route is None or part.kind == "picture" or part.source == "count_in":
            continue
        route = in_moment(state, route)
        silenced = route.way == "engine" and (part.id in muted or route.gain_db <= SILENT_DB)
        if route.on and not silenced:
            found.append(part.id)
    return found
