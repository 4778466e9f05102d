"""What the parts of the desktop have in common while a server answers: the connection, and what it told."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from ..core.document.setup import Setup
from ..ports.devices.server.graph import Graph
from ..ports.devices.server.wiring import ServerWiring


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
    states: dict[int, int] = field(default_factory=dict)  # of the nodes that are watched
    watched: dict[int, Any] = field(default_factory=dict)

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
