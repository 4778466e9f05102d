"""How many ports the engine's node has: some before anybody needs them, so that none has to come to a node that plays.
The server (0.3.65) has ended while one did; whether the port alone was why is not known, see `docs/method.md`."""

from typing import Protocol

SPARE_CAPTURES, SPARE_LISTENERS = 16, 8  # rows beyond those in use


class Ends(Protocol):
    """`come` are rows of the captures that are read from the server, `go` (row of a listener, channel) that are given
    to it."""

    @property
    def come(self) -> tuple[int, ...]: ...
    @property
    def go(self) -> tuple[tuple[int, int], ...]: ...


def in_use(ends: Ends) -> tuple[int, int]:
    """How many rows of (captures, listeners) are reached."""
    return 1 + max(ends.come, default=-1), 1 + max((x for x, _ in ends.go), default=-1)


def with_ports(ends: Ends, captures: int, listeners: int) -> tuple[int, int]:
    """How many rows have ports, where there are so many captures and listeners at most."""
    come, go = in_use(ends)
    return min(captures, come + SPARE_CAPTURES), min(listeners, go + SPARE_LISTENERS)
