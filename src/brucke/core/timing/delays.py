"""The delay of a route in frames: the one place where it is computed, for origins, arrivals and the engine's plan."""

from ..document.setup import Moment, Route, Setup
from ..units import seconds_to_frames


def least_delay(moment: Moment | None, listener: str) -> bool:
    """Whether `moment` asks for the least delay at `listener` and not for being in step."""
    return moment is not None and moment.policy.get(listener) == "least_delay"


def delay_frames(setup: Setup, route: Route, moment: Moment | None) -> int:
    """Frames that are added on purpose to `route` while `moment` is in force.

    None where other equipment carries it: nothing of ours can delay it. None where the least delay is wanted.
    """
    if route.way != "engine" or least_delay(moment, route.listener):
        return 0
    return seconds_to_frames(route.delay_ms / 1e3, setup.rate_hz)
