"""The hour as a log: lines, moments, who was let hear, what went wrong, dropouts. One JSON line each."""

import contextlib
import json
import os
import time
from collections.abc import Iterable
from concurrent.futures import Future
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from ...core.document.setup import OrderLine
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..jobs.background import BackgroundQueue
from ..session.session import Session
from .running_order import RunningOrder

FORMAT, VERSION = "brucke hour", 1
WRONG = ("coral",)  # the tone of what went wrong
MOST = 20_000  # of one hour, then nothing more
AGAIN_S = 60.0  # the same is not noted twice within that


class HourLog(QObject):
    """`heard_at` is when somebody at a listener last said that they hear it. `events` since Brucke was started, newest
    last: at, what, and what more is known. They are written from the first time somebody is let hear on, into `folder`,
    one file an hour; what does not let itself be written is kept here."""

    changed = pyqtSignal()
    noted = pyqtSignal(dict)
    _not_written = pyqtSignal(str)

    def __init__(self, session: Session, running: LiveEngine, order: RunningOrder, folder: Path):
        super().__init__()
        self.session, self.running, self.folder = session, running, folder
        self.events: list[dict[str, object]] = []
        self.file: Path | None = None
        self._lane = BackgroundQueue("hour log")
        self._noted: dict[str, float] = {}
        self._lost: Path | None = None  # the file of which it was said that it cannot be written
        self._not_written.connect(self._say_not_written, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self._dropouts = 0
        self.heard_at: dict[str, str] = {}
        self._was: tuple[str, bool, bool] = (session.live.moment, False, False)
        order.came.connect(self._line)
        session.noticed.connect(self._said)
        session.stands.connect(lambda text, tone, _holds: self._said(text, tone))
        session.changed.connect(self._look)
        session.replaced.connect(self._begin_anew)

    def _begin_anew(self) -> None:
        """Another document is another hour."""
        self.events, self.file, self.heard_at = [], None, {}
        self.changed.emit()

    def note_heard(self, listeners: Iterable[str]) -> None:
        """Somebody there said that they hear it: known until the door is closed."""
        for id in listeners:
            self.heard_at[id] = f"{datetime.now():%H:%M}"
            self.note("heard", listener=id)

    @property
    def trouble(self) -> tuple[str, str]:
        """(clock, sentence) of what last went wrong; “” where nothing did."""
        last = next((e for e in reversed(self.events) if e["what"] == "wrong"), None)
        return (str(last["at"])[11:16], str(last["says"])) if last is not None else ("", "")

    def note(self, what: str, **more: object) -> None:
        if len(self.events) >= MOST:
            return
        event = {"at": datetime.now().isoformat(timespec="seconds"), "what": what, **more}
        self.events.append(event)
        if self.file is not None:
            self._write(self.file, [event])
        self.noted.emit(event)
        self.changed.emit()

    def _line(self, line: OrderLine) -> None:
        self.note("line", kind=line.kind, name=line.name, moment=self.session.live.moment)

    def _said(self, text: str, tone: str) -> None:
        now = time.monotonic()
        if tone in WRONG and text and now - self._noted.get(text, -AGAIN_S) >= AGAIN_S:
            self._noted[text] = now
            self.note("wrong", says=text)

    def _look(self) -> None:
        live = self.session.live
        moment, on_air, silent = self._was
        self._was = live.moment, live.on_air, live.silent
        if live.on_air and not on_air:
            self._begin()
        if live.moment != moment:
            self.note("moment", moment=live.moment)
        if live.on_air != on_air:
            self.heard_at = {} if on_air else self.heard_at
            self.note("open" if live.on_air else "closed")
        if live.silent != silent:
            self.note("silence" if live.silent else "silence over")

    def tick(self) -> None:
        """Once a frame: dropouts that came since."""
        count = self.running.dropouts
        if count > self._dropouts and self.session.live.on_air:
            self.note("dropouts", blocks=count - self._dropouts)
        self._dropouts = count

    def _begin(self) -> None:
        if self.file is None:
            self.file = self.folder / f"{datetime.now():%Y-%m-%d %H-%M-%S}.jsonl"
            head = {"format": FORMAT, "version": VERSION, "setup": self.session.setup.name}
            self._write(self.file, [head, *self.events])

    def _write(self, file: Path, events: list[dict[str, object]]) -> None:
        text = "".join(json.dumps(e, ensure_ascii=False) + "\n" for e in events)

        def append() -> None:
            file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            with open(file, "a", encoding="utf-8", opener=lambda p, flags: os.open(p, flags, 0o600)) as f:
                f.write(text)

        self._lane.do(append).add_done_callback(self._written)

    def _written(self, answer: "Future[None]") -> None:
        """In the thread that writes."""
        why = answer.exception()
        if isinstance(why, OSError):
            self._not_written.emit(str(why.strerror or why).lower())

    def _say_not_written(self, why: str) -> None:
        """Once an hour; what is noted from then on is kept here, and stands in the page."""
        if self.file is not None and self._lost is not self.file:
            self._lost = self.file
            self.session.noticed.emit(_("The log of the hour cannot be written, {why}.").format(why=why), "amber")

    def close(self) -> None:
        """What is still to be written is, where the disk answers."""
        if self.file is not None:
            with contextlib.suppress(OSError, TimeoutError):
                self._lane.do(lambda: None, 0.0).result(timeout=2.0)
