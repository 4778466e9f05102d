"""Every change of a part's chain the interface can make. Pure: Setup -> Setup."""

from typing import Any

from msgspec.structs import replace

from .part_edits import change_part
from .processors import MAX_SLOTS, Processor, held
from .setup import Setup


def _with_chain(setup: Setup, part: str, chain: tuple[Processor, ...]) -> Setup:
    return change_part(setup, part, chain=chain)


def add_processor(setup: Setup, part: str, processor: Processor) -> Setup:
    """One more at the end; a full chain stays as it is."""
    chain = setup.part(part).chain
    return setup if len(chain) >= MAX_SLOTS else _with_chain(setup, part, (*chain, processor))


def remove_processor(setup: Setup, part: str, slot: int) -> Setup:
    chain = setup.part(part).chain
    return _with_chain(setup, part, chain[:slot] + chain[slot + 1 :])


def move_processor(setup: Setup, part: str, slot: int, by: int) -> Setup:
    chain = list(setup.part(part).chain)
    to = min(max(slot + by, 0), len(chain) - 1)
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


def shape_band(setup: Setup, part: str, slot: int, band: int, shape: str) -> Setup:
    """Bell or shelf."""
    equaliser: Any = setup.part(part).chain[slot]
    bands = tuple(replace(b, shape=shape) if i == band else b for i, b in enumerate(equaliser.bands))
    return change_processor(setup, part, slot, bands=bands)


def switch_all(setup: Setup, part: str, on: bool) -> Setup:
    """Bypass every processor, or none."""
    return _with_chain(setup, part, tuple(replace(p, on=on) for p in setup.part(part).chain))
