"""Arrivals of every listener, the target they can share, and the delays that bring them there.

T = the lead's arrival + the smallest whole number of frames that is not before any routed arrival of
the group (far ends apart) + the extra the user asks for; delay = round(T − arrival) in frames.
Anchoring on the lead keeps every pair within one frame. Mutes and gains never move a target.

Where no sound may wait longer than N, they meet at T' = the latest sound, or as near to T as the earliest
can come; what lies further ahead than N stays early by the rest. That is the smallest largest distance between
two sounds, and then the smallest from them to the picture.
"""

import math

import msgspec
from msgspec.structs import replace

from ..document.setup import MAX_DELAY_S, Listener, Part, Route, Setup
from ..edits.route_edits import set_delays
from ..findings import Finding
from ..timing.arrivals import ListenerTiming, RouteTiming, Timing, Unjudged
from ..timing.delays import delay_frames, least_delay
from ..timing.origins import Origin, Origins
from ..timing.paths import Situation, Stage, counted_to_ears, path, path_latency, way_unknown
from ..timing.uncertain import Uncertain
from ..timing.verdicts import is_in_step, listener_verdict
from ..units import seconds_to_frames

# By so little an arrival may lie before the target: a measurement is no surer, and nobody waits a frame for it.
SLIGHT_FRAMES = 0.01


class _Arriving(msgspec.Struct, frozen=True):
    part: Part
    route: Route
    origin: Origin
    stages: tuple[Stage, ...]
    undelayed: Uncertain


def _arriving(known: Situation, origins: Origins, listener: Listener) -> list[_Arriving]:
    found = []
    for part in known.setup.parts:
        route = known.setup.route(part.id, listener.id)
        if route is None or not route.on or part.id not in origins.of:
            continue
        stages = path(known, part, listener, route)
        origin = origins.of[part.id]
        found.append(_Arriving(part, route, origin, stages, origin.time + path_latency(stages)))
    return found


def _moves(a: _Arriving, monitor: bool) -> bool:
    """Whether this arrival takes part in setting the target of its group; nobody waits for a picture of which nobody
    knows when it comes."""
    if a.part.kind == "far_end" or way_unknown(a.stages):
        return False
    return not monitor or a.part.kind == "lead"


def _target(group: list[_Arriving], listener: Listener, rate: int) -> Uncertain | None:
    monitor = listener.kind == "monitor"
    members = [a for a in group if _moves(a, monitor)]
    if not members:
        return None
    anchor = next((a for a in members if a.part.kind == "lead"), members[0])
    latest = max(members, key=lambda a: a.undelayed.value).undelayed
    # What the program there makes the picture wait is part of what was asked for more, not its reason.
    by_itself = max(
        a.undelayed.value - (listener.picture_there_ms / 1e3 if a.part.kind == "picture" else 0.0) for a in members
    )

    def frames_after(seconds: float) -> int:
        return max(0, math.ceil((seconds - anchor.undelayed.value) * rate - SLIGHT_FRAMES))

    extra = seconds_to_frames(listener.extra_ms / 1e3, rate)
    frames = max(frames_after(latest.value), frames_after(by_itself) + extra)
    # Stands on the lead's grid, but is only as sure as the arrival that set it.
    return replace(latest, value=anchor.undelayed.value + frames / rate)


def _meeting(group: list[_Arriving], target: Uncertain, monitor: bool, at_most_s: float, rate: int) -> float:
    """T': when the sounds of a group meet, where none of them may wait longer; at T's place on the grid otherwise."""
    sounds = [a for a in group if _moves(a, monitor) and a.part.kind != "picture"]
    waiting = [a for a in sounds if a.route.way == "engine"]
    if not waiting or at_most_s >= MAX_DELAY_S:
        return target.value
    reach = min(a.undelayed.value for a in waiting) + at_most_s
    latest = max(a.undelayed.value for a in sounds)
    short = math.ceil((target.value - max(latest, min(target.value, reach))) * rate - 1e-6)
    return max(target.value - short / rate, latest)


def _unjudged(known: Situation, origins: Origins, listener: Listener) -> tuple[Unjudged, ...]:
    routed = [p for p in known.setup.parts if (r := known.setup.route(p.id, listener.id)) is not None and r.on]
    return tuple(Unjudged(p.id, p.kind, origins.unresolved[p.id]) for p in routed if p.id in origins.unresolved)


def _once(findings: list[Finding]) -> list[Finding]:
    return [f for i, f in enumerate(findings) if f not in findings[:i]]


def listener_timing(known: Situation, origins: Origins, listener: Listener) -> ListenerTiming:
    """Arrivals of one listener while the situation's moment is in force."""
    rate = known.setup.rate_hz
    monitor = listener.kind == "monitor"
    least = least_delay(known.in_force, listener.id)
    arriving = _arriving(known, origins, listener)
    groups: dict[str, list[_Arriving]] = {}
    for a in arriving:
        groups.setdefault(a.origin.root, []).append(a)
    roots = sorted(groups, key=lambda root: all(a.part.kind != "lead" for a in groups[root]))
    targets = {root: _target(groups[root], listener, rate) for root in roots}
    at_most = listener.wait_at_most_ms / 1e3
    meeting = {root: _meeting(groups[root], t, monitor, at_most, rate) for root, t in targets.items() if t is not None}
    unjudged = _unjudged(known, origins, listener)
    routes, hand_off, findings = [], 0.0, _once([u.problem for u in unjudged])
    for a in arriving:
        target = targets[a.origin.root]
        delay = delay_frames(known.setup, a.route, known.in_force)
        at = a.undelayed.shifted(delay / rate)
        wait, off, problem = 0.0, None, None
        if target is not None and _moves(a, monitor):
            off = at - target
            meets = target.value if a.part.kind == "picture" else meeting[a.origin.root]
            wait = meets - a.undelayed.value
            if wait > MAX_DELAY_S and at_most >= MAX_DELAY_S:
                problem = Finding(
                    code="delay_too_long", part=a.part.id, listener=listener.id, values={"ms": wait * 1e3}
                )
                findings.append(problem)
            elif a.part.kind == "picture":
                hand_off = max(hand_off, wait)
        r = RouteTiming(
            a.part.id, a.part.kind, a.origin.root, a.origin.time, a.stages, at, delay, 0, off, a.route.way == "outside",
            problem=problem,
        )  # fmt: skip
        frames = min(max(0, seconds_to_frames(wait, rate)), math.floor(at_most * rate + 1e-6))
        align_delay = frames if r.can_be_delayed(monitor) else 0
        routes.append(replace(r, align_delay_frames=align_delay))
    if any(f.code == "delay_too_long" for f in findings):
        routes = [replace(r, align_delay_frames=r.delay_frames) for r in routes]
    together: dict[str, list[RouteTiming]] = {}
    for r in routes:
        together.setdefault(r.root, []).append(r)
    routes = [replace(r, in_step=is_in_step(known, r, together[r.root])) for r in routes]
    verdict = listener_verdict(known, listener, routes, findings)
    if least and verdict.code in ("early", "late", "in_step"):
        verdict = msgspec.structs.replace(verdict, least_delay=True, on_purpose=known.moment)
    elif at_most < MAX_DELAY_S and verdict.code in ("early", "late"):
        nearest = all(r.delay_frames == r.align_delay_frames for r in routes if r.can_be_delayed(monitor))
        verdict = msgspec.structs.replace(verdict, at_limit=nearest)
    return ListenerTiming(
        listener.id, targets[roots[0]] if roots else None, tuple(routes), hand_off,
        counted_to_ears(known, listener), least, tuple(findings), verdict, unjudged,
    )  # fmt: skip


def timing(known: Situation) -> Timing:
    """Arrivals and delays of every listener. Errors: none; what cannot be resolved is in `findings`."""
    origins = Origins(known)
    listeners = tuple(listener_timing(known, origins, x) for x in known.setup.listeners)
    return Timing(listeners, tuple(origins.findings))


def _delays(found: Timing, listeners: set[str], rate: int) -> list[tuple[str, str, float]]:
    return [
        (r.part, t.listener, r.align_delay_frames / rate * 1e3)
        for t in found.listeners
        if t.listener in listeners
        for r in t.routes
        if not r.outside and r.kind != "picture"
    ]


def align(known: Situation, listeners: set[str] | None = None) -> Setup:
    """The setup with every delay solved: monitors first, they set the origins of all who play along. Solved for being
    in step: a moment that asks for the least delay changes nothing here."""
    setup = known.setup
    known = replace(known, moment="")
    chosen = listeners if listeners is not None else {x.id for x in setup.listeners}
    monitors = {x.id for x in setup.listeners if x.kind == "monitor"} & chosen
    setup = set_delays(setup, _delays(timing(known), monitors, setup.rate_hz))
    after = timing(replace(known, setup=setup))
    return set_delays(setup, _delays(after, chosen - monitors, setup.rate_hz))
