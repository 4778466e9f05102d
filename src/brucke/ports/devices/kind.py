"""What a kind of device has to offer, so that sound of the real world goes through it.

A kind is one file with a `Wiring` of its own and a `Kind`, and one line in `opening.py`.
"""

from collections.abc import Callable
from typing import Protocol

import msgspec

from ...core.document.setup import Setup
from ...core.errors import BruckeError
from ...core.routing.rows import Order
from .port import Port
from .rings import RingPort

# (missing, latency in, latency out in seconds as the open device reports them, dropouts, frames it wants at a time or 0
# where
# that is a block, the rate in Hz it insists on or 0 where that is the one asked for), whenever one changed.
Told = Callable[[bool, float, float, int, int, int], None]


MARK = "brucke.pid"  # by which our own streams and modules are known at a server


class DeviceError(BruckeError, ValueError):
    """Why a device cannot be used, in one sentence that names it."""

    code = "device"


class Found(msgspec.Struct, frozen=True):
    """One device that can play and record. Latencies in seconds as it states them for interactive use; None where it
    says nothing of itself."""

    name: str
    inputs: int | None = None
    outputs: int | None = None
    rate_hz: float | None = None
    in_s: float | None = None
    out_s: float | None = None


class WiringBase(msgspec.Struct, frozen=True, kw_only=True, tag_field="kind"):
    """How devices of a setup are opened together, and what goes in and out of them; read by the engine's process.

    `name` is what it is called where it is found, `devices` their rows. Each kind's own adds `check` and `port`, see
    `Wired`.
    """

    name: str
    devices: tuple[int, ...]


class Wired(Protocol):
    """A wiring of any kind."""

    @property
    def name(self) -> str: ...

    @property
    def devices(self) -> tuple[int, ...]: ...

    def check(self, rate_hz: int) -> None:
        """Errors: DeviceError with the reason why it cannot be opened so."""
        ...

    def port(self, rest: RingPort, block: int, rate: int, told: Told) -> Port:
        """The device as a port, everybody else behind `rest`."""
        ...

    def can_follow(self, before: "Wired") -> bool:
        """Whether a port that was opened as `before` can go on as this without a gap."""
        ...


class Kind(msgspec.Struct, frozen=True):
    """`found` lists what there is now (errors: DeviceError); `wiring` is how a setup goes through a device of this kind
    with its things in these rows, None where it does not."""

    found: Callable[[], list[Found]]
    wiring: Callable[[Setup, Order], Wired | None]
