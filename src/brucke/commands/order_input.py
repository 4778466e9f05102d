"""The running order stepped through from standard input: `next`, `back`, `moment NAME`, `mute`, `silence`, `open`,
`close`."""

import queue
import sys
import threading
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

WORDS = "next, back, moment NAME, mute, silence, open, close"
LONGEST = 300


class OrderInput:
    """`tell(event, **values)` says what came of each line; what is none of `WORDS` is said and changes nothing."""

    def __init__(self, studio: Any, tell: Callable[..., None]):
        self.studio, self.tell = studio, tell
        self._lines: queue.SimpleQueue[str] = queue.SimpleQueue()
        studio.order.came.connect(lambda line: tell("line", at=studio.order.at + 1, kind=line.kind, name=line.name))
        threading.Thread(target=self._read, name="order input", daemon=True).start()

    def _read(self) -> None:
        for line in sys.stdin:
            self._lines.put(line[:LONGEST])

    def look(self) -> None:
        """Do what was asked for since."""
        while not self._lines.empty():
            word, _space, rest = self._lines.get().strip().partition(" ")
            if word:
                self._do(word.lower(), rest.strip())

    def _do(self, word: str, rest: str) -> None:
        from ..core.routing.person import own_microphone

        studio, session = self.studio, self.studio.session
        live, mine = session.live, own_microphone(session.setup)
        moments = {m.name.lower(): m.id for m in session.setup.moments} | {m.id: m.id for m in session.setup.moments}
        if word == "next":
            studio.order.next()
        elif word == "back":
            studio.order.back()
        elif word == "moment" and rest.lower() in moments:
            session.set_live(replace(live, moment=moments[rest.lower()]))
            self.tell("moment", moment=session.live.moment)
        elif word == "silence":
            session.set_live(replace(live, silent=not live.silent))
            self.tell("silence", on=session.live.silent)
        elif word == "mute" and mine is not None:
            session.set_live(replace(live, muted=live.muted ^ {mine.id}))
            self.tell("mute", part=mine.id, on=mine.id in session.live.muted)
        elif word in ("open", "close"):
            studio.running.set_on_air(word == "open")
        else:
            self.tell("refused", line=f"{word} {rest}".strip(), knows=WORDS)
