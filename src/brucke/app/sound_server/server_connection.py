"""What the parts of the desktop have in common while a server answers: the connection, and what it told."""

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from ...core.document.setup import Setup
from ...ports.devices.server.graph import Graph
from ...ports.devices.server.wiring import ServerWiring


@dataclass
class ServerSide:
    """`later` does something in our own thread at the next look, whoever asks for it; `metadata` is where a program's
    target is said, None until the server has told of it."""

    connection: Any
    graph: Graph
    setup: Setup
    carried: Setup  # with what has just left
    wiring: ServerWiring | None  # of the engine that runs
    later: Callable[[Callable[[], None]], None]
    metadata: Any = None
    runs: bool = False  # whether an engine carries what comes in
    taken_away: set[int] = field(default_factory=set)  # nodes that were to be gone and still stand in the graph
    complete: bool = False  # whether all that was there has been told
    states: dict[int, int] = field(default_factory=dict)  # of the nodes that are watched
    watched: dict[int, Any] = field(default_factory=dict)
    radio: dict[int, str] = field(default_factory=dict)  # by which way nodes of headsets by radio go

    def watch(self, ids: set[int], heard: Callable[[int, float, bool], None] | None = None) -> None:
        """The states of these nodes from now on, of those already watched as well; what is gone is let go by `gone`."""
        for id in ids - set(self.watched):
            self.watched[id] = self.connection.watch_node(
                id,
                lambda state, properties, id=id: self.later(lambda: self._tell(id, state, properties)),
                None if heard is None else lambda volume, muted, id=id: self.later(lambda: heard(id, volume, muted)),
            )

    def _tell(self, id: int, state: int, properties: dict[str, str]) -> None:
        if id not in self.watched:
            return
        self.states[id] = state
        if properties:  # the server tells them only where they are new
            self.graph.wishes[id] = properties.get("filter.want", "")
            self.radio[id] = radio_way(properties)

    def gone(self, id: int) -> None:
        """The server has ended a thing; the next one may have the same number."""
        self.graph.gone(id)
        watched = self.watched.pop(id, None)
        if watched is not None:
            if watched is self.metadata:  # the session manager has ended
                self.metadata = None
            self.connection.end(watched)
        self.states.pop(id, None)
        self.graph.wishes.pop(id, None)
        self.radio.pop(id, None)


class Told:
    """What the library's thread tells, done in ours; `wake` is called where nothing was waiting before."""

    def __init__(self, wake: Callable[[], None]):
        self._wake = wake
        self._waiting: deque[Callable[[], None]] = deque()

    def append(self, do: Callable[[], None]) -> None:
        was_waiting = bool(self._waiting)
        self._waiting.append(do)
        if not was_waiting:
            self._wake()

    def __bool__(self) -> bool:
        return bool(self._waiting)

    def do_all(self) -> None:
        while self._waiting:
            self._waiting.popleft()()

    def clear(self) -> None:
        self._waiting.clear()


def radio_way(properties: dict[str, str]) -> str:
    """“a2dp-sink (sbc)” of a node of a headset by radio, “” of another one. PipeWire's properties, from memory."""
    profile, codec = (properties.get(f"api.bluez5.{what}", "") for what in ("profile", "codec"))
    return f"{profile} ({codec})" if profile and codec else profile
