"""Silence, mutes and moments from any thread, in force with the next block, also while the window's thread is busy.

What was asked for and the session does not know yet lies over everything that the window tells the engine meanwhile.
"""

import threading
import time
from typing import NamedTuple

from msgspec.structs import replace
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from ...core.control.pressed_controls import Phase
from ...core.document.setup import Setup
from ...core.routing.person import own_microphone
from ...engine.step.live import Live
from ..engine.live_engine import LiveEngine
from ..session.session import Session

HELD_S = 0.3  # a control that is let go sooner was tapped


class LiveAct(NamedTuple):
    """`silence`, `mute_me` as they are to be, or `moment_3`."""

    id: str
    value: bool = True


def lives(setup: Setup, live: Live, act: LiveAct) -> Live:
    """`live` after one act. Pure; what the setup has nothing for changes nothing."""
    if act.id == "silence":
        return replace(live, silent=act.value)
    if act.id == "mute_me":
        mine = own_microphone(setup)
        if mine is None:
            return live
        return replace(live, muted=live.muted | {mine.id} if act.value else live.muted - {mine.id})
    number = int(act.id.removeprefix("moment_"))
    return replace(live, moment=setup.moments[number - 1].id) if number <= len(setup.moments) else live


def is_so(setup: Setup, live: Live, id: str) -> bool:
    """Whether what an act brings about is so now."""
    if id == "silence":
        return live.silent
    if id == "mute_me":
        mine = own_microphone(setup)
        return mine is not None and mine.id in live.muted
    number = int(id.removeprefix("moment_"))
    return number <= len(setup.moments) and live.moment == setup.moments[number - 1].id


class LiveActs(QObject):
    """`done(id)` once the session knows it, in the window's thread."""

    done = pyqtSignal(str)
    _came = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self._lock = threading.Lock()
        self._waiting: dict[str, LiveAct] = {}  # the last one about each thing: each says how it is to be
        self._pressed: dict[str, tuple[float, bool]] = {}  # since when, and what it was changed to
        self._came.connect(self._settle, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        running.with_acts = self.over

    def over(self, live: Live) -> Live:
        """`live` with everything that was asked for and that the session does not know yet. Any thread."""
        setup = self.session.setup
        for act in tuple(self._waiting.values()):
            live = lives(setup, live, act)
        return live

    def do(self, id: str, phase: Phase, value: bool | None = None) -> None:
        """Any thread. Without a `value` silence and mutes change over; a control that mutes and is held does so for as
        long as it is held."""
        with self._lock:
            now_so = is_so(self.session.setup, self.over(self.session.live), id)
            if phase == "up":
                since, changed_to = self._pressed.pop(id, (0.0, now_so))
                if id != "mute_me" or time.monotonic() - since <= HELD_S or now_so != changed_to:
                    return
                value = not changed_to
            elif value is None:
                value = True if id.startswith("moment_") else not now_so
                self._pressed[id] = time.monotonic(), value
            self._waiting[id.partition("_")[0]] = LiveAct(id, value)
            try:
                self.running.tell_now()
            finally:
                self._came.emit()

    def _settle(self) -> None:
        """In the window's thread: the session knows, too."""
        with self._lock:
            acts, live = dict(self._waiting), self.over(self.session.live)
        if not acts:
            return
        try:
            if live != self.session.live:
                self.session.set_live(live)
        finally:  # whatever a listener of the session makes of it: it lies over nothing that is told later
            with self._lock:
                for thing, act in acts.items():
                    if self._waiting.get(thing) is act:
                        del self._waiting[thing]
        for act in acts.values():
            self.done.emit(act.id)
