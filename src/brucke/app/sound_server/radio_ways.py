"""Headsets by radio that change their way by themselves: one goes from music to calls as soon as its microphone is
opened."""

import time

from ...ports.devices.server.graph import Node
from .server_connection import ServerSide

NAMES = "bluez_"  # how nodes of devices by radio begin
TOLD_S = 50.0  # so long a change is news; what it cost in time stays said where delays are


class RadioWays:
    """`changed` by interface: (way before, way now)."""

    def __init__(self) -> None:
        self.changed: dict[str, tuple[str, str]] = {}
        self._ways: dict[str, str] = {}  # by name of a headset, which may be away in between
        self._at: dict[str, float] = {}

    def look(self, side: ServerSide, names: dict[str, tuple[str, str]]) -> list[str]:
        """`names` are what each interface records from and plays to, as the server names them. The interfaces that have
        just changed their way: their sound takes another time now."""
        now, moved = time.monotonic(), []
        for device, (_source, sink) in names.items():
            way = _way_of(side, side.graph.node(sink)) if sink.startswith(NAMES) else ""
            before = self._ways.get(sink)
            if not way or way == before:
                continue
            self._ways[sink] = way
            if before is None:
                continue
            moved.append(device)
            first = self.changed.pop(device, (before, ""))[0]
            if first != way:
                self.changed[device], self._at[device] = (first, way), now
        for device in [d for d in self.changed if d not in names or now - self._at[d] > TOLD_S]:
            del self.changed[device]
        return moved


def _way_of(side: ServerSide, node: Node | None) -> str:
    """“a2dp-sink (sbc)”; “” while it is not there or nothing has been told of it."""
    if node is None:
        return ""
    side.watch({node.id})
    return side.radio.get(node.id, "")
