"""What was found in a recording of a listener, entered as a step of a route: from then on it is counted, and aligned, as any other. Pure: Setup -> Setup."""

from msgspec.structs import replace

from ..document.setup import EnteredStage, Route, Setup
from ..timing.arrivals import ListenerTiming

NAME = "found in a recording"
LEAST_MS = 0.05


def note_late(setup: Setup, part: str, against: str, listener: str, ms: float, plus_minus_ms: float) -> Setup:
    """`part` is that much later than `against` at the listener than was thought, minus: earlier; together with what was noted before. The later of the two has it as a step: a way
    cannot take less than nothing."""
    late = _noted(setup, part, listener) - _noted(setup, against, listener) + ms
    setup = _with(setup, part, listener, max(0.0, late), plus_minus_ms)
    return _with(setup, against, listener, max(0.0, -late), plus_minus_ms)


def note_offset(
    setup: Setup, t: ListenerTiming, part: str, against: str, offset_ms: float, plus_minus_ms: float
) -> Setup | None:
    """The same from how much later the recording had it, of which some was thought already; None where nobody knows when both arrive."""
    one, other = t.route(part), t.route(against)
    if one is None or other is None:
        return None
    thought_ms = (one.arrival.value - other.arrival.value) * 1e3
    return note_late(setup, part, against, t.listener, offset_ms - thought_ms, plus_minus_ms)


def follower_at(setup: Setup, listener: str) -> tuple[str, str] | None:
    """(who plays along, whom they follow): the first two that both go to the listener."""
    for p in setup.parts:
        both = (p.id, p.follows)
        if p.kind == "follower" and all(setup.route(x, listener) is not None for x in both):
            return both
    return None


def _noted(setup: Setup, part: str, listener: str) -> float:
    route = setup.route(part, listener)
    return sum(s.latency_ms for s in route.stages if s.name == NAME) if route is not None else 0.0


def _with(setup: Setup, part: str, listener: str, ms: float, plus_minus_ms: float) -> Setup:
    def noted(r: Route) -> Route:
        others = tuple(s for s in r.stages if s.name != NAME)
        if ms < LEAST_MS:
            return replace(r, stages=others)
        return replace(r, stages=(*others, EnteredStage(name=NAME, latency_ms=ms, plus_minus_ms=plus_minus_ms)))

    routes = tuple(noted(r) if (r.part, r.listener) == (part, listener) else r for r in setup.routes)
    return replace(setup, routes=routes)
