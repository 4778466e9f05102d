"""When the sound of one beat exists at its source: 0 is the beat leaving the lead's player.

o(lead) = 0;  o(follower) = ear(follows, hears_at) − α·own(follower);  o(picture) = o(what it shows);
o(far end) = the lead's arrival at the call it returns from. A directed graph, cycles are findings; what has
no origin cannot be judged anywhere, and is said to be so.
"""

import msgspec

from ..document.setup import IN_THE_ROOM, Listener, Part
from ..findings import Finding
from .paths import Situation, air, capture_stages, path, path_latency, way_unknown
from .uncertain import ZERO, Uncertain


class Origin(msgspec.Struct, frozen=True):
    """`root` names the group: parts with one root lead (or one timebase of leads) share it."""

    time: Uncertain
    root: str


class _Unresolved(Exception):
    def __init__(self, finding: Finding):
        self.finding = finding


def own_sound(known: Situation, part: Part, monitor: Listener) -> Uncertain | None:
    """own(q): from the source to the player's own ear through the monitor; None where no route is on."""
    route = known.setup.route(part.id, monitor.id)
    if route is None or not route.on:
        return None
    return path_latency(path(known, part, monitor, route)).shifted(known.delay_s(route))


class Origins:
    """Resolves every part once. `of` are those that have an origin, `unresolved` why the others have none;
    `findings` are those of the unresolved that somebody would hear: what is routed nowhere disturbs nobody."""

    def __init__(self, known: Situation):
        self.known = known
        self.of: dict[str, Origin] = {}
        self.unresolved: dict[str, Finding] = {}
        for part in known.setup.parts:
            try:
                self._resolve(part, ())
            except _Unresolved as e:
                self.unresolved[part.id] = e.finding
        heard = {r.part for r in known.setup.routes if r.on}
        self.findings: list[Finding] = []
        for part_id, finding in self.unresolved.items():
            if part_id in heard and finding not in self.findings:
                self.findings.append(finding)

    def _resolve(self, part: Part, above: tuple[str, ...]) -> Origin:
        if part.id in self.of:
            return self.of[part.id]
        if part.id in self.unresolved:
            raise _Unresolved(self.unresolved[part.id])
        if part.id in above:
            ring = (*above[above.index(part.id) :], part.id)
            raise _Unresolved(Finding(code="cycle", part=part.id, values={"ring": " → ".join(ring)}))
        origin = self._compute(part, (*above, part.id))
        self.of[part.id] = origin
        return origin

    def _compute(self, part: Part, above: tuple[str, ...]) -> Origin:
        setup = self.known.setup
        if part.kind == "lead":
            return Origin(ZERO, part.timebase or part.id)
        if part.kind == "picture" and part.shows:
            return self._resolve(setup.part(part.shows), above)
        if part.kind == "far_end" and part.returns_from:
            return self._far_end(part, above)
        if part.kind == "follower" and part.follows:
            return self._follower(part, above)
        return Origin(ZERO, part.id)

    def _arrival(self, part: Part, listener: Listener, asking: Part, above: tuple[str, ...]) -> Origin:
        route = self.known.setup.route(part.id, listener.id)
        if route is None or not route.on:
            raise _Unresolved(
                Finding(code="lead_not_heard", part=asking.id, listener=listener.id, values={"lead": part.id})
            )
        origin = self._resolve(part, above)
        way = path_latency(path(self.known, part, listener, route)).shifted(self.known.delay_s(route))
        return Origin(origin.time + way, origin.root)

    def _follower(self, part: Part, above: tuple[str, ...]) -> Origin:
        setup = self.known.setup
        lead = setup.part(part.follows)
        if part.hears_at in ("", IN_THE_ROOM):
            origin = self._resolve(lead, above)
            return Origin(origin.time + air(part.distance_m), origin.root)
        monitor = setup.listener(part.hears_at)
        ear = self._arrival(lead, monitor, part, above)
        if part.hears_itself == "room":
            return ear
        own = own_sound(self.known, part, monitor)
        if own is None:
            raise _Unresolved(Finding(code="does_not_hear_itself", part=part.id, listener=monitor.id))
        return Origin(ear.time - own, ear.root)

    def _far_end(self, part: Part, above: tuple[str, ...]) -> Origin:
        """The far end answers the lead it hears; with no lead on that call it speaks from itself."""
        setup = self.known.setup
        call = setup.listener(part.returns_from)
        for lead in setup.parts:
            route = setup.route(lead.id, call.id)
            if lead.kind == "lead" and route is not None and route.on:
                return self._arrival(lead, call, part, above)
        return Origin(ZERO, part.id)


def came_in(known: Situation, part: str) -> Uncertain | None:
    """When the engine has the sound of beat 0 of a part; None where that cannot be told."""
    origins = Origins(known)
    if part not in origins.of:
        return None
    stages = capture_stages(known, known.setup.part(part))
    if way_unknown(tuple(stages)):
        return None
    return sum((s.latency for s in stages), origins.of[part].time)
