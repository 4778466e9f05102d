"""What was measured, kept apart from what is wanted. Append-only, never undone.

Each measurement carries a fingerprint of what it depends on. When that changes it is stale, when it
changes back it is good again. An event that may have moved a clock (a restart, a dropout) makes it
unconfirmed: it still counts, and is never called simply measured until it was confirmed. A sweep that
disagrees ends it. Order is that of
the numbers they were given when they came, never that of the time of day: clocks are set back.
"""

from collections.abc import Iterable

import msgspec

from ..document.setup import Setup
from ..network.control_messages import FarStage
from .quantities import CONTRADICTED, Measurand


class Measurement(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One measured latency. `proof` is the correlation around its peak, `proof_start_s` its first lag; `confirmed` is
    when one sweep agreed with it again, `air_s` what was taken out of it as the way through the air, `sequence` its
    place among all that came to be known. Of a picture: `there_s` is what was entered in the program there, which is in
    it, and `beyond_s` what was known then of the converters on the way of the sound that it was set against, by
    “capture:ID” and “output:ID”."""

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
    air_s: float = 0.0
    confirmed: str = ""
    sequence: int = 0
    there_s: float = 0.0
    beyond_s: dict[str, float] = {}


class Spoil(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What was measured before it under `key` is unconfirmed from now on."""

    key: str
    date: str
    reason: str
    sequence: int = 0


class Agreed(msgspec.Struct, frozen=True, kw_only=True):
    """`who` at the far end `part` agreed on `date` to be recorded, or no longer does."""

    part: str
    who: str
    date: str
    yes: bool = True


class Knowledge(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Measurements and what spoiled them, in the order they came; and who agreed to be recorded."""

    measurements: tuple[Measurement, ...] = ()
    spoils: tuple[Spoil, ...] = ()
    agreed: tuple[Agreed, ...] = ()

    def agreement(self, part: str) -> Agreed | None:
        """The one in force for a far end; None where nobody was asked, or where it was taken back."""
        newest = next((a for a in reversed(self.agreed) if a.part == part), None)
        return newest if newest is not None and newest.yes else None

    def with_agreement(self, a: Agreed) -> "Knowledge":
        return msgspec.structs.replace(self, agreed=(*self.agreed, a))

    def _next(self) -> int:
        numbers = [m.sequence for m in self.measurements] + [s.sequence for s in self.spoils]
        return 1 + max(numbers, default=0)

    def with_measurement(self, m: Measurement) -> "Knowledge":
        m = msgspec.structs.replace(m, sequence=self._next())
        return msgspec.structs.replace(self, measurements=(*self.measurements, m))

    def with_spoil(self, s: Spoil) -> "Knowledge":
        s = msgspec.structs.replace(s, sequence=self._next())
        return msgspec.structs.replace(self, spoils=(*self.spoils, s))

    def with_confirmation(self, m: Measurement, date: str) -> "Knowledge":
        """`m` was found again on `date`, as it was."""
        return self.with_measurement(msgspec.structs.replace(m, confirmed=date))

    def doubted(self, keys: Iterable[str], date: str, reason: str) -> "Knowledge":
        """Every newest measurement of `keys` unconfirmed from now on; the same where all of them are already."""
        known = self
        for key in keys:
            m = known.newest(key)
            if m is not None and not known.unconfirmed(m):
                known = known.with_spoil(Spoil(key=key, date=date, reason=reason))
        return known

    def numbered(self) -> "Knowledge":
        """In the order of their dates where a file does not say in which order they came."""
        everything: list[Measurement | Spoil] = [*self.measurements, *self.spoils]
        if all(x.sequence > 0 for x in everything):
            return self
        order = {id(x): i + 1 for i, x in enumerate(sorted(everything, key=lambda x: (x.sequence, x.date)))}
        return msgspec.structs.replace(
            self,
            measurements=tuple(msgspec.structs.replace(m, sequence=order[id(m)]) for m in self.measurements),
            spoils=tuple(msgspec.structs.replace(s, sequence=order[id(s)]) for s in self.spoils),
        )

    def newest(self, key: str) -> Measurement | None:
        """The newest measurement of `key`, stale or not."""
        return max((m for m in self.measurements if m.key == key), key=lambda m: m.sequence, default=None)

    def good(self, key: str, fingerprint: str) -> Measurement | None:
        """The newest measurement of `key` that counts, confirmed or not; None where what it depends on has changed, or
        where it was contradicted."""
        since = self._contradicted_at(key)
        fits = (m for m in self.measurements if m.key == key and m.fingerprint == fingerprint and m.sequence > since)
        return max(fits, key=lambda m: m.sequence, default=None)

    def counting(self, quantity: Measurand, setup: Setup, *ids: str) -> Measurement | None:
        """The newest measurement of a quantity in a setup that counts."""
        return self.good(quantity.key(*ids), quantity.fingerprint(setup, *ids))

    def contradicted(self, m: Measurement) -> bool:
        """Whether a later sweep found something else."""
        return m.sequence < self._contradicted_at(m.key)

    def _contradicted_at(self, key: str) -> int:
        """The number of the latest sweep that found something else, or −1."""
        return max((s.sequence for s in self.spoils if s.key == key and s.reason == CONTRADICTED), default=-1)

    @property
    def lasting(self) -> tuple[object, ...]:
        """What has to be kept: measurements, what ended one, and who agreed. Doubt comes anew whenever a document is
        opened."""
        return (*self.measurements, *self.agreed, *(s for s in self.spoils if s.reason == CONTRADICTED))

    def unconfirmed(self, m: Measurement) -> bool:
        """Whether something came after `m` that may have moved what it measured."""
        return any(s.key == m.key and s.sequence > m.sequence for s in self.spoils)


class Heard(msgspec.Struct, frozen=True, kw_only=True):
    """What was heard of one part, levels in dBFS: peaks before and after the trim, power of both sides and of
    their mono sum; `bleeds_ms` how much later the lead was heard in it, one of every stretch where it was."""

    input_peak_db: float
    peak_db: float
    left_db: float
    right_db: float
    mono_db: float
    bleeds_ms: tuple[float, ...] = ()


class Matching(msgspec.Struct, frozen=True, kw_only=True):
    """How a device with a clock of its own is matched to the one that leads: its way between converter and engine in
    each direction, its buffers included, how fast its clock is, how far it came away from its place lately, and how
    many blocks were lost at it."""

    in_s: float = 0.0
    out_s: float = 0.0
    fast_ppm: float = 0.0
    wander_s: float = 0.0
    lost: int = 0


class Network(msgspec.Struct, frozen=True, kw_only=True):
    """The way to another computer: the ± of its clock and the smallest round trip; whether it was watched for long
    enough since anything was strange, and whether it answers now; `date` is when it was last known well, or was opened.
    `steps` are what it says of its own steps, by the stream."""

    plus_minus_s: float
    round_trip_s: float
    confirmed: bool = False
    there: bool = True
    date: str = ""
    steps: dict[str, tuple[FarStage, ...]] = {}


class Facts(msgspec.Struct, frozen=True, kw_only=True):
    """What is so now and no document says.

    `reported_s` is what equipment reports of itself by `device:out` and `device:in`; `heard` what came in during
    `listened_s` seconds, `matched` what is known of devices with clocks of their own, `networks` of the way to other
    computers, by device, and `sums_db` the peak at every listener; `missing` the devices that are not there and
    `looked` whether anybody looked for them; `quiet` the parts whose program plays nothing; `ends_gone` by interface
    what it recorded from and what it played to, by name, where that is not there now (“” where it is); `bare` (program,
    name of the microphone) of who records one itself. The rest is about this computer, None where it does not say.
    """

    reported_s: dict[str, float] = {}
    matched: dict[str, Matching] = {}
    networks: dict[str, Network] = {}
    listened_s: float = 0.0
    heard: dict[str, Heard] = {}
    sums_db: dict[str, float] = {}
    missing: tuple[str, ...] = ()
    looked: bool = False
    quiet: tuple[str, ...] = ()
    ends_gone: dict[str, tuple[str, str]] = {}
    bare: tuple[tuple[str, str], ...] = ()
    muted: tuple[str, ...] = ()
    free_bytes: int | None = None
    may_sleep: bool | None = None
