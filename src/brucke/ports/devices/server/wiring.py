"""What of a setup goes through the desktop's sound server, by the names its ports have there.

A device whose `card` is SERVER is of this computer: an interface is what the desktop has chosen for playing and
recording, a call, a stream or a program that listens a microphone that others can choose, a program that plays an
output.
"""

from collections.abc import Iterable, Sequence

import msgspec

from ....core.document.setup import MAX_CHANNELS, MAX_LISTENERS, MAX_PARTS, Setup
from ....core.routing.captures import capture_channels
from ....core.routing.outside_steps import placed_steps
from ....core.routing.rows import Order
from ..kind import Found, Kind, Told, Wired, WiringBase
from ..port import Port
from ..rings import RingPort
from ..server_choice import reach, spoken
from .names import NOWHERE, OURS, PLAYED_TO, SERVER, here, in_name, out_name
from .spare import in_use, with_ports


class Made(msgspec.Struct, frozen=True):
    """A node that we make for others to choose, a microphone or an output; `of` is its listener or its device, or the
    seat of a `step` outside, whose microphone has no door."""

    of: str
    node: str
    shown: str
    output: bool
    channels: int
    step: bool = False


def made(setup: Setup) -> tuple[Made, ...]:
    """A microphone for every call, stream and program that listens, an output for every program that plays; both for a
    program that is a step outside."""
    found = []
    for x in setup.listeners:
        if here(setup.device(x.device)) and x.kind not in ("monitor", "recorder"):
            found.append(Made(x.id, f"{OURS}{x.id}", f"Brucke · {x.name}", False, x.channels))
    steps = placed_steps(setup)
    for placed in steps:
        d = setup.device(placed.step.send_device)
        if here(d) and d.kind != "interface":
            found.append(Made(placed.seat, f"{OURS}{placed.seat}", f"Brucke · to {d.name}", False, 2, step=True))
    for d in setup.devices:
        parts = [p for p in setup.parts if p.device == d.id and p.channels]
        back = [c for placed in steps for device, c in placed.comes if device == d.id]
        if here(d) and d.kind != "interface" and (parts or back):
            wide = 1 + max([*back, *(c for p in parts for c in p.channels)])
            name = parts[0].name if parts else f"from {d.name}"
            found.append(Made(d.id, f"{PLAYED_TO}{d.id}", f"Brucke · {name}", True, wide))
    return tuple(found)


def nowhere(wanted: Iterable[Made], sinks: Sequence[object]) -> list[Made]:
    """An output that leads nowhere, where there is no other one but ours: a session manager makes anything its default,
    and what a mail or a game plays would come into the stream."""
    outputs = [m for m in wanted if m.output]
    return [Made("", NOWHERE, "Brucke · nothing is plugged in", True, 2)] if outputs and not sinks else []


class ServerWiring(WiringBase, frozen=True, kw_only=True, tag="server"):
    """`inputs` are (row of the captures, what comes there), `outputs` (row of the listener, channel, what goes out
    there), see `names.py`."""

    inputs: tuple[tuple[int, str], ...]
    outputs: tuple[tuple[int, int, str], ...]

    @property
    def come(self) -> tuple[int, ...]:
        return tuple(row for row, _ in self.inputs)

    @property
    def go(self) -> tuple[tuple[int, int], ...]:
        return tuple((x, c) for x, c, _ in self.outputs)

    def check(self, rate_hz: int) -> None:
        reach()

    def port(self, rest: RingPort, block: int, rate: int, told: Told) -> Port:
        from .port import ServerPort

        return ServerPort(self, rest, block, rate, told)

    def can_follow(self, before: Wired) -> bool:
        """Where what is new has a port to spare."""
        if not isinstance(before, ServerWiring):
            return False
        opened = with_ports(before, MAX_PARTS * MAX_CHANNELS, MAX_LISTENERS)
        return all(wanted <= there for wanted, there in zip(in_use(self), opened, strict=True))


def server_wiring(setup: Setup, order: Order) -> ServerWiring | None:
    """None where no device of a setup is of this computer."""
    ids = {d.id for d in setup.devices if here(d)}
    if not ids:
        return None
    devices = tuple(row for row, d in zip(order.devices, setup.devices, strict=True) if d.id in ids)
    captures = zip(order.captures, capture_channels(setup), strict=True)
    inputs = tuple((row, in_name(d, c)) for row, (d, c) in captures if d in ids)
    outputs = tuple(
        (row, c, out_name(x.id, c))
        for row, x in zip(order.listeners, setup.listeners, strict=True)
        if x.device in ids
        for c in range(x.channels)
    )
    outputs += tuple(
        (row, c, out_name(placed.seat, c))
        for row, placed in zip(order.steps, placed_steps(setup), strict=True)
        if placed.step.send_device in ids and setup.device(placed.step.send_device).kind != "interface"
        for c in range(2)
    )
    return ServerWiring(name=SERVER, devices=devices, inputs=inputs, outputs=outputs)


def _found() -> list[Found]:
    return [Found(SERVER)] if spoken(anew=True) else []  # a sound card may still be there


SERVERS = Kind(_found, server_wiring)
