"""Another computer without a window: both commands have named each other, which is the word of both persons."""

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ..app.network.two_computers import TwoComputers

ASK_AGAIN_S = 3.0


class OpenTo:
    """`look` is called again and again. `tell(event, **values)` says what happens."""

    def __init__(self, two: "TwoComputers", name: str, offer: list[str], tell: Callable[..., None]):
        self._two, self._name, self._tell = two, name, tell
        self._asked, self._there = 0.0, False
        two.agrees_to_ask = lambda id, called: name in (id, called)
        two.open()
        for key in offer:
            two.offer(key, True)

    def look(self) -> None:
        two, now = self._two, time.monotonic()
        known = [n for n in two.neighbours if n.known and self._name in (n.id, n.name)]
        peer = next((p for p in two.sessions.values() if self._name in (p.id, p.name)), None)
        if peer is None and known and now - self._asked > ASK_AGAIN_S and not two.talking.waits:
            self._asked = now
            two.ask(known[0].id)
        there = peer is not None and peer.state.there
        if there != self._there and peer is not None:
            self._there = there
            self._tell(
                "peer_answers" if there else "peer_gone", peer=peer.name, offers=[t.key for t in peer.offer.things]
            )
