"""One setup with what another one had more: for the moment in which things leave, and for a take in which they were
heard."""

from collections.abc import Sequence
from typing import Protocol, TypeVar

from msgspec.structs import replace

from ..document.setup import Setup


class _Named(Protocol):
    @property
    def id(self) -> str: ...


T = TypeVar("T", bound=_Named)


def _left(after: Sequence[T], before: Sequence[T]) -> tuple[T, ...]:
    ids = {x.id for x in after}
    return tuple(x for x in before if x.id not in ids)


def together(after: Setup, before: Setup) -> Setup:
    """`after`, and behind it the devices, parts, listeners and their routes that only `before` has."""
    parts, listeners = _left(after.parts, before.parts), _left(after.listeners, before.listeners)
    gone = {p.id for p in parts}, {x.id for x in listeners}
    routes = tuple(r for r in before.routes if r.part in gone[0] or r.listener in gone[1])
    return replace(
        after, devices=(*after.devices, *_left(after.devices, before.devices)), parts=(*after.parts, *parts),
        listeners=(*after.listeners, *listeners), routes=(*after.routes, *routes),
    )  # fmt: skip
