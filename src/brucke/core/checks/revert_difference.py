"""One difference between two setups undone, and nothing else."""

from typing import Any

from msgspec.structs import replace

from ..document.differences import LISTS, Difference, item_key
from ..document.setup import Setup
from ..storage.setup_problems import problems


def put_back(now: Setup, then: Setup, d: Difference) -> Setup | None:
    """`now` with what `d` says as it was `then`; None where that would not be a whole setup by itself (a route to
    somebody who has left)."""
    after = _put_back(now, then, d)
    return None if after == now or next(iter(problems(after)), None) is not None else after


def _put_back(now: Setup, then: Setup, d: Difference) -> Setup:
    if d.thing == "setup":
        return replace(now, **{d.field: d.before})
    field = next(f for f, thing in LISTS.items() if thing == d.thing)
    items = list(getattr(now, field))
    if d.field == "order":
        order = {id: i for i, id in enumerate(d.before)}
        items.sort(key=lambda x: order.get(item_key(d.thing, x), len(order)))
    elif d.field:
        items = [replace(x, **{d.field: d.before}) if item_key(d.thing, x) == d.id else x for x in items]
    elif d.before is None:
        items = [x for x in items if item_key(d.thing, x) != d.id]
    else:
        items.insert(min(_place(then, field, d), len(items)), d.before)
    return replace(now, **{field: tuple(items)})


def _place(then: Setup, field: str, d: Difference) -> int:
    some: list[Any] = list(getattr(then, field))
    return next((i for i, x in enumerate(some) if item_key(d.thing, x) == d.id), len(some))
