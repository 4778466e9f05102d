"""Keep what just happened: the last two minutes of every part and listener, in memory only until somebody keeps them.

Off unless it is chosen; never while a far end is routed to anybody, and nothing of before is left once one is.
"""

import shutil
import time
from concurrent.futures import Future
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QSettings, pyqtSignal

from ...core.routing.recording import far_ends_routed
from ...engine.processes.child import Child, end_child, spawn
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import KeepRemembered, Remember, Remembered, RememberedFailed, RememberedKept
from ...engine.processes.region import Head
from ...takes.take import Take, TakeError, save_take
from ...words.recordings import CANNOT_REMEMBER
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..jobs.background import BackgroundQueue
from ..session.session import Session
from .kept_tracks import rows_kept, take_of
from .take_folders import keep, own_folder, takes_folder
from .take_recorder import TakeRecorder

SPAN_S = 120
MOST_BYTES = 512 * 2**20
SAMPLE_BYTES = 4
LEAST_S = 1.0
LOOKS_S = 0.25


class JustHappened(QObject):
    """`state`: off (not chosen), waits (`why`, a code of `words/recordings.py`), remembers, keeping. `most_s` seconds
    are remembered at most, in `bytes`."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, taking: TakeRecorder, settings: QSettings):
        super().__init__()
        self.session, self.running, self.taking, self._settings = session, running, taking, settings
        self.state, self.why = "off", ""
        self.most_s = 0.0
        self.bytes = 0
        self._child: Child | None = None
        self._link: EngineLink | None = None
        self._rows: dict[str, list[int]] = {}
        self._first: int | None = None  # the first frame that is remembered, as its process tells
        self._looked = 0.0
        self._aside = BackgroundQueue("last minutes")
        self._made: Future[Path] | None = None
        self._kept: Future[Take] | None = None
        self._folder = Path()
        session.changed.connect(self._look)  # a far end that is routed ends it at once

    @property
    def chosen(self) -> bool:
        return bool(self._settings.value("remember", False, bool))

    def choose(self, on: bool) -> None:
        self._settings.setValue("remember", on)
        self._look()

    @property
    def seconds(self) -> float:
        """How much is remembered now."""
        if self._first is None or self._link is None:
            return 0.0
        return min(self.most_s, max(0, self._link.get(Head.RECORDED) - self._first) / self._link.shape.rate)

    def tick(self) -> None:
        now = time.monotonic()
        self._hear()
        if self.state == "keeping":
            self._go_on_keeping()
        if now - self._looked >= LOOKS_S:
            self._looked = now
            self._look()

    def _hindered(self) -> str:
        """Why nothing is remembered although it was chosen."""
        if far_ends_routed(self.session.setup):
            return "far_end"
        if self.running.link is None or self.running.state != "running":
            return "silent"
        if self.taking.state in ("starting", "recording", "finishing"):
            return "recording"
        return ""

    def _look(self) -> None:
        why = self._hindered() if self.chosen else ""
        if not self.chosen or why:
            if self.state != "keeping":
                self._forget()
                self._set("waits" if why else "off", why)
            elif self._child is not None:  # what was asked to be kept is completed, and nothing more comes to it
                self._child.channel.send(Remember(tracks={}, frames=0))
                self._rows = {}
            return
        link = self.running.link
        assert link is not None
        kept = rows_kept(link, self.session.setup, ())
        rows = {name: r for name, r in kept.items() if not name.startswith("processed/")}
        if self.state == "keeping":
            return
        if self._child is None or not self._child.alive or link is not self._link or rows != self._rows:
            self._forget()
            self._begin(link, rows)
        if self._first is not None:
            self._set("remembers")
        else:
            self._set("waits", "nothing")

    def _begin(self, link: EngineLink, rows: dict[str, list[int]]) -> None:
        count = sum(len(r) for r in rows.values())
        if not count:
            return
        frames = min(SPAN_S * link.shape.rate, MOST_BYTES // (SAMPLE_BYTES * count))
        self._link, self._rows, self._first = link, rows, None
        self.most_s, self.bytes = frames / link.shape.rate, SAMPLE_BYTES * count * frames
        self._child = spawn("last minutes", "brucke.engine.processes.last_minutes", link.region, (), ())
        self._child.channel.send(Remember(tracks=rows, frames=frames))

    def _forget(self) -> None:
        child, self._child = self._child, None
        self._rows, self._first = {}, None
        if child is not None:
            end_child(child)

    def keep(self) -> None:
        """What is remembered becomes a recording; it goes on being remembered where that fails."""
        if self.state == "keeping":
            return
        if self.state != "remembers" or self.seconds < LEAST_S or self._child is None:
            self.session.noticed.emit(CANNOT_REMEMBER[self.why or ("off" if not self.chosen else "nothing")], "amber")
            return
        session, begun = self.session, datetime.now(UTC) - timedelta(seconds=self.seconds)
        take = replace(take_of(session, session.setup), date=begun.isoformat(timespec="seconds"), processed={})
        there = {f"{name}.wav" for name in self._rows}  # and nothing else is in it
        take = replace(
            take, parts={p: f for p, f in take.parts.items() if f in there},
            listeners={x: f for x, f in take.listeners.items() if f in there},
        )  # fmt: skip
        home, name = takes_folder(session), begun.astimezone().strftime("%Y-%m-%d %H.%M.%S")

        def make() -> Path:
            folder = own_folder(home, name)
            save_take(folder, take)
            return folder

        self._made, self._kept = self._aside.do(make), None
        self._set("keeping")

    def _go_on_keeping(self) -> None:
        child = self._child
        if self._made is not None:
            if self._made.done():
                made, self._made = self._made, None
                self._ask(made)
        elif self._kept is not None:
            if self._kept.done():
                self._take_in(self._kept)
        elif child is None or not child.alive:
            self._not_kept(_("what remembered it has ended, and it is gone"))

    def _hear(self) -> None:
        child = self._child
        while child is not None and (message := child.channel.receive()) is not None:
            match message:
                case Remembered():
                    self._first = message.first if self._rows else None
                case RememberedKept():
                    self._kept = self._aside.do(partial(keep, Path(message.folder), []))
                case RememberedFailed():
                    self._not_kept(message.reason)

    def _ask(self, made: "Future[Path]") -> None:
        try:
            self._folder = made.result()
        except OSError as e:
            self._folder = Path()
            self._not_kept((e.strerror or str(e)).lower())
            return
        if self._child is None:
            self._not_kept(_("what remembered it has ended, and it is gone"))
        else:
            self._child.channel.send(KeepRemembered(folder=str(self._folder)))

    def _not_kept(self, why: str) -> None:
        """Nothing half written stays, as long as all of it is remembered still; else that is all there is of it."""
        folder = self._folder
        still = self._child is not None and self._child.alive
        if still and folder != Path():
            self._aside.do(lambda: shutil.rmtree(folder, ignore_errors=True))
        more = _(" It is remembered still.") if still else ""
        self.session.noticed.emit(_("Not kept: {why}.{more}").format(why=why, more=more), "coral")
        self._set("remembers" if still else "waits", "" if still else "silent")

    def _take_in(self, kept: "Future[Take]") -> None:
        self._kept = None
        self._set("remembers")
        try:
            kept.result()
        except (TakeError, OSError) as e:  # its sound is whole on the disk, and in memory no more
            said = _("The recording cannot be completed: {why}. What was written is in {folder}.")
            self.session.noticed.emit(said.format(why=e, folder=self._folder), "coral")
            return
        self.taking.take_back(self._folder)
        self.session.noticed.emit(_("Kept in {folder}.").format(folder=self._folder), "water")

    def _set(self, state: str, why: str = "") -> None:
        if (state, why) != (self.state, self.why):
            self.state, self.why = state, why
            self.changed.emit()

    def close(self) -> None:
        """What is remembered is gone; what is being kept is waited for by nobody."""
        self._forget()
        self._aside.close()
