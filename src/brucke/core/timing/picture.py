"""From a measured picture offset to the picture's own path, so that the next alignment knows it."""

from .origins import Origins
from .paths import Situation, path, path_latency
from .uncertain import Uncertain


def picture_path(known: Situation, picture: str, sound: str, listener: str, offset_s: float, pm_s: float) -> Uncertain:
    """path(picture) at `listener`, from how much later than `sound` it was seen there with the delays in force.

    arrival(picture) = arrival(sound) + offset, and path = arrival − origin.
    """
    setup = known.setup
    origins = Origins(known)
    route = setup.route(sound, listener)
    if route is None or sound not in origins.of or picture not in origins.of:
        raise KeyError(f"{sound} or {picture} does not reach {listener}")
    way = path_latency(path(known, setup.part(sound), setup.listener(listener), route))
    arrival = origins.of[sound].time + way.shifted(known.delay_s(route) + offset_s)
    total = arrival - origins.of[picture].time
    return total + Uncertain(0.0, {"offset": pm_s}).known("measured")
