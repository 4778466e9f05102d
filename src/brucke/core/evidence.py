"""What was measured, kept apart from what is wanted. Append-only, never undone.

Each measurement carries a fingerprint of what it depends on. When that changes it is stale, when it
changes back it is good again; an event that spoils a clock (a restart, a dropout) makes it stale for good.
"""

import hashlib
from typing import Literal

import msgspec

from .setup import Device, Setup

EvidenceKind = Literal["measured", "calculated", "entered"]


class Measurement(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One measured latency. `proof` is the correlation around its peak, `proof_start_s` its first lag."""

    key: str
    value_s: float
    plus_minus_s: float
    date: str
    method: str
    repeats: int
    agreeing: int
    fingerprint: str
    proof: tuple[float, ...] = ()
    proof_start_s: float = 0.0
    proof_step_s: float = 0.0
    note: str = ""


class Spoil(msgspec.Struct, frozen=True, kw_only=True):
    """After `date`, everything measured before it under `key` no longer counts."""

    key: str
    date: str
    reason: str


class Knowledge(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Measurements and what spoiled them, in the order they came."""

    measurements: tuple[Measurement, ...] = ()
    spoils: tuple[Spoil, ...] = ()

    def with_measurement(self, m: Measurement) -> "Knowledge":
        return msgspec.structs.replace(self, measurements=(*self.measurements, m))

    def with_spoil(self, s: Spoil) -> "Knowledge":
        return msgspec.structs.replace(self, spoils=(*self.spoils, s))

    def newest(self, key: str) -> Measurement | None:
        """The newest measurement of `key`, stale or not."""
        return next((m for m in reversed(self.measurements) if m.key == key), None)

    def good(self, key: str, fingerprint: str) -> Measurement | None:
        """The newest measurement of `key` that still counts, or None."""
        spoiled = max((s.date for s in self.spoils if s.key == key), default="")
        return next(
            (
                m
                for m in reversed(self.measurements)
                if m.key == key and m.fingerprint == fingerprint and m.date > spoiled
            ),
            None,
        )


class Heard(msgspec.Struct, frozen=True, kw_only=True):
    """What was heard of one part, levels in dBFS: peaks before and after the trim, power of both sides and of
    their mono sum; `bleeds_ms` how much later the lead was heard in it, one of every stretch where it was."""

    input_peak_db: float
    peak_db: float
    left_db: float
    right_db: float
    mono_db: float
    bleeds_ms: tuple[float, ...] = ()


class Facts(msgspec.Struct, frozen=True, kw_only=True):
    """What is so now and no document says.

    `reported_s` is what equipment reports of itself by `device:out` and `device:in`; `heard` what came in
    during `listened_s` seconds and `sums_db` the peak at every listener; `missing` the devices that are not
    there; the rest is about this computer, None where it does not say.
    """

    reported_s: dict[str, float] = {}
    listened_s: float = 0.0
    heard: dict[str, Heard] = {}
    sums_db: dict[str, float] = {}
    missing: tuple[str, ...] = ()
    muted: tuple[str, ...] = ()
    free_bytes: int | None = None
    may_sleep: bool | None = None


def round_trip_key(device: Device) -> str:
    return f"round_trip:{device.id}"


def picture_key(part: str, listener: str) -> str:
    return f"picture:{part}:{listener}"


def _digest(*what: object) -> str:
    return hashlib.sha256(repr(what).encode()).hexdigest()[:12]


def device_fingerprint(setup: Setup, device: Device) -> str:
    """Changes with whatever a round trip of `device` depends on."""
    return _digest(
        setup.rate_hz,
        setup.block_frames,
        device.id,
        device.rate_hz,
        device.buffer_frames,
        device.buffers,
        *([device.card] if device.card else []),
    )


def picture_fingerprint(setup: Setup, part: str, listener: str) -> str:
    """Changes with whatever the picture's own latency depends on: its camera and the stream."""
    camera = setup.device(setup.part(part).device)
    service = setup.device(setup.listener(listener).device)
    return _digest(camera, service)
