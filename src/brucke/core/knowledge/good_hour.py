"""An hour that ended well: what it was, and what is different since."""

from typing import Literal

import msgspec

from ..document.differences import Difference, differences
from ..document.setup import Setup
from .evidence import Knowledge
from .quantities import ROUND_TRIP

LEAST_MIN = 5.0  # open for so long
MOST_DROPOUTS_PER_MIN = 1.0
SAME_S = 0.0001  # round trips nearer than this are one (common practice, no source)


class GoodHour(msgspec.Struct, frozen=True, kw_only=True):
    """`equipment` is what each end was at the computer, as “in/ID” and “out/ID”; `frames` how many the computer gave at
    a time; `round_trips_s` by key; `versions` of what it ran on, by name."""

    date: str
    minutes: float
    setup: Setup
    equipment: dict[str, str] = {}
    frames: int = 0
    round_trips_s: dict[str, float] = {}
    versions: dict[str, str] = {}


class Change(msgspec.Struct, frozen=True):
    """`kind` of what is different; `of` says of what; of the setup itself it is the `difference`."""

    kind: Literal["setup", "equipment", "frames", "round_trip", "version"]
    of: str
    before: str | float | int
    after: str | float | int
    difference: Difference | None = None


def round_trips(setup: Setup, knowledge: Knowledge) -> dict[str, float]:
    """Seconds by key, of those that count."""
    found = {}
    for ids in ROUND_TRIP.subjects(setup):
        m = knowledge.counting(ROUND_TRIP, setup, *ids)
        if m is not None:
            found[ROUND_TRIP.key(*ids)] = m.value_s
    return found


def ended_well(minutes: float, dropouts: int, troubles: int) -> bool:
    """`troubles` are engine restarts, devices that left and recorders that stopped meanwhile."""
    return minutes >= LEAST_MIN and not troubles and dropouts <= MOST_DROPOUTS_PER_MIN * minutes


def _the_same(then: GoodHour, now: GoodHour, d: Difference) -> bool:
    """What nobody hears: names, notes, and by which way a device is found that is what it was."""
    ends = [f"{way}/{d.id}" for way in ("in", "out")]
    found = d.thing == "device" and d.field == "card" and all(now.equipment.get(e) for e in ends)
    return d.field in ("name", "notes") or (found and all(then.equipment.get(e) == now.equipment[e] for e in ends))


def changes(then: GoodHour, now: GoodHour) -> tuple[Change, ...]:
    """What is different, the most audible first. What is not known now, or was not known then, is not called
    different."""
    found = []
    for key in sorted({*then.equipment} & {*now.equipment}):
        before, after = then.equipment[key], now.equipment[key]
        if before and before != after:
            found.append(Change("equipment", key, before, after))
    if then.frames and now.frames and then.frames != now.frames:
        found.append(Change("frames", "", then.frames, now.frames))
    for key in sorted({*then.round_trips_s} & {*now.round_trips_s}):
        before_s, after_s = then.round_trips_s[key], now.round_trips_s[key]
        if abs(before_s - after_s) > SAME_S:
            found.append(Change("round_trip", key, before_s, after_s))
    found += [Change("setup", d.id, 0, 0, d) for d in differences(then.setup, now.setup) if not _the_same(then, now, d)]
    for key in sorted({*then.versions} & {*now.versions}):
        if then.versions[key] != now.versions[key]:
            found.append(Change("version", key, then.versions[key], now.versions[key]))
    return tuple(found)
