"""From what was measured to evidence in the knowledge of a setup."""

from collections.abc import Mapping
from datetime import datetime

from ..document.setup import Part, Setup
from ..measure.round_trip import RoundTrip
from ..timing.paths import Situation
from ..timing.picture import picture_path
from .evidence import Knowledge, Measurement
from .quantities import PICTURE, Ids, Measured
from .take_verdict import ListenerProof


def now() -> str:
    return datetime.now().astimezone().isoformat(timespec="milliseconds")


def measurement(quantity: Measured, setup: Setup, ids: Ids, found: RoundTrip, method: str) -> Measurement:
    """The evidence of what the engine measured of `ids`."""
    note = ""
    if found.second:
        note = f"a second arrival {found.second_s * 1e3:+.1f} ms from the first, {found.second:.0%} as strong"
    return Measurement(
        key=quantity.key(*ids), value_s=found.seconds, plus_minus_s=found.plus_minus_s, date=now(), method=method,
        repeats=found.repeats, agreeing=found.agreeing, fingerprint=quantity.fingerprint(setup, *ids),
        proof=found.proof, proof_start_s=found.proof_start_s, proof_step_s=found.proof_step_s, note=note,
    )  # fmt: skip


def picture_measurements(known: Situation, proof: Mapping[str, ListenerProof]) -> Knowledge:
    """The knowledge with every picture that a take's proof shows, by listener; `known` is what was in force in it."""
    knowledge = known.knowledge
    for listener, shown in proof.items():
        picture = shown.picture
        if picture is None:
            continue
        part: Part = known.setup.part(picture.part)
        way = picture_path(
            known, part.id, part.shows, listener, picture.against_sound_ms / 1e3, picture.plus_minus_ms / 1e3
        )
        knowledge = knowledge.with_measurement(
            Measurement(
                key=PICTURE.key(part.id, listener), value_s=way.value, plus_minus_s=picture.plus_minus_ms / 1e3,
                date=now(), method="claps", repeats=picture.claps, agreeing=picture.claps,
                fingerprint=PICTURE.fingerprint(known.setup, part.id, listener),
            )
        )  # fmt: skip
    return knowledge
