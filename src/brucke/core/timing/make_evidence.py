"""From what was measured to evidence in the knowledge of a setup."""

import math
from collections.abc import Mapping
from datetime import datetime

import msgspec

from ..document.setup import Setup
from ..knowledge.evidence import Knowledge, Measurement
from ..knowledge.quantities import CAMERA, PICTURE, Ids, Measurand
from ..measure.round_trip import RoundTrip
from ..units import speed_of_sound
from .paths import Situation, beyond_buffers_s
from .picture import picture_path
from .take_verdict import ListenerProof


class SeenOffset(msgspec.Struct, frozen=True):
    """How much later than its sound a picture was seen, by which `method` (“claps”, “flashes”, “by eye”), 95 %."""

    seconds: float
    plus_minus_s: float
    method: str
    events: int


def now() -> str:
    return datetime.now().astimezone().isoformat(timespec="milliseconds")


def measurement(quantity: Measurand, setup: Setup, ids: Ids, found: RoundTrip, method: str) -> Measurement:
    """The evidence of what the engine measured of `ids`."""
    note = ""
    if found.second:
        note = f"a second arrival {found.second_s * 1e3:+.1f} ms from the first, {found.second:.0%} as strong"
    return Measurement(
        key=quantity.key(*ids), value_s=found.seconds, plus_minus_s=found.plus_minus_s, date=now(), method=method,
        repeats=found.repeats, agreeing=found.agreeing, fingerprint=quantity.fingerprint(setup, *ids),
        proof=found.proof, proof_start_s=found.proof_start_s, proof_step_s=found.proof_step_s, note=note,
    )  # fmt: skip


def camera_measurement(setup: Setup, camera: str, seen: SeenOffset) -> Measurement:
    """What a camera takes, from how much later than they were lit it showed flashes."""
    return Measurement(
        key=CAMERA.key(camera), value_s=seen.seconds, plus_minus_s=seen.plus_minus_s, date=now(), method=seen.method,
        repeats=seen.events, agreeing=seen.events, fingerprint=CAMERA.fingerprint(setup, camera),
    )  # fmt: skip


def picture_measurement(known: Situation, picture: str, listener: str, seen: SeenOffset) -> Measurement:
    """The way of a picture to a listener, from how much later than the part it shows it was seen there with the delays
    in force. KeyError where the part it shows does not reach the listener."""
    shows = known.setup.part(picture).shows
    way = picture_path(known, picture, shows, listener, seen.seconds, seen.plus_minus_s)
    ends = (f"capture:{known.setup.part(shows).device}", f"output:{known.setup.listener(listener).device}")
    return Measurement(
        key=PICTURE.key(picture, listener), value_s=way.value, plus_minus_s=seen.plus_minus_s, date=now(),
        method=seen.method,
        repeats=seen.events, agreeing=seen.events, fingerprint=PICTURE.fingerprint(known.setup, picture, listener),
        there_s=known.setup.listener(listener).picture_there_ms / 1e3,
        beyond_s={e: s for e in ends if (s := beyond_buffers_s(known, e)) is not None},
    )  # fmt: skip


def picture_measurements(known: Situation, proof: Mapping[str, ListenerProof]) -> Knowledge:
    """The knowledge with every picture that a take's proof shows, by listener; `known` is what was in force in it."""
    knowledge = known.knowledge
    for listener, shown in proof.items():
        if shown.picture is not None:
            p = shown.picture
            seen = SeenOffset(p.against_sound_ms / 1e3, p.plus_minus_ms / 1e3, "claps", p.claps)
            knowledge = knowledge.with_measurement(picture_measurement(known, p.part, listener, seen))
    return knowledge


class Air(msgspec.Struct, frozen=True):
    """The way from a loudspeaker to a microphone, with the ± of its length and of the temperature."""

    metres: float
    celsius: float = 20.0
    metres_plus_minus: float = 0.02
    celsius_plus_minus: float = 3.0

    @property
    def seconds(self) -> float:
        return self.metres / speed_of_sound(self.celsius)

    @property
    def plus_minus_s(self) -> float:
        warmer = self.metres / speed_of_sound(self.celsius + self.celsius_plus_minus)
        return math.hypot(self.metres_plus_minus / speed_of_sound(self.celsius), self.seconds - warmer)


def without_air(m: Measurement, air: Air) -> Measurement | None:
    """What was measured through the air, as the machine's part alone; None where the air alone takes longer, or was
    taken out already."""
    left = m.value_s - air.seconds
    if left <= 0 or m.air_s:
        return None
    note = f"{air.metres:g} m of air at {air.celsius:g} °C taken out"
    return msgspec.structs.replace(
        m, value_s=left, plus_minus_s=math.hypot(m.plus_minus_s, air.plus_minus_s),
        proof_start_s=m.proof_start_s - air.seconds, air_s=air.seconds,
        note="; ".join(x for x in (m.note, note) if x),
    )  # fmt: skip
