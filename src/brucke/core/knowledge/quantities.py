"""What can be measured, one record each: what it is of, what it depends on, what spoils it, and how it runs.

A new one is a record here and the place in `timing/` that counts on it; the desk measures, confirms and doubts it, the
soundcheck asks for it and Align offers it by what the record says.
"""

import hashlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from ..document.setup import Device, Setup
from ..routing.captures import capture_channels

Ids = tuple[str, ...]
# What may have moved a clock, by the reason that knowledge keeps.
OPENED, STARTED, RESTARTED, DROPOUT, REJOINED, SLEPT = CLOCK_MOVES = (
    "opened again", "started anew", "engine restarted", "dropout", "device rejoined", "computer slept",
)  # fmt: skip


@dataclass(frozen=True)
class Way:
    """The way of a measuring sound: `ids` of what it measures, the `listener` that sounds and the `capture` channel that
    hears it, both by their place."""

    ids: Ids
    listener: int
    capture: int


def _no_way(setup: Setup) -> Iterator[Way]:
    return iter(())


@dataclass(frozen=True)
class Measured:
    """`subjects` are what a setup has of it, by their ids; `depends` what a measurement of one depends on; `spoiled_by`
    the events after which it is unconfirmed; `ways` how the engine measures it, by subject: none where the proof of a
    take shows it."""

    code: str
    subjects: Callable[[Setup], Iterator[Ids]]
    depends: Callable[..., tuple[object, ...]]
    spoiled_by: tuple[str, ...] = ()
    ways: Callable[[Setup], Iterator[Way]] = _no_way

    def key(self, *ids: str) -> str:
        """Under which knowledge keeps it."""
        return ":".join((self.code, *ids))

    def fingerprint(self, setup: Setup, *ids: str) -> str:
        """Changes with whatever a measurement of `ids` depends on."""
        return hashlib.sha256(repr(self.depends(setup, *ids)).encode()).hexdigest()[:12]

    def way(self, setup: Setup) -> Way | None:
        """The first there is."""
        return next(self.ways(setup), None)


def spoiled_keys(setup: Setup, event: str, only: str = "") -> list[str]:
    """What an event makes unconfirmed: of everything, or of what has to do with `only` one device."""
    return [q.key(*ids) for q in QUANTITIES if event in q.spoiled_by for ids in q.subjects(setup) if only in ("", *ids)]


# The round trip of an interface: out at a monitor, in at a part.


def _interfaces(setup: Setup) -> Iterator[Ids]:
    return ((d.id,) for d in setup.devices if d.kind == "interface")


def _interface_depends(setup: Setup, id: str) -> tuple[object, ...]:
    d: Device = setup.device(id)
    buffers = (d.buffer_frames, d.buffers)
    return (setup.rate_hz, setup.block_frames, d.id, d.rate_hz, *buffers, *([d.card] if d.card else []))


def _interface_ways(setup: Setup) -> Iterator[Way]:
    captures, seen = capture_channels(setup), set()
    for x, listener in enumerate(setup.listeners):
        if listener.kind != "monitor" or setup.device(listener.device).kind != "interface" or listener.device in seen:
            continue
        for part in setup.parts:
            if part.device == listener.device and part.channels:
                seen.add(listener.device)
                yield Way((listener.device,), x, captures.index((part.device, part.channels[0])))
                break


ROUND_TRIP = Measured("round_trip", _interfaces, _interface_depends, CLOCK_MOVES, _interface_ways)


# The way of a picture to a listener, from the claps in a take.


def _pictures(setup: Setup) -> Iterator[Ids]:
    return ((p.id, x.id) for p in setup.parts if p.kind == "picture" for x in setup.listeners)


def _picture_depends(setup: Setup, part: str, listener: str) -> tuple[object, ...]:
    """Its camera and the service."""
    return setup.device(setup.part(part).device), setup.device(setup.listener(listener).device)


PICTURE = Measured("picture", _pictures, _picture_depends)

QUANTITIES = (ROUND_TRIP, PICTURE)
