"""What happens in the hour while a take is recorded is kept beside it, on the take's own time."""

import contextlib
from typing import Any

from PyQt6.QtCore import QObject

from ...takes.marks import Mark, save_marks
from ...words.hour_page import event_text
from ...words.translation import _
from ..jobs.background import BackgroundQueue
from ..recording.take_recorder import TakeRecorder
from .hour_log import HourLog

MARK = _("mark {number}")


class TakeMarks(QObject):
    """Also marks that somebody sets by key. What is noted is on the disk at once: a recording may end in any way."""

    def __init__(self, hour: HourLog, taking: TakeRecorder):
        super().__init__()
        self.hour, self.taking = hour, taking
        self._marks: list[Mark] = []
        self._by_key, self._recorded = 0, False
        self._lane = BackgroundQueue("marks")  # a disk may take its time
        hour.noted.connect(self._note)
        taking.changed.connect(self._look)

    def mark(self) -> Mark | None:
        """This moment of the take that is recorded; None where none is."""
        if self.taking.state != "recording":
            return None
        self._by_key += 1
        return self._add(MARK.format(number=self._by_key))

    def _note(self, event: dict[str, Any]) -> None:
        if self.taking.state == "recording":
            says = event_text(self.hour.session.setup, event)
            if says:
                self._add(says)

    def _add(self, says: str) -> Mark:
        mark = Mark(at_s=round(self.taking.seconds_recorded, 2), says=says)
        self._marks.append(mark)
        folder, marks = self.taking.folder, tuple(self._marks)

        def keep() -> None:
            with contextlib.suppress(OSError):  # that the disk takes nothing is said of the take itself
                save_marks(folder, marks)

        self._lane.do(keep)
        return mark

    def _look(self) -> None:
        recording = self.taking.state == "recording"
        if recording != self._recorded:
            self._marks.clear()
            self._by_key = 0
        self._recorded = recording
