"""Every change of parts the interface can make. Pure: Setup -> Setup."""

from typing import Any

from msgspec.structs import replace

from ..document.ranges import held_to
from ..document.setup import MAX_PARTS, DeviceKindCode, Part, PartKind, Setup, Source, Track
from .listener_edits import add_listener, device_for, drop_part_from_moment, without_unused_devices
from .naming import free_id, free_name
from .route_edits import set_on

KIND_OF: dict[Source, PartKind] = {
    "microphone": "follower", "instrument": "follower", "mix": "lead", "bypass": "lead", "track": "lead",
    "count_in": "lead", "program": "lead", "computer": "lead", "far_end": "far_end", "camera": "picture",
}  # fmt: skip
DEVICE_OF: dict[Source, DeviceKindCode] = {
    "microphone": "interface", "instrument": "interface", "mix": "workstation", "bypass": "workstation",
    "track": "player", "count_in": "player", "program": "program", "computer": "computer", "far_end": "call",
    "camera": "camera",
}  # fmt: skip
# Which channels of its device a part takes in; None: the next one that is free.
CHANNELS_OF: dict[Source, tuple[int, ...] | None] = {
    "microphone": None, "instrument": None, "mix": (0, 1), "bypass": (2, 3), "track": (0, 1), "count_in": (2,),
    "program": (0, 1), "computer": (0, 1), "far_end": (0,), "camera": (),
}  # fmt: skip
MODES = ("mono", "stereo", "swapped", "left to both", "right to both")


def add_part(setup: Setup, source: Source, name: str, device_name: str) -> Setup:
    """One more part, wired as such a part usually is: everything of it can be changed afterwards."""
    if len(setup.parts) >= MAX_PARTS:
        return setup
    if source == "far_end" and not any(x.kind == "call" for x in setup.listeners):
        setup = add_listener(setup, "call", device_name, device_name)
    setup, device = device_for(setup, DEVICE_OF[source], device_name)
    channels = CHANNELS_OF[source]
    if channels is None:
        used = {c for p in setup.parts if p.device == device.id for c in p.channels}
        channels = (next(c for c in range(256) if c not in used),)
    lead = next((p for p in setup.parts if p.kind == "lead"), None)
    monitor = next((x for x in setup.listeners if x.kind == "monitor"), None)
    kind = KIND_OF[source]
    part = Part(
        id=free_id(name, {p.id for p in setup.parts}), name=free_name(name, [p.name for p in setup.parts]),
        kind=kind, source=source, device=device.id, channels=channels, colour=free_colour(setup),
        timebase=device.id if source in ("mix", "bypass", "track", "count_in") else "",
        follows=lead.id if kind == "follower" and lead else "",
        hears_at=monitor.id if kind == "follower" and monitor else "",
        hears_itself="monitor" if source == "instrument" else "room",
        shows=_shown(setup) if kind == "picture" else "",
        returns_from=_call_of(setup, device.id) if kind == "far_end" else "",
        count_in_beats=4 if source == "count_in" else 0,
    )  # fmt: skip
    setup = replace(setup, parts=(*setup.parts, part))
    for listener in setup.listeners:
        setup = set_on(setup, part.id, listener.id, _usually(source, listener.kind))
    return setup


def _usually(source: Source, listener: str) -> bool:
    """Who hears such a part until somebody decides. Nobody hears a microphone or an instrument before they are asked,
    and no recorder people at a far end."""
    if source in ("microphone", "instrument"):
        return False
    if source == "camera":
        return listener == "stream"
    if source == "count_in":
        return listener == "monitor"
    return listener == "monitor" or source != "far_end"


def free_colour(setup: Setup) -> int:
    used = [p.colour for p in setup.parts]
    return min(range(8), key=lambda c: (used.count(c), c))


def _shown(setup: Setup) -> str:
    return next((p.id for p in setup.parts if p.kind == "follower"), setup.parts[0].id if setup.parts else "")


def _call_of(setup: Setup, device: str) -> str:
    return next((x.id for x in setup.listeners if x.device == device), "")


def change_part(setup: Setup, part: str, **fields: Any) -> Setup:
    return replace(setup, parts=tuple(replace(p, **fields) if p.id == part else p for p in setup.parts))


def rename_part(setup: Setup, part: str, name: str) -> Setup:
    return change_part(setup, part, name=name.strip()[:120] or setup.part(part).name)


def duplicate_part(setup: Setup, part: str) -> Setup:
    """The same again, heard by the same; a microphone takes the next free input."""
    if len(setup.parts) >= MAX_PARTS:
        return setup
    old = setup.part(part)
    at = setup.parts.index(old) + 1
    new = replace(
        old, id=free_id(old.name, {p.id for p in setup.parts}), name=free_name(old.name, [p.name for p in setup.parts]),
        colour=free_colour(setup), channels=_next_channels(setup, old),
    )  # fmt: skip
    routes = tuple(replace(r, part=new.id) for r in setup.routes if r.part == part)
    return replace(setup, parts=(*setup.parts[:at], new, *setup.parts[at:]), routes=(*setup.routes, *routes))


def _next_channels(setup: Setup, part: Part) -> tuple[int, ...]:
    if part.source not in ("microphone", "instrument"):
        return part.channels
    used = {c for p in setup.parts if p.device == part.device for c in p.channels}
    first = max(used) + 1
    low = min(part.channels)
    return tuple(min(255, first + c - low) for c in part.channels)


def remove_part(setup: Setup, part: str) -> Setup:
    """Without it, its routes and whatever spoke of it."""
    parts = tuple(
        replace(p, follows="" if p.follows == part else p.follows, shows="" if p.shows == part else p.shows)
        for p in setup.parts
        if p.id != part
    )
    moments = tuple(replace(m, routes=drop_part_from_moment(m.routes, part)) for m in setup.moments)
    routes = tuple(
        replace(r, duck=None) if r.duck is not None and r.duck.under == part else r
        for r in setup.routes
        if r.part != part
    )
    return without_unused_devices(replace(setup, parts=parts, moments=moments, routes=routes))


def move_part(setup: Setup, part: str, by: int) -> Setup:
    """Up or down in the order."""
    parts = list(setup.parts)
    at = next(i for i, p in enumerate(parts) if p.id == part)
    to = min(max(at + by, 0), len(parts) - 1)
    parts.insert(to, parts.pop(at))
    return replace(setup, parts=tuple(parts))


def mode_of(part: Part) -> str:
    """One of MODES, or “as mapped” for more than two channels."""
    c = part.channels
    if len(c) == 1:
        return "mono"
    if len(c) != 2:
        return "as mapped"
    if c[0] == c[1]:
        return "right to both" if c[0] % 2 else "left to both"
    return "stereo" if c[1] > c[0] else "swapped"


def set_mode(setup: Setup, part: str, mode: str) -> Setup:
    """Mono, stereo, swapped, or one side carried to both; maps that no longer fit go back to the plain one."""
    p = setup.part(part)
    low = min(p.channels) // 2 * 2 if len(p.channels) != 1 else p.channels[0]
    left, right = (
        (low, low + 1) if low % 2 == 0 else (low - 1, low)
    )  # pairs begin with even numbers, so 255 is the last right side
    channels = {
        "mono": (p.channels[0],), "stereo": (left, right), "swapped": (right, left),
        "left to both": (left, left), "right to both": (right, right),
    }[mode]  # fmt: skip
    return set_channels(setup, part, channels)


def set_channels(setup: Setup, part: str, channels: tuple[int, ...]) -> Setup:
    routes = tuple(
        replace(r, map=tuple(m for m in r.map if m.source < len(channels))) if r.part == part else r
        for r in setup.routes
    )
    return change_part(replace(setup, routes=routes), part, channels=channels)


def set_trim(setup: Setup, part: str, trim_db: float) -> Setup:
    return change_part(setup, part, trim_db=round(held_to("Part", "trim_db", trim_db), 1))


# Backing tracks


def add_tracks(setup: Setup, part: str, files: list[str]) -> Setup:
    """Files beside the setup at the end of the list; the first of them is chosen."""
    p = setup.part(part)
    known = {t.file for t in p.tracks}
    new = tuple(Track(file=f) for f in files if f not in known)
    if not new:
        return setup
    tracks = (*p.tracks, *new)
    return choose_track(change_part(setup, part, tracks=tracks), part, len(p.tracks))


def choose_track(setup: Setup, part: str, index: int) -> Setup:
    """Which one plays. It is this part exactly on the beat, so takes are measured against it."""
    p = setup.part(part)
    index = min(max(index, 0), len(p.tracks) - 1)
    return change_part(setup, part, track=index, beat_source=p.tracks[index].file)


def change_track(setup: Setup, part: str, index: int, **fields: Any) -> Setup:
    tracks = tuple(replace(t, **fields) if i == index else t for i, t in enumerate(setup.part(part).tracks))
    return change_part(setup, part, tracks=tracks)


def remove_track(setup: Setup, part: str, index: int) -> Setup:
    p = setup.part(part)
    tracks = tuple(t for i, t in enumerate(p.tracks) if i != index)
    setup = change_part(setup, part, tracks=tracks, track=0, beat_source="")
    return choose_track(setup, part, min(p.track, len(tracks) - 1)) if tracks else setup
