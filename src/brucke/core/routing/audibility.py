"""Who hears what just now: from routes, mutes, gains and the moment in force."""

from collections.abc import Collection

from ..document.setup import Setup

SILENT_DB = -59.5


def heard_now(setup: Setup, moment: str, muted: Collection[str], listener: str) -> list[str]:
    """Ids of the sounds that reach `listener`; the picture and the count-in apart."""
    state = setup.moment(moment)
    changes = {c.part: c for c in state.routes if c.listener == listener} if state is not None else {}
    found = []
    for part in setup.parts:
        route = setup.route(part.id, listener)
        if route is None or not route.on or part.kind == "picture" or part.source == "count_in":
            continue
        change = changes.get(part.id)
        gain = route.gain_db if change is None or change.gain_db is None else change.gain_db
        silenced = route.way == "engine" and (
            part.id in muted or (change is not None and change.mute) or gain <= SILENT_DB
        )
        if not silenced:
            found.append(part.id)
    return found
