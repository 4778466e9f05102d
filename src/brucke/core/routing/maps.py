"""Channel maps: which side of a part goes to which channel of a listener, and at what level. Pure."""

import math

from ..document.setup import MAX_CHANNELS, Listener, MapPoint, Part, Route, Setup
from ..units import db_to_gain

HALF_DB = -6.0206  # two sides into one channel at half each: the sum is never louder than the louder side


def plain_map(sides: int, channels: int) -> tuple[MapPoint, ...]:
    """What an empty map means: one side to the first two channels, two sides to one at half each, else straight."""
    if sides == 0:
        return ()
    if sides == 1:
        return tuple(MapPoint(source=0, target=t) for t in range(min(2, channels)))
    if channels == 1:
        share = HALF_DB if sides == 2 else -20 * math.log10(sides)
        return tuple(MapPoint(source=s, target=0, gain_db=share) for s in range(sides))
    return tuple(MapPoint(source=i, target=i) for i in range(min(sides, channels)))


def effective_map(part: Part, listener: Listener, route: Route) -> tuple[MapPoint, ...]:
    return route.map or plain_map(len(part.channels), listener.channels)


def route_gains(part: Part, listener: Listener, route: Route, gain_db: float) -> list[tuple[int, int, float]]:
    """(side, channel, linear gain) of a route at `gain_db`."""
    gain = db_to_gain(gain_db)
    if not route.map and len(part.channels) == 2 and listener.channels == 1:
        return [(0, 0, gain / 2), (1, 0, gain / 2)]
    return [(m.source, m.target, gain * db_to_gain(m.gain_db)) for m in effective_map(part, listener, route)]


def shifted_map(part: Part, listener: Listener, first: int) -> tuple[MapPoint, ...]:
    """The part from channel `first` of the listener on: one side to a pair where there is one."""
    room = listener.channels - first
    if len(part.channels) == 1:
        return tuple(MapPoint(source=0, target=first + t) for t in range(min(2, room)))
    return tuple(MapPoint(source=i, target=first + i) for i in range(min(len(part.channels), room)))


def track_layout(setup: Setup) -> tuple[dict[str, tuple[MapPoint, ...]], int]:
    """One track per side of every sound part, in order: maps by part, and the channels that takes.

    Where there are more sides than channels the last parts share the last channel.
    """
    maps: dict[str, tuple[MapPoint, ...]] = {}
    at = 0
    for part in setup.parts:
        if part.kind == "picture" or not part.channels:
            continue
        maps[part.id] = tuple(
            MapPoint(source=i, target=min(at + i, MAX_CHANNELS - 1)) for i in range(len(part.channels))
        )
        at += len(part.channels)
    return maps, min(max(1, at), MAX_CHANNELS)
