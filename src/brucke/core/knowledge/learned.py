"""From what was measured to evidence in the knowledge of a setup."""

from collections.abc import Mapping
from datetime import datetime

from ..document.setup import Device, Part, Setup
from ..measure.round_trip import RoundTrip
from ..routing.captures import capture_channels
from ..timing.paths import Situation
from ..timing.picture import picture_path
from .evidence import Knowledge, Measurement, device_fingerprint, picture_fingerprint, picture_key, round_trip_key
from .take_verdict import ListenerProof


def now() -> str:
    return datetime.now().astimezone().isoformat(timespec="milliseconds")


def measuring_pair(setup: Setup) -> tuple[Device, int, int] | None:
    """(interface, index of the listener that sounds, index of the capture channel that hears); None without one."""
    captures = capture_channels(setup)
    for x, listener in enumerate(setup.listeners):
        device = setup.device(listener.device)
        if listener.kind != "monitor" or device.kind != "interface":
            continue
        for part in setup.parts:
            if part.device == device.id and part.channels:
                return device, x, captures.index((device.id, part.channels[0]))
    return None


def round_trip_measurement(setup: Setup, device: Device, found: RoundTrip, method: str) -> Measurement:
    note = ""
    if found.second:
        note = f"a second arrival {found.second_s * 1e3:+.1f} ms from the first, {found.second:.0%} as strong"
    return Measurement(
        key=round_trip_key(device), value_s=found.seconds, plus_minus_s=found.plus_minus_s, date=now(), method=method,
        repeats=found.repeats, agreeing=found.agreeing, fingerprint=device_fingerprint(setup, device),
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
                key=picture_key(part.id, listener), value_s=way.value, plus_minus_s=picture.plus_minus_ms / 1e3,
                date=now(), method="claps", repeats=picture.claps, agreeing=picture.claps,
                fingerprint=picture_fingerprint(known.setup, part.id, listener),
            )
        )  # fmt: skip
    return knowledge
