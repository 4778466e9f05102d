"""Names and ids that are not taken yet."""

import re
from collections.abc import Collection

from ..document.setup import IN_THE_ROOM


def free_id(name: str, taken: Collection[str]) -> str:
    """A short word made of `name` that is not in `taken`."""
    base = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:40] or "x"
    if base not in taken and base != IN_THE_ROOM:
        return base
    return next(f"{base}_{i}" for i in range(2, 10_000) if f"{base}_{i}" not in taken)


def free_name(name: str, taken: Collection[str]) -> str:
    """“Voice”, or “Voice 2” where there is one."""
    if name not in taken:
        return name
    stem = re.sub(r" \d+$", "", name)
    return next(f"{stem} {i}" for i in range(2, 10_000) if f"{stem} {i}" not in taken)
