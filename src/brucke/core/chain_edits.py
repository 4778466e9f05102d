"""Every change of a part's chain the interface can make. Pure: Setup -> Setup."""

from typing import Any

from msgspec.structs import replace

from .part_edits import change_part
from .processors import MAX_SLOTS, NoiseRemoval, Processor, held
from .setup import Setup
from .sound.noise_profile import NoiseProfile


def _with_chain(setup: Setup, part: str, chain: tuple[Processor, ...]) -> Setup:
    return change_part(setup, part, chain=chain)


def add_processor(setup: Setup, part: str, processor: Processor) -> Setup:
    """One more at the end, noise removal at the beginning; a full chain stays as it is."""
    chain = setup.part(part).chain
    if len(chain) >= MAX_SLOTS or (isinstance(processor, NoiseRemoval) and _first_slot(chain)):
        return setup
    if isinstance(processor, NoiseRemoval):
        newest = setup.profiles[-1].name if setup.profiles else ""
        return _with_chain(setup, part, (replace(processor, profile=newest), *chain))
    return _with_chain(setup, part, (*chain, processor))


def _first_slot(chain: tuple[Processor, ...]) -> int:
    """The first slot that others may take: noise removal always stands before them."""
    return 1 if chain and isinstance(chain[0], NoiseRemoval) else 0


def remove_processor(setup: Setup, part: str, slot: int) -> Setup:
    chain = setup.part(part).chain
    return _with_chain(setup, part, chain[:slot] + chain[slot + 1 :])


def move_processor(setup: Setup, part: str, slot: int, by: int) -> Setup:
    chain = list(setup.part(part).chain)
    first = _first_slot(tuple(chain))
    if slot < first:
        return setup
    to = min(max(slot + by, first), len(chain) - 1)
    chain.insert(to, chain.pop(slot))
    return _with_chain(setup, part, tuple(chain))


def change_processor(setup: Setup, part: str, slot: int, **fields: Any) -> Setup:
    """Numbers are held to their ranges."""
    chain = list(setup.part(part).chain)
    changed = replace(chain[slot], **fields)
    numbers = {f: held(changed, f) for f in fields if isinstance(fields[f], float)}
    chain[slot] = replace(changed, **numbers)
    return _with_chain(setup, part, tuple(chain))


def change_band(setup: Setup, part: str, slot: int, band: int, **fields: float) -> Setup:
    """One band of an equaliser."""
    equaliser: Any = setup.part(part).chain[slot]
    changed = replace(equaliser.bands[band], **fields)
    changed = replace(changed, **{f: held(changed, f) for f in fields})
    bands = tuple(changed if i == band else b for i, b in enumerate(equaliser.bands))
    return change_processor(setup, part, slot, bands=bands)


def keep_profile(setup: Setup, part: str, profile: NoiseProfile) -> Setup:
    """A profile that was learnt, in place of one of the same name, and taken out of this part."""
    others = tuple(p for p in setup.profiles if p.name != profile.name)
    setup = replace(setup, profiles=(*others, profile))
    return change_processor(setup, part, 0, profile=profile.name)


def forget_profile(setup: Setup, name: str) -> Setup:
    """Without it; whoever took it out takes nothing out."""
    parts = tuple(
        replace(p, chain=(replace(p.chain[0], profile=""), *p.chain[1:]))
        if p.chain and isinstance(p.chain[0], NoiseRemoval) and p.chain[0].profile == name
        else p
        for p in setup.parts
    )
    return replace(setup, parts=parts, profiles=tuple(p for p in setup.profiles if p.name != name))


def shape_band(setup: Setup, part: str, slot: int, band: int, shape: str) -> Setup:
    """Bell or shelf."""
    equaliser: Any = setup.part(part).chain[slot]
    bands = tuple(replace(b, shape=shape) if i == band else b for i, b in enumerate(equaliser.bands))
    return change_processor(setup, part, slot, bands=bands)


def switch_all(setup: Setup, part: str, on: bool) -> Setup:
    """Bypass every processor, or none."""
    return _with_chain(setup, part, tuple(replace(p, on=on) for p in setup.part(part).chain))
