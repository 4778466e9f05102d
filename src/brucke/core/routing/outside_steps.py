"""The steps of a setup's chains that stand outside: where each goes out and comes back, and what is wrong with that."""

from collections.abc import Iterator

import msgspec

from ..document.setup import Listener, Part, Setup
from ..sound.processors.outside_step import OutsideStep


class Placed(msgspec.Struct, frozen=True):
    """A step that goes somewhere; `owner` is “part/ID” or “listener/ID”, `slot` its place in that chain."""

    owner: str
    slot: int
    step: OutsideStep

    @property
    def seat(self) -> str:
        """What its row among the engine's listeners is called; no listener has such an id."""
        return f"step.{self.step.place}"

    @property
    def comes(self) -> list[tuple[str, int]]:
        """(device, channel) of its two captures."""
        return [(self.step.return_device, c) for c in self.step.return_channels]


def placed_steps(setup: Setup) -> list[Placed]:
    """In the order of the document; only those that have both ends."""
    devices = {d.id for d in setup.devices}
    things: tuple[tuple[str, Part | Listener], ...] = (
        *((f"part/{p.id}", p) for p in setup.parts),
        *((f"listener/{x.id}", x) for x in setup.listeners),
    )
    return [
        Placed(owner, slot, p)
        for owner, thing in things
        for slot, p in enumerate(thing.chain)
        if isinstance(p, OutsideStep) and {p.send_device, p.return_device} <= devices
    ]


def path_ids(step: OutsideStep) -> tuple[str, ...]:
    """Of its way out and back, whoever's chain it is in."""
    return step.send_device, step.return_device, f"{step.send_channel}-{step.return_channels[0]}"


def circles(setup: Setup) -> Iterator[tuple[Placed, str]]:
    """(step, part) where the step comes back in what goes into it: that part is captured from the step's own return
    and heard in its chain."""
    for placed in placed_steps(setup):
        kind, _, id = placed.owner.partition("/")
        returned = set(placed.comes)
        for part in setup.parts:
            if not returned & {(part.device, c) for c in part.channels}:
                continue
            into = part.id == id if kind == "part" else (route := setup.route(part.id, id)) is not None and route.on
            if into:
                yield placed, part.id


def shared_returns(setup: Setup) -> Iterator[tuple[Placed, Placed]]:
    """Two steps that come back on one channel, or go out on one: what is of which cannot be told."""
    steps = placed_steps(setup)
    for i, a in enumerate(steps):
        for b in steps[i + 1 :]:
            out = a.step.send_device == b.step.send_device and abs(a.step.send_channel - b.step.send_channel) < 2
            program = setup.device(a.step.send_device).kind != "interface"
            same_out = a.step.send_device == b.step.send_device and (program or out)
            if same_out or set(a.comes) & set(b.comes):
                yield a, b
