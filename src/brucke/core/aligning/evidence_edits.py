"""What was found in a recording of a listener, entered as a step of a route: from then on it is counted, and aligned,
as any other. Pure: Setup -> Setup."""

from msgspec.structs import replace

from ..document.ranges import held_to
from ..document.setup import EnteredStage, RestsOn, Route, Setup
from ..timing.arrivals import ListenerTiming, RouteTiming
from ..timing.paths import UNMEASURED_CONVERTER_S, Situation, beyond_buffers_s

NAME = "found in a recording"
LEAST_MS = 0.05


def note_late(setup: Setup, part: str, against: str, listener: str, ms: float, plus_minus_ms: float) -> Setup:
    """`part` is that much later than `against` at the listener than was thought, minus: earlier; together with what was
    noted before."""
    late = _noted(setup, part, listener) - _noted(setup, against, listener) + ms
    return _note(setup, part, against, listener, late, plus_minus_ms)


def note_offset(
    known: Situation, t: ListenerTiming, part: str, against: str, offset_ms: float, plus_minus_ms: float
) -> Setup | None:
    """The same from how much later the recording had it, of which some was thought already; None where nobody knows
    when both arrive."""
    one, other = t.route(part), t.route(against)
    if one is None or other is None:
        return None
    thought_ms = (_by_itself(one) - _by_itself(other)) * 1e3
    return _note(
        known.setup, part, against, t.listener, offset_ms - thought_ms, plus_minus_ms, _rests_on(known, one, other)
    )


def _note(
    setup: Setup, part: str, against: str, listener: str, late_ms: float, plus_minus_ms: float,
    rests_on: tuple[RestsOn, ...] = ()
) -> Setup:  # fmt: skip
    """The later of the two has it as a step: a way cannot take less than nothing."""
    turned = tuple(replace(r, times=-r.times) for r in rests_on)
    setup = _with(setup, part, listener, max(0.0, late_ms), plus_minus_ms, rests_on)
    return _with(setup, against, listener, max(0.0, -late_ms), plus_minus_ms, turned)


def _by_itself(r: RouteTiming) -> float:
    """Its arrival without what was noted."""
    return r.arrival.value - sum(s.latency.value for s in r.stages if s.code == "entered" and s.detail == NAME)


def _rests_on(known: Situation, one: RouteTiming, other: RouteTiming) -> tuple[RestsOn, ...]:
    """The converters whose latency was only guessed in the difference of the two: each has a term of its own ± in
    it."""
    found = []
    for end, width in (one.arrival - other.arrival).terms.items():
        beyond = beyond_buffers_s(known, end) if end.startswith(("capture:", "output:")) else None
        times = round(width / UNMEASURED_CONVERTER_S)
        if beyond is not None and times:
            found.append(RestsOn(end=end, times=times, beyond_ms=beyond * 1e3))
    return tuple(found)


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


def _with(
    setup: Setup, part: str, listener: str, ms: float, plus_minus_ms: float, rests_on: tuple[RestsOn, ...] = ()
) -> Setup:
    def noted(r: Route) -> Route:
        others = tuple(s for s in r.stages if s.name != NAME)
        if ms < LEAST_MS:
            return replace(r, stages=others)
        held, width = (held_to("EnteredStage", f, x) for f, x in (("latency_ms", ms), ("plus_minus_ms", plus_minus_ms)))
        noted_now = EnteredStage(name=NAME, latency_ms=held, plus_minus_ms=width, rests_on=rests_on)
        return replace(r, stages=(*others, noted_now))

    routes = tuple(noted(r) if (r.part, r.listener) == (part, listener) else r for r in setup.routes)
    return replace(setup, routes=routes)
