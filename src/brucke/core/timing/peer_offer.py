"""What another computer is told of what it is offered: the steps of each thing here, as they are known."""

from collections.abc import Callable, Collection

from ..document.setup import Listener, Part
from ..edits.peer_edits import LISTENER, PART
from ..network.control_messages import MOST_THINGS, FarStage, Offer, Offered
from .delays import delay_frames
from .paths import Situation, listener_stages, part_stages
from .stage import Stage
from .uncertain import WEAKEST_LAST, Uncertain

NameOf = Callable[[Stage], str]
MOST_TEXT, MOST_STAGES, MOST_TERMS = 120, 16, 12


def offer_of(known: Situation, keys: Collection[str], name_of: NameOf) -> Offer:
    """Of the things under these keys that are in the setup. `name_of` says a stage in words."""
    setup, things = known.setup, []
    for p in setup.parts:
        if f"{PART}{p.id}" in keys and p.kind != "picture":
            stages = _told([*part_stages(known, p, _processed(known, p)), *_delay(known, p)], name_of)
            wide = 2 if len(p.channels) > 1 else 1
            things.append(Offered(key=f"{PART}{p.id}", name=p.name[:MOST_TEXT], channels=wide, stages=stages))
    for x in setup.listeners:
        if f"{LISTENER}{x.id}" in keys:
            stages = _told([*_mix_delay(known, x), *listener_stages(known, x)], name_of)
            things.append(Offered(key=f"{LISTENER}{x.id}", name=x.name[:MOST_TEXT], stages=stages))
    return Offer(things=tuple(things[:MOST_THINGS]))


def _processed(known: Situation, part: Part) -> bool:
    """As it goes there; as it would where it does not go yet."""
    given = _given(known, part)
    route = known.setup.route(part.id, given.id) if given is not None else None
    return route.processed if route is not None else True


def _given(known: Situation, part: Part) -> Listener | None:
    return next((x for x in known.setup.listeners if x.at_peer == f"{PART}{part.id}"), None)


def _delay(known: Situation, part: Part) -> list[Stage]:
    given = _given(known, part)
    return _route_delay(known, part.id, given.id) if given is not None else []


def _mix_delay(known: Situation, listener: Listener) -> list[Stage]:
    mix = next((p for p in known.setup.parts if p.at_peer == f"{LISTENER}{listener.id}"), None)
    return _route_delay(known, mix.id, listener.id) if mix is not None else []


def _route_delay(known: Situation, part: str, listener: str) -> list[Stage]:
    route = known.setup.route(part, listener)
    if route is None:
        return []
    frames = delay_frames(known.setup, route, known.in_force)
    return [Stage("delay", Uncertain(frames / known.setup.rate_hz), "calculated")] if frames else []


def _told(stages: list[Stage], name_of: NameOf) -> tuple[FarStage, ...]:
    """Of more than fit, the last is the rest of them together."""
    told = []
    for s in stages:
        terms = sorted(s.latency.terms.items(), key=lambda t: -abs(t[1]))[:MOST_TERMS]
        told.append(
            FarStage(
                name=name_of(s)[:MOST_TEXT], seconds=s.latency.value, kind=s.evidence,
                terms={name[:MOST_TEXT]: width for name, width in terms},
            )
        )  # fmt: skip
    if len(told) <= MOST_STAGES:
        return tuple(told)
    rest = told[MOST_STAGES - 1 :]
    weakest = max((s.kind for s in rest), key=WEAKEST_LAST.index)
    together = FarStage(
        name=rest[0].name, seconds=sum(s.seconds for s in rest), kind=weakest,
        terms=dict([t for s in rest for t in s.terms.items()][:MOST_TERMS]),
    )  # fmt: skip
    return (*told[: MOST_STAGES - 1], together)
