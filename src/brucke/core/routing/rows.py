"""In which row of the engine's arrays everything stands, by id. What is there keeps its row for as long as it is there,
so that whatever else comes and goes does not disturb it. Pure.
"""

from collections.abc import Sequence
from typing import Generic, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt

from ..document.setup import Part, Setup
from .captures import capture_channels
from .outside_steps import placed_steps

SIDES = 2  # a part that is wider has a row for every two of its channels
REST_S = 0.25  # a row that was left is taken again only after so long: its crossfade has ended by then
# Rows of (parts, listeners) of a running engine; where something has no room any more, it starts anew with the next.
CAPACITIES = ((16, 8), (32, 8), (64, 16))
MAX_DEVICES = 128
K = TypeVar("K")
F32 = npt.NDArray[np.float32]


class Seats(msgspec.Struct, Generic[K], frozen=True):
    """`who` sits in each row, None: nobody; since when (seconds), and how many have sat there."""

    who: tuple[K | None, ...]
    since: tuple[float, ...]
    turns: tuple[int, ...]

    @classmethod
    def of(cls, wanted: Sequence[K], room: int) -> "Seats[K]":
        """In their order, with free rows up to `room`."""
        free = max(0, room - len(wanted))
        return cls((*wanted, *[None] * free), (0.0,) * (len(wanted) + free), (1,) * len(wanted) + (0,) * free)

    def following(self, wanted: Sequence[K], now: float) -> "Seats[K] | None":
        """Who is no longer wanted has left; who is new sits in the first row that is free and has
        rested. None: there is no room."""
        still, here = set(wanted), {w for w in self.who if w is not None}
        who = [w if w in still else None for w in self.who]
        since = [s if w == old else now for w, old, s in zip(who, self.who, self.since, strict=True)]
        turns = list(self.turns)
        free = [i for i, old in enumerate(self.who) if old is None and (not turns[i] or now - since[i] >= REST_S)]
        for new in [w for w in dict.fromkeys(wanted) if w not in here]:
            if not free:
                return None
            i = free.pop(0)
            who[i], since[i], turns[i] = new, now, turns[i] + 1
        return Seats(tuple(who), tuple(since), tuple(turns))

    def tenants(self) -> list[int]:
        """Who sits in each row, as a number that changes with whoever does; 0: nobody."""
        return [t if w is not None else 0 for w, t in zip(self.who, self.turns, strict=True)]


class Order(msgspec.Struct, frozen=True):
    """Rows in a setup's own order: those of each part (none of a picture), of each listener, capture and device; and
    of each step outside, which has a row among the listeners."""

    parts: tuple[tuple[int, ...], ...]
    listeners: tuple[int, ...]
    captures: tuple[int, ...]
    devices: tuple[int, ...]
    steps: tuple[int, ...] = ()


def channels_of(sound: F32, rows: Sequence[int]) -> F32:
    """Of a part in these `rows` of sound [rows, SIDES, n]: [channels, n]."""
    return sound[list(rows)].reshape(-1, sound.shape[2])


def parts_of(of_rows: F32, rows: Sequence[Sequence[int]]) -> F32:
    """Of arrays by row [rows, SIDES, …] those of parts [parts, channels of the widest, …], zeros where one has none.
    `rows`: the rows of each part."""
    wide = SIDES * max([1, *(len(r) for r in rows)])
    made = np.zeros((len(rows), wide, *of_rows.shape[2:]), of_rows.dtype)
    for part, pairs in zip(made, rows, strict=True):
        for k, row in enumerate(pairs):
            part[SIDES * k : SIDES * (k + 1)] = of_rows[row]
    return made


class Rows(msgspec.Struct, frozen=True):
    captures: Seats[tuple[str, int]]
    parts: Seats[tuple[str, int]]  # (id, which two of its channels)
    listeners: Seats[str]
    devices: Seats[str]

    def following(self, setup: Setup, now: float) -> "Rows | None":
        """For another setup; None where it has no room here."""
        captures = self.captures.following(capture_channels(setup), now)
        parts = self.parts.following(_pairs(setup), now)
        listeners = self.listeners.following(_heard(setup), now)
        devices = self.devices.following([d.id for d in setup.devices], now)
        if captures is None or parts is None or listeners is None or devices is None:
            return None
        return Rows(captures, parts, listeners, devices)

    def order(self, setup: Setup) -> Order:
        """KeyError where something of the setup has no row here."""
        captures, parts = _index(self.captures), _index(self.parts)
        listeners, devices = _index(self.listeners), _index(self.devices)
        return Order(
            tuple(tuple(parts[(p.id, k)] for k in range(_pairs_of(p))) for p in setup.parts),
            tuple(listeners[x.id] for x in setup.listeners),
            tuple(captures[c] for c in capture_channels(setup)),
            tuple(devices[d.id] for d in setup.devices),
            tuple(listeners[placed.seat] for placed in placed_steps(setup)),
        )


def _index(seats: Seats[K]) -> dict[K, int]:
    return {w: i for i, w in enumerate(seats.who) if w is not None}


def _pairs_of(part: Part) -> int:
    return 0 if part.kind == "picture" else -(-len(part.channels) // SIDES)


def _pairs(setup: Setup) -> list[tuple[str, int]]:
    return [(p.id, k) for p in setup.parts for k in range(_pairs_of(p))]


def _heard(setup: Setup) -> list[str]:
    return [*(x.id for x in setup.listeners), *(placed.seat for placed in placed_steps(setup))]


def rows_of(setup: Setup, roomy: bool = False) -> Rows:
    """For a setup in its own order; `roomy` with free rows, for what may come while it runs."""
    pairs, heard = _pairs(setup), _heard(setup)
    room = (max(1, len(pairs)), max(1, len(heard)))
    if roomy:
        room = next((c for c in CAPACITIES if len(pairs) <= c[0] and len(heard) <= c[1]), room)
    captures = capture_channels(setup)
    return Rows(
        Seats.of(captures, max(1, SIDES * room[0] if roomy else len(captures))), Seats.of(pairs, room[0]),
        Seats.of(heard, room[1]), Seats.of([d.id for d in setup.devices], MAX_DEVICES),
    )  # fmt: skip
