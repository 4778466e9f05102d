"""Every change that another computer leads to: what is taken from it, and what it takes. Pure: Setup -> Setup.

A stream from there is a part here, a stream to there a listener; both say by `at_peer` which one. “part:ID” is a part
of whoever sends it, “listener:ID” a listener of whoever receives it.
"""

from collections.abc import Iterable

from msgspec.structs import replace

from ..document.setup import MAX_LISTENERS, MAX_PARTS, Device, Listener, Part, Setup
from ..network.control_messages import Offered
from .listener_edits import new_device, remove_listener, without_unused_devices
from .naming import free_id, free_name
from .part_edits import free_colour, remove_part
from .route_edits import set_on

PART, LISTENER = "part:", "listener:"
PLAIN = "rtp:"  # with its address, the `card` of a program that speaks plain RTP
STREAM = "stream"  # it has one each way, of no name
MOST_PAIRS = 64


def device_of_peer(setup: Setup, peer: str) -> Device | None:
    """The other computer as a device of this setup; None where nothing is taken or given."""
    return next((d for d in setup.devices if d.kind == "peer" and d.card == peer), None)


def _with_device(setup: Setup, peer: str, name: str) -> tuple[Setup, Device]:
    found = device_of_peer(setup, peer)
    if found is not None:
        return setup, found
    setup, made = new_device(setup, "peer", name)
    made = replace(made, card=peer)
    return replace(setup, devices=(*setup.devices[:-1], made)), made


def _title(setup: Setup, title: str) -> str:
    return free_name(title, [p.name for p in setup.parts] + [x.name for x in setup.listeners])


def _add_part(setup: Setup, peer: str, name: str, title: str, key: str, channels: int) -> tuple[Setup, Part | None]:
    """A part that comes from there; None where there is no room."""
    if len(setup.parts) >= MAX_PARTS:
        return setup, None
    setup, device = _with_device(setup, peer, name)
    used = {c // 2 for p in setup.parts if p.device == device.id for c in p.channels}
    first = 2 * next(k for k in range(MOST_PAIRS) if k not in used)
    title = _title(setup, title)
    part = Part(
        id=free_id(title, {p.id for p in setup.parts}), name=title, kind="lead", source="peer", device=device.id,
        channels=(first, first + 1) if channels == 2 else (first,), colour=free_colour(setup), at_peer=key,
    )  # fmt: skip
    return replace(setup, parts=(*setup.parts, part)), part


def _add_listener(setup: Setup, peer: str, name: str, title: str, key: str) -> tuple[Setup, Listener | None]:
    """A listener that is sent there and gets nothing yet; None where there is no room."""
    if len(setup.listeners) >= MAX_LISTENERS:
        return setup, None
    setup, device = _with_device(setup, peer, name)
    title = _title(setup, title)
    listener = Listener(
        id=free_id(title, {x.id for x in setup.listeners}), name=title, kind="program", device=device.id, at_peer=key
    )
    return replace(setup, listeners=(*setup.listeners, listener)), listener


def take_from_peer(setup: Setup, peer: str, name: str, thing: Offered) -> Setup:
    """A part of theirs that is heard here in the monitors and recorded, or a listener of theirs that gets every part of
    ours that is no far end. As it was where it is taken already, or where there is no room."""
    if thing.key in taken_keys(setup, peer):
        return setup
    if thing.key.startswith(PART):
        title = f"{thing.name} · {name}"
        after, part = _add_part(setup, peer, name, title, thing.key, thing.channels)
        if part is None:
            return setup
        for x in after.listeners:
            hears = x.kind in ("monitor", "recorder") and x.device != part.device  # nobody there gets their own back
            after = set_on(after, part.id, x.id, hears)
        return after
    after, listener = _add_listener(setup, peer, name, f"{thing.name} · {name}", thing.key)
    if listener is None:
        return setup
    device = listener.device
    for p in after.parts:
        ours = p.kind in ("lead", "follower") and p.device != device and p.source != "count_in"
        after = set_on(after, p.id, listener.id, ours)
    return after


def leave_at_peer(setup: Setup, peer: str, key: str) -> Setup:
    """Without what was taken from there under this key."""
    device = device_of_peer(setup, peer)
    if device is None:
        return setup
    for p in [p for p in setup.parts if p.device == device.id and p.at_peer == key and key.startswith(PART)]:
        setup = remove_part(setup, p.id)
    for x in [x for x in setup.listeners if x.device == device.id and x.at_peer == key and key.startswith(LISTENER)]:
        setup = remove_listener(setup, x.id)
    return without_unused_devices(setup)


def taken_keys(setup: Setup, peer: str) -> tuple[str, ...]:
    """What of theirs is taken here."""
    device = device_of_peer(setup, peer)
    if device is None:
        return ()
    parts = (p.at_peer for p in setup.parts if p.device == device.id and p.at_peer.startswith(PART))
    listeners = (x.at_peer for x in setup.listeners if x.device == device.id and x.at_peer.startswith(LISTENER))
    return tuple(dict.fromkeys((*parts, *listeners)))


def given_keys(setup: Setup, peer: str) -> tuple[str, ...]:
    """What of ours is taken there."""
    device = device_of_peer(setup, peer)
    if device is None:
        return ()
    listeners = (x.at_peer for x in setup.listeners if x.device == device.id and x.at_peer.startswith(PART))
    parts = (p.at_peer for p in setup.parts if p.device == device.id and p.at_peer.startswith(LISTENER))
    return tuple(dict.fromkeys((*listeners, *parts)))


def give_to_peer(setup: Setup, peer: str, name: str, keys: Iterable[str]) -> Setup:
    """Of ours these are taken there, and nothing else: a listener there for each of our parts, a part from there for
    each of our listeners. What is not in the setup is left out."""
    wanted = tuple(dict.fromkeys(keys))
    setup = _take_back(setup, peer, wanted)
    for key in [k for k in wanted if k not in given_keys(setup, peer)]:
        kind, _, id = key.partition(":")
        if kind == "part":
            setup = _give_part(setup, peer, name, id)
        elif kind == "listener":
            setup = _give_listener(setup, peer, name, id)
    return setup


def _give_part(setup: Setup, peer: str, name: str, id: str) -> Setup:
    part = next((p for p in setup.parts if p.id == id and p.kind != "picture"), None)
    if part is None:
        return setup
    after, listener = _add_listener(setup, peer, name, f"{part.name} → {name}", f"{PART}{id}")
    return setup if listener is None else set_on(after, id, listener.id, True)


def _give_listener(setup: Setup, peer: str, name: str, id: str) -> Setup:
    listener = next((x for x in setup.listeners if x.id == id), None)
    if listener is None:
        return setup
    after, part = _add_part(setup, peer, name, f"{name} → {listener.name}", f"{LISTENER}{id}", 2)
    return setup if part is None else set_on(after, part.id, id, True)


def _take_back(setup: Setup, peer: str, wanted: tuple[str, ...]) -> Setup:
    device = device_of_peer(setup, peer)
    if device is None:
        return setup
    for x in setup.listeners:
        if x.device == device.id and x.at_peer.startswith(PART) and x.at_peer not in wanted:
            setup = remove_listener(setup, x.id)
    for p in setup.parts:
        if p.device == device.id and p.at_peer.startswith(LISTENER) and p.at_peer not in wanted:
            setup = remove_part(setup, p.id)
    return without_unused_devices(setup)


def listener_at_program(setup: Setup, card: str, name: str) -> Setup:
    """A listener at a program that speaks plain RTP, which gets every part of ours; as it was where there is one."""
    if f"{LISTENER}{STREAM}" in taken_keys(setup, card):
        return setup
    return take_from_peer(setup, card, name, Offered(key=f"{LISTENER}{STREAM}", name="RTP"))


def part_of_program(setup: Setup, card: str, name: str) -> Setup:
    """The part that comes from there; as it was where there is one."""
    return take_from_peer(setup, card, name, Offered(key=f"{PART}{STREAM}", name="RTP"))


def offerable(setup: Setup) -> tuple[tuple[str, str], ...]:
    """(key, name) of everything of ours that another computer may be offered: no picture, nothing that comes from
    another computer or goes there."""
    others = {d.id for d in setup.devices if d.kind == "peer"}
    parts = [(f"{PART}{p.id}", p.name) for p in setup.parts if p.kind != "picture" and p.device not in others]
    listeners = [(f"{LISTENER}{x.id}", x.name) for x in setup.listeners if x.device not in others]
    return tuple(parts + listeners)
