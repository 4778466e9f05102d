"""The stages of a route, in order: capture, chain, entered steps, (the delay), the listener's chain, output, air.

The delay is kept apart from the stages: it is added on purpose. The engine's block costs nothing extra
on the device that sets the clock, it is in that device's capture and output buffers already.
"""

from functools import cached_property

import msgspec
from msgspec.structs import replace

from ..document.setup import Device, EnteredStage, Listener, Moment, Part, Route, Setup
from ..knowledge.evidence import (
    Facts,
    Knowledge,
    Matching,
    Measurement,
)
from ..knowledge.quantities import CAMERA, OUTSIDE_STEP, PICTURE, ROUND_TRIP, Measurand
from ..measure.stages import FoundStages, MeasuredPath, find_stages
from ..routing.clocks import matched, set_points
from ..routing.moment_routes import in_moment
from ..routing.outside_steps import path_ids
from ..sound.processors import OutsideStep, Processor
from ..units import buffer_seconds, speed_of_sound
from .delays import delay_frames
from .network_stages import far_stages, network_stage
from .stage import Stage as Stage
from .uncertain import ZERO, EvidenceKind, Uncertain, total

# A converter's own latency while nothing is measured: common practice, no source.
UNMEASURED_CONVERTER_S = 1e-3
# How far a matched device may be from its place before anybody watched it, and at least: measured, see docs/method.md.
UNMATCHED_WANDER_S, LEAST_WANDER_S = 1e-4, 1e-5
# How far a service's report of its own latency may be off: common practice, no source.
REPORT_PLUS_MINUS = 0.1


class Situation(msgspec.Struct, frozen=True, dict=True):
    """What timing is computed from: intent, knowledge, what the equipment reports, and the moment in force."""

    setup: Setup
    knowledge: Knowledge = Knowledge()
    facts: Facts = Facts()
    moment: str = ""

    @cached_property
    def in_force(self) -> Moment | None:
        return self.setup.moment(self.moment)

    def measured(self, quantity: Measurand, *ids: str) -> Measurement | None:
        """What counts of it, confirmed or not."""
        return self.knowledge.counting(quantity, self.setup, *ids)

    @cached_property
    def round_trips(self) -> dict[str, Measurement]:
        """Those of interfaces that count, by their keys."""
        interfaces = {d.id for d in self.setup.devices if d.kind == "interface"}
        known = dict.fromkeys(m.key for m in self.knowledge.measurements)
        ways = [ids for key in known if (ids := ROUND_TRIP.ids(key)) and interfaces.issuperset(ids)]
        found = {ROUND_TRIP.key(*ids): self.measured(ROUND_TRIP, *ids) for ids in ways}
        return {key: m for key, m in found.items() if m is not None}

    @cached_property
    def converters(self) -> FoundStages:
        """What each direction of each interface takes beyond its buffers, as far as measurements tell."""
        return find_stages(converter_paths(self))

    def standing(self, m: Measurement) -> EvidenceKind:
        return "unconfirmed" if self.knowledge.unconfirmed(m) else "measured"

    def delay_s(self, route: Route) -> float:
        """What is added on purpose to a route now."""
        return delay_frames(self.setup, route, self.in_force) / self.setup.rate_hz


def _interface_stages(known: Situation, device: Device, code: str) -> list[Stage]:
    """One direction of an interface: its buffers and what the measurements found beyond them, and what it costs to
    match its clock.

    How the rest of a round trip is shared between the two directions is not known; the split has a ± of its own,
    opposite in the two directions, so it vanishes from every round trip.
    """
    buffers, own = buffers_s(known, device), _matching(known, device, code)
    found = known.converters.of.get(f"{code}:{device.id}")
    if found is None:
        reported = known.facts.reported_s.get(f"{device.id}:{'in' if code == 'capture' else 'out'}", buffers)
        terms = {f"{code}:{device.id}": UNMEASURED_CONVERTER_S}
        return [Stage(code, Uncertain(reported, terms), "calculated", device.id), *own]
    used = [known.round_trips[key] for key in found.by]
    terms = {f"round trip:{key}": width for key, width in found.by.items()}
    terms[f"split:{found.group}"] = found.sign * found.open_s
    doubtful = [m for m in used if known.standing(m) == "unconfirmed"]
    date = min(m.date for m in doubtful or used)
    kind: EvidenceKind = "unconfirmed" if doubtful else "measured"
    return [Stage(code, Uncertain(buffers + found.seconds, terms), kind, device.id, date), *own]


def interface_latency(known: Situation, device: Device, code: str) -> float:
    """Seconds of one direction, “capture” or “output”, without what matching its clock costs."""
    return _interface_stages(known, device, code)[0].latency.value


def converter_paths(known: Situation) -> list[MeasuredPath]:
    """Every round trip that counts, as the two converters that are left of it: buffers and matching are calculated."""
    paths = []
    for key, m in known.round_trips.items():
        ids = ROUND_TRIP.ids(key)
        out, into = known.setup.device(ids[0]), known.setup.device(ids[-1])
        calculated = sum(
            buffers_s(known, d) + sum(s.latency.value for s in _matching(known, d, code))
            for d, code in ((out, "output"), (into, "capture"))
        )
        stages = (f"output:{out.id}", f"capture:{into.id}")
        paths.append(MeasuredPath(key, stages, m.value_s - calculated, m.plus_minus_s))
    return paths


def buffers_s(known: Situation, device: Device) -> float:
    """Of one direction; none of a device whose clock is being matched, since they are in what that costs."""
    if device.id in known.facts.matched:
        return 0.0
    return buffer_seconds(device.buffer_frames, device.buffers, device.rate_hz)


def _matching(known: Situation, device: Device, code: str) -> list[Stage]:
    """What it costs that a device has a clock of its own; nothing where it leads, or where the sound server matches
    it."""
    setup = known.setup
    if device.id not in known.facts.matched and device not in matched(setup):
        return []
    into, out_of = set_points(setup.block_frames, device.rate_hz, setup.block_frames, setup.rate_hz)
    told = known.facts.matched.get(
        device.id, Matching(in_s=into / setup.rate_hz, out_s=out_of / setup.rate_hz, wander_s=UNMATCHED_WANDER_S)
    )  # fmt: skip
    seconds = (told.in_s or into / setup.rate_hz) if code == "capture" else (told.out_s or out_of / setup.rate_hz)
    latency = Uncertain(seconds, {f"wander:{code}:{device.id}": max(told.wander_s, LEAST_WANDER_S)})
    return [Stage("matching", latency, "calculated", device.id)]


def _entered(known: Situation, stages: tuple[EnteredStage, ...], owner: str) -> list[Stage]:
    return [
        Stage(
            "entered", Uncertain(s.latency_ms / 1e3 - _thought_less(known, s),
            {f"{owner}:{s.name}": s.plus_minus_ms / 1e3}),
            "entered", s.name
        )
        for s in stages
    ]  # fmt: skip


def _thought_less(known: Situation, s: EnteredStage) -> float:
    """How much of a noted step is counted by now in the converters that it rests on."""
    now = {r: beyond_buffers_s(known, r.end) for r in s.rests_on}
    return sum(r.times * (beyond - r.beyond_ms / 1e3) for r, beyond in now.items() if beyond is not None)


def capture_stages(known: Situation, part: Part) -> list[Stage]:
    """From the source to the engine, for a sound."""
    device = known.setup.device(part.device)
    if device.kind == "interface":
        return _interface_stages(known, device, "capture")
    if device.kind == "peer":
        return [*far_stages(known, device, part.at_peer), network_stage(known, device, "capture")]
    stages = _matching(known, device, "capture")
    buffers = buffers_s(known, device)
    reported = known.facts.reported_s.get(f"{device.id}:in")
    if device.kind == "call" and reported is not None:
        latency = Uncertain(reported, {f"way back:{device.id}": REPORT_PLUS_MINUS * reported})
        stages.append(Stage("way back", latency, "reported", device.id))
    elif device.kind == "call":
        stages.append(Stage("way back", ZERO, "unknown", device.id))
    if buffers:
        stages.append(
            Stage("player" if device.kind == "player" else "capture", Uncertain(buffers), "calculated", device.id)
        )
    return stages


def _service_stage(known: Situation, device: Device) -> list[Stage]:
    reported = known.facts.reported_s.get(f"{device.id}:out")
    if reported is None:
        return []
    latency = Uncertain(reported, {f"way there:{device.id}": REPORT_PLUS_MINUS * reported})
    return [Stage("way there", latency, "reported", device.id)]


def output_stages(known: Situation, listener: Listener) -> list[Stage]:
    """From the engine to the named end of this listener."""
    device = known.setup.device(listener.device)
    stages = []
    if device.kind == "peer":
        return [network_stage(known, device, "output"), *far_stages(known, device, listener.at_peer)]
    if device.kind == "interface":
        stages += _interface_stages(known, device, "output")
    elif buffers := buffers_s(known, device):
        stages.append(Stage("hand-over", Uncertain(buffers), "calculated", device.id))
    if device.kind != "interface":
        stages += _matching(known, device, "output")
    if device.kind != "interface":
        stages += _service_stage(known, device) + _set_there("sound set there", listener.sound_there_ms, listener)
    if listener.air_m:
        stages.append(Stage("air", air(listener.air_m), "calculated"))
    return stages


def _set_there(code: str, ms: float, listener: Listener) -> list[Stage]:
    """What the user has entered in the program there, which makes everything there wait; known as well as it was
    typed."""
    return [Stage(code, Uncertain(ms / 1e3), "entered", listener.id)] if ms else []


def air(metres: float) -> Uncertain:
    seconds = metres / speed_of_sound()
    return Uncertain(seconds, {f"air {metres:g}": 0.02 * seconds})


def counted_to_ears(known: Situation, listener: Listener) -> bool:
    """Whether the path of this listener ends at their ears, or only at our own output."""
    if listener.kind in ("monitor", "recorder"):
        return True
    network = known.facts.networks.get(listener.device)
    if network is not None:
        return listener.at_peer in network.steps
    return f"{listener.device}:out" in known.facts.reported_s


def picture_stages(known: Situation, part: Part, listener: Listener) -> list[Stage]:
    """Camera, then whatever the measured picture needs beyond it."""
    seen = camera_stage(known, known.setup.device(part.device))
    service = _service_stage(known, known.setup.device(listener.device))
    key = PICTURE.key(part.id, listener.id)
    measured = known.measured(PICTURE, part.id, listener.id)
    there = _set_there("picture set there", listener.picture_there_ms, listener)
    if measured is None:
        of_theirs = [] if listener.kind == "recorder" else [Stage("picture coder", ZERO, "unknown", listener.device)]
        return [seen, *of_theirs, *service, *there]
    # The measurement counts the whole way, the camera's own ± with it; it was made against a sound that shares the
    # service's own ±. What was entered there then is in
    # it, and what is known better by now of the converters that its sound went through moves it.
    beyond = measured.value_s - measured.there_s + _known_better(known, measured) - seen.latency.value
    rest = Uncertain(beyond, {key: measured.plus_minus_s}) - total([s.latency for s in service])
    shared = Uncertain(rest.value, {key: measured.plus_minus_s})
    return [
        replace(seen, latency=Uncertain(seen.latency.value)),
        Stage("picture coder", shared, known.standing(measured), listener.device, measured.date),
        *service,
        *there,
    ]


def beyond_buffers_s(known: Situation, end: str) -> float | None:
    """What a direction of an interface, “capture:ID” or “output:ID”, takes beyond its buffers as far as is known; None
    for what is no interface of the setup."""
    code, _, id = end.partition(":")
    device = next((d for d in known.setup.devices if d.id == id and d.kind == "interface"), None)
    return None if device is None else interface_latency(known, device, code) - buffers_s(known, device)


def _known_better(known: Situation, m: Measurement) -> float:
    now = {end: beyond_buffers_s(known, end) for end in m.beyond_s}
    return sum(s - m.beyond_s[end] for end, s in now.items() if s is not None)


def camera_stage(known: Situation, camera: Device) -> Stage:
    """As it was measured; one period ± half of one where it was not."""
    measured = known.measured(CAMERA, camera.id)
    if measured is not None:
        latency = Uncertain(measured.value_s, {f"camera:{camera.id}": measured.plus_minus_s})
        return Stage("camera", latency, known.standing(measured), camera.id, measured.date)
    period = 1.0 / camera.pictures_per_s
    return Stage("camera", Uncertain(period, {f"camera:{camera.id}": period / 2}), "calculated", camera.id)


def _processor_stage(p: Processor, known: Situation) -> Stage:
    """Known to the frame, but for what comes back from outside: that is known as well as it was measured."""
    setup = known.setup
    seconds = p.costs_frames(setup.block_frames) / setup.rate_hz
    if isinstance(p, OutsideStep) and p.waits_at(setup.rate_hz, setup.block_frames):
        ids = path_ids(p)
        m = known.measured(OUTSIDE_STEP, *ids)
        if m is None or abs(m.value_s - seconds) * setup.rate_hz > 1:
            return Stage("outside step", Uncertain(seconds), "unknown", p.name)
        latency = Uncertain(m.value_s, {OUTSIDE_STEP.key(*ids): m.plus_minus_s})
        return Stage("outside step", latency, known.standing(m), p.name, m.date)
    return Stage("processor", Uncertain(seconds), "calculated", str(p.__struct_config__.tag))


def _chain_stages(chain: tuple[Processor, ...], known: Situation) -> list[Stage]:
    """What is on, and what costs time though it is off."""
    costs = [_processor_stage(p, known) for p in chain]
    return [s for p, s in zip(chain, costs, strict=True) if p.on or s.latency.value]


def path(known: Situation, part: Part, listener: Listener, route: Route) -> tuple[Stage, ...]:
    """Every stage of one route but its delay, in the moment that is in force."""
    route = in_moment(known.in_force, route)
    if route.way == "outside":
        return tuple(_entered(known, route.stages, f"{part.id}→{listener.id}"))
    if part.kind == "picture":
        return tuple(picture_stages(known, part, listener))
    stages = part_stages(known, part, route.processed)
    stages += _entered(known, route.stages, f"{part.id}→{listener.id}")
    return tuple(stages + listener_stages(known, listener, route.bypass))


def part_stages(known: Situation, part: Part, processed: bool) -> list[Stage]:
    """From the source of a sound to the engine, and through its chain where it goes `processed`."""
    stages = capture_stages(known, part) + _entered(known, part.stages, part.id)
    return stages + (_chain_stages(part.chain, known) if processed else [])


def listener_stages(known: Situation, listener: Listener, bypass: bool = False) -> list[Stage]:
    """From the engine through the listener's chain, which a route may `bypass`, to its named end."""
    chain = [] if bypass else _chain_stages(listener.chain, known)
    return chain + output_stages(known, listener)


def way_unknown(stages: tuple[Stage, ...]) -> bool:
    """Whether it has a step of which nothing is known: a program's own way of a picture that was not measured, the way
    back of a call that reports nothing. What sounds share beyond our own output is no such step: it is not counted, and
    they are in step with each other all the same."""
    return any(s.evidence == "unknown" for s in stages)


def path_latency(stages: tuple[Stage, ...]) -> Uncertain:
    """All of them together, each term with the evidence of its stage."""
    return total([s.latency.known(s.evidence, s.date) for s in stages])
