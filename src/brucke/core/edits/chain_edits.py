"""Every change of a chain the interface can make. Pure: Setup -> Setup.

A chain belongs to a part or to a listener; its `owner` is “part/ID” or “listener/ID”.
"""

from typing import Any

from msgspec.structs import replace

from ..document.setup import Listener, Part, Setup
from ..sound.noise_profile import NoiseProfile
from ..sound.processors import (
    MAX_OUTSIDE,
    MAX_PLUG_INS,
    MAX_SLOTS,
    Gain,
    Limiter,
    NoiseRemoval,
    OutsideStep,
    PlugIn,
    Processor,
    held,
)
from .part_edits import change_part

Chain = tuple[Processor, ...]


def owner_of(thing: Part | Listener) -> str:
    return f"{'part' if isinstance(thing, Part) else 'listener'}/{thing.id}"


def owned(setup: Setup, owner: str) -> Part | Listener:
    """Whose chain it is. KeyError where it is gone."""
    kind, _, id = owner.partition("/")
    return setup.part(id) if kind == "part" else setup.listener(id)


def chain_of(setup: Setup, owner: str) -> Chain:
    return owned(setup, owner).chain


def _change(setup: Setup, owner: str, **fields: Any) -> Setup:
    kind, _, id = owner.partition("/")
    if kind == "part":
        return change_part(setup, id, **fields)
    return replace(setup, listeners=tuple(replace(x, **fields) if x.id == id else x for x in setup.listeners))


def set_chain(setup: Setup, owner: str, chain: Chain) -> Setup:
    """All of it at once. At a listener noise removal is left out: noise is taken out where it comes in. Every plug-in
    gets a place of its own; what finds none is left out."""
    chain = _placed(setup, owner, chain)
    if not owner.startswith("part/"):
        chain = tuple(p for p in chain if not isinstance(p, NoiseRemoval))
    return _change(setup, owner, chain=chain[:MAX_SLOTS])


MOST = {PlugIn: MAX_PLUG_INS, OutsideStep: MAX_OUTSIDE}  # of what has a place of its own beside the engine


def _placed(setup: Setup, owner: str, chain: Chain) -> Chain:
    things: tuple[Part | Listener, ...] = (*setup.parts, *setup.listeners)
    others = [p for x in things if owner_of(x) != owner for p in x.chain if isinstance(p, PlugIn | OutsideStep)]
    taken = {kind: {p.place for p in others if type(p) is kind} for kind in MOST}
    placed: list[Processor] = []
    for p in chain:
        if isinstance(p, PlugIn | OutsideStep):
            own, most = taken[type(p)], MOST[type(p)]
            if p.place in own or not 0 <= p.place < most:
                free = next((i for i in range(most) if i not in own), None)
                if free is None:
                    continue
                p = replace(p, place=free)
            own.add(p.place)
        placed.append(p)
    return tuple(placed)


def give_places(setup: Setup) -> Setup:
    """After chains were copied: the same, with a place of its own for every plug-in and every step outside."""
    seen: set[tuple[type, int]] = set()
    things: tuple[Part | Listener, ...] = (*setup.parts, *setup.listeners)
    for thing in things:
        if _places(thing.chain) & seen:
            setup = set_chain(setup, owner_of(thing), thing.chain)
        seen |= _places(chain_of(setup, owner_of(thing)))
    return setup


def _places(chain: Chain) -> set[tuple[type, int]]:
    return {(type(p), p.place) for p in chain if isinstance(p, PlugIn | OutsideStep)}


def plug_ins(setup: Setup) -> dict[int, tuple[str, PlugIn]]:
    """By place: whose chain it is in, and the plug-in."""
    things: tuple[Part | Listener, ...] = (*setup.parts, *setup.listeners)
    return {p.place: (owner_of(x), p) for x in things for p in x.chain if isinstance(p, PlugIn)}


def set_plug_in(setup: Setup, owner: str, slot: int, key: str, value: float) -> Setup:
    """One of its settings, held to 0…1."""
    p: Any = chain_of(setup, owner)[slot]
    value = min(max(value, 0.0), 1.0)
    changed = tuple(replace(x, value=value) if x.key == key else x for x in p.parameters)
    return change_processor(setup, owner, slot, parameters=changed)


def add_processor(setup: Setup, owner: str, processor: Processor) -> Setup:
    """One more at the end, noise removal at the beginning; a full chain stays as it is."""
    chain = chain_of(setup, owner)
    if len(chain) >= MAX_SLOTS or (isinstance(processor, NoiseRemoval) and _first_slot(chain)):
        return setup
    if isinstance(processor, NoiseRemoval):
        newest = setup.profiles[-1].name if setup.profiles else ""
        return set_chain(setup, owner, (replace(processor, profile=newest), *chain))
    return set_chain(setup, owner, (*chain, processor))


def _first_slot(chain: Chain) -> int:
    """The first slot that others may take: noise removal always stands before them."""
    return 1 if chain and isinstance(chain[0], NoiseRemoval) else 0


def remove_processor(setup: Setup, owner: str, slot: int) -> Setup:
    chain = chain_of(setup, owner)
    return set_chain(setup, owner, chain[:slot] + chain[slot + 1 :])


def move_processor(setup: Setup, owner: str, slot: int, by: int) -> Setup:
    chain = list(chain_of(setup, owner))
    first = _first_slot(tuple(chain))
    if slot < first:
        return setup
    to = min(max(slot + by, first), len(chain) - 1)
    chain.insert(to, chain.pop(slot))
    return set_chain(setup, owner, tuple(chain))


def change_processor(setup: Setup, owner: str, slot: int, **fields: Any) -> Setup:
    """Numbers are held to their ranges."""
    chain = list(chain_of(setup, owner))
    changed = replace(chain[slot], **fields)
    numbers = {f: held(changed, f) for f in fields if isinstance(fields[f], float)}
    chain[slot] = replace(changed, **numbers)
    return set_chain(setup, owner, tuple(chain))


def change_band(setup: Setup, owner: str, slot: int, band: int, **fields: float) -> Setup:
    """One band of an equaliser."""
    equaliser: Any = chain_of(setup, owner)[slot]
    changed = replace(equaliser.bands[band], **fields)
    changed = replace(changed, **{f: held(changed, f) for f in fields})
    bands = tuple(changed if i == band else b for i, b in enumerate(equaliser.bands))
    return change_processor(setup, owner, slot, bands=bands)


def shape_band(setup: Setup, owner: str, slot: int, band: int, shape: str) -> Setup:
    """Bell or shelf."""
    equaliser: Any = chain_of(setup, owner)[slot]
    bands = tuple(replace(b, shape=shape) if i == band else b for i, b in enumerate(equaliser.bands))
    return change_processor(setup, owner, slot, bands=bands)


# Two versions


def other_version(setup: Setup, owner: str) -> Setup:
    """From version A to B and back. The first time B begins as A is."""
    thing = owned(setup, owner)
    chain = thing.chain if thing.other_chain is None else thing.other_chain
    version = "B" if thing.version == "A" else "A"
    setup = _change(setup, owner, other_chain=thing.chain, version=version)
    return set_chain(setup, owner, chain)


def keep_version(setup: Setup, owner: str) -> Setup:
    """Only the version in force, as A."""
    return _change(setup, owner, other_chain=None, version="A")


# Noise profiles


def keep_profile(setup: Setup, owner: str, profile: NoiseProfile) -> Setup:
    """A profile that was learnt, in place of one of the same name, and taken out of this sound where noise removal
    still stands."""
    others = tuple(p for p in setup.profiles if p.name != profile.name)
    setup = replace(setup, profiles=(*others, profile))
    if not _first_slot(chain_of(setup, owner)):  # taken away while it was learnt
        return setup
    return change_processor(setup, owner, 0, profile=profile.name)


def forget_profile(setup: Setup, name: str) -> Setup:
    """Without it; whoever took it out takes nothing out."""

    def without(chain: Chain | None) -> Any:
        if chain and isinstance(chain[0], NoiseRemoval) and chain[0].profile == name:
            return (replace(chain[0], profile=""), *chain[1:])
        return chain

    def cleared(thing: Any) -> Any:
        return replace(thing, chain=without(thing.chain), other_chain=without(thing.other_chain))

    return replace(
        setup, parts=tuple(map(cleared, setup.parts)), listeners=tuple(map(cleared, setup.listeners)),
        profiles=tuple(p for p in setup.profiles if p.name != name),
    )  # fmt: skip


# Loudness at a listener


def set_target(setup: Setup, listener: str, lufs: float) -> Setup:
    return _change(setup, f"listener/{listener}", target_lufs=round(min(max(lufs, -40.0), -6.0), 1))


def gain_slot(chain: Chain) -> int:
    """Where its first gain that is on stands, −1 without one."""
    return next((i for i, p in enumerate(chain) if isinstance(p, Gain) and p.on), -1)


def bring_to_target(setup: Setup, listener: str, by_db: float) -> Setup:
    """So much louder or softer as a whole, by a gain with a limiter behind it; what is there already is used."""
    owner = f"listener/{listener}"
    chain = chain_of(setup, owner)
    if gain_slot(chain) < 0:
        behind = next((i for i, p in enumerate(chain) if isinstance(p, Limiter)), len(chain))
        chain = (*chain[:behind], Gain(), *chain[behind:])
    gain = gain_slot(chain)
    if not any(isinstance(p, Limiter) and p.on for p in chain[gain:]):
        chain = (*chain, Limiter())
    if len(chain) > MAX_SLOTS:
        return setup
    setup = set_chain(setup, owner, chain)
    now: Any = chain[gain]
    return change_processor(setup, owner, gain, gain_db=round(now.gain_db + by_db, 1))
