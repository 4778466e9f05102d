"""What can be measured, one record each: what it is of, what it depends on, what spoils it, and how it runs.

A new one is a record here and the place in `timing/` that counts on it; the desk measures, confirms and doubts it, the
soundcheck asks for it and Align offers it by what the record says.
"""

import hashlib
import itertools
from collections.abc import Callable, Iterator

import msgspec

from ..document.setup import Device, Setup
from ..routing.captures import capture_channels
from ..routing.outside_steps import path_ids, placed_steps

Ids = tuple[str, ...]
# What may have moved a clock, by the reason that knowledge keeps.
OPENED, STARTED, RESTARTED, DROPOUT, REJOINED, SLEPT = CLOCK_MOVES = (
    "opened again", "started anew", "engine restarted", "dropout", "device rejoined", "computer slept",
)  # fmt: skip

CONTRADICTED = "found otherwise"  # one sweep did not agree: what was measured before counts no longer
ELSEWHERE = "another computer"  # where it was measured: nobody knows whether the same things are here


class Way(msgspec.Struct, frozen=True):
    """The way of a measuring sound: `ids` of what it measures, the `listener` that sounds and the `capture` channel
    that hears it, both by their place."""

    ids: Ids
    listener: int
    capture: int


def _no_way(setup: Setup) -> Iterator[Way]:
    return iter(())


class Measurand(msgspec.Struct, frozen=True):
    """`name` is what it is called, before it is translated; `subjects` are what a setup has of it, by their ids;
    `depends` what a measurement of one depends on; `spoiled_by` the events after which it is unconfirmed; `ways` how
    the engine measures it, by subject: none where the proof of a take shows it; `more` are ways that nothing needs and
    that tell more."""

    code: str
    name: str
    subjects: Callable[[Setup], Iterator[Ids]]
    depends: Callable[..., tuple[object, ...]]
    spoiled_by: tuple[str, ...] = ()
    ways: Callable[[Setup], Iterator[Way]] = _no_way
    more: Callable[[Setup], Iterator[Way]] = _no_way

    def key(self, *ids: str) -> str:
        """Under which knowledge keeps it."""
        return ":".join((self.code, *ids))

    def ids(self, key: str) -> Ids:
        """Of what a key of this quantity is; none where it is another's."""
        code, *ids = key.split(":")
        return tuple(ids) if code == self.code else ()

    def fingerprint(self, setup: Setup, *ids: str) -> str:
        """Changes with whatever a measurement of `ids` depends on."""
        return hashlib.sha256(repr(self.depends(setup, *ids)).encode()).hexdigest()[:12]

    def way(self, setup: Setup) -> Way | None:
        """The first there is."""
        return next(self.ways(setup), None)


def spoiled_keys(setup: Setup, event: str, only: str = "") -> list[str]:
    """What an event makes unconfirmed: of everything, or of what has to do with `only` one device."""
    return [q.key(*ids) for q in QUANTITIES if event in q.spoiled_by for ids in q.subjects(setup) if only in ("", *ids)]


# The round trip of an interface: out at a monitor, in at a part. Of two, where one only plays or only records: out at
# the first, in
# at the second.


def _interfaces(setup: Setup) -> Iterator[Ids]:
    ids = [d.id for d in setup.devices if d.kind == "interface"]
    yield from ((id,) for id in ids)
    yield from itertools.permutations(ids, 2)


def _interface_depends(setup: Setup, *ids: str) -> tuple[object, ...]:
    found: list[object] = [setup.rate_hz, setup.block_frames]
    for d in map(setup.device, ids):
        found += [d.id, d.rate_hz, d.buffer_frames, d.buffers, *([d.card] if d.card else [])]
    return tuple(found)


def _interface_ends(setup: Setup) -> tuple[dict[str, int], dict[str, int]]:
    """The first monitor of each interface, and the first capture."""
    plays: dict[str, int] = {}
    records: dict[str, int] = {}
    captures = capture_channels(setup)
    for x, listener in enumerate(setup.listeners):
        if listener.kind == "monitor" and setup.device(listener.device).kind == "interface":
            plays.setdefault(listener.device, x)
    for part in setup.parts:
        if part.channels and setup.device(part.device).kind == "interface":
            records.setdefault(part.device, captures.index((part.device, part.channels[0])))
    return plays, records


def _interface_ways(setup: Setup) -> Iterator[Way]:
    plays, records = _interface_ends(setup)
    both = [(d, d) for d in plays if d in records]
    deaf = [(d, next(iter(records), "")) for d in plays if d not in records]
    mute = [(next(iter(plays), ""), d) for d in records if d not in plays]
    for out, into in dict.fromkeys([*both, *mute, *deaf]):
        if out in plays and into in records:
            yield Way((out,) if out == into else (out, into), plays[out], records[into])


def _crossed_ways(setup: Setup) -> Iterator[Way]:
    """Out of one into another, where each has a round trip of its own."""
    plays, records = _interface_ends(setup)
    for out, into in itertools.permutations([d for d in plays if d in records], 2):
        yield Way((out, into), plays[out], records[into])


ROUND_TRIP = Measurand(
    "round_trip",
    "round trip",
    _interfaces,
    _interface_depends,
    (*CLOCK_MOVES, ELSEWHERE),
    _interface_ways,
    _crossed_ways,
)


# The way of a picture to a listener, from the claps in a take.


def _physical(setup: Setup, id: str) -> Device:
    """A device as far as it matters: what somebody calls it does not."""
    return msgspec.structs.replace(setup.device(id), name="", sets_clock=False)


def _pictures(setup: Setup) -> Iterator[Ids]:
    return ((p.id, x.id) for p in setup.parts if p.kind == "picture" for x in setup.listeners)


def _picture_depends(setup: Setup, part: str, listener: str) -> tuple[object, ...]:
    """Its camera and the service; what is entered in its program moves it by as much and is no reason to measure
    again."""
    return _physical(setup, setup.part(part).device), _physical(setup, setup.listener(listener).device)


PICTURE = Measurand("picture", "picture", _pictures, _picture_depends, (ELSEWHERE,))

# What a camera takes from light to a picture in our hands, from flashes that it saw.


def _cameras(setup: Setup) -> Iterator[Ids]:
    return ((id,) for id in dict.fromkeys(p.device for p in setup.parts if p.kind == "picture"))


CAMERA = Measurand("camera", "camera", _cameras, lambda setup, camera: (_physical(setup, camera),), (ELSEWHERE,))

# The way of a step outside, there and back with our own buffers.


def _step_subjects(setup: Setup) -> Iterator[Ids]:
    return iter(dict.fromkeys(path_ids(placed.step) for placed in placed_steps(setup)))


def _step_depends(setup: Setup, send: str, back: str, channels: str) -> tuple[object, ...]:
    ends = (_physical(setup, send), _physical(setup, back))
    return setup.rate_hz, setup.block_frames, channels, *ends


def _step_ways(setup: Setup) -> Iterator[Way]:
    captures = capture_channels(setup)
    for i, placed in enumerate(placed_steps(setup)):
        yield Way(path_ids(placed.step), len(setup.listeners) + i, captures.index(placed.comes[0]))


OUTSIDE_STEP = Measurand(
    "outside_step", "way of a step outside", _step_subjects, _step_depends, (*CLOCK_MOVES, ELSEWHERE), _step_ways
)

QUANTITIES = (ROUND_TRIP, PICTURE, CAMERA, OUTSIDE_STEP)
