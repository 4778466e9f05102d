"""What happens in the hour while a take is recorded is kept beside it, on the take's own time."""

import contextlib
from typing import Any

from PyQt6.QtCore import QObject

from ...takes.marks import Mark, save_marks
from ...words.hour_page import event_text
from ..jobs.background import BackgroundQueue
from ..recording.take_recorder import TakeRecorder
from .hour_log import HourLog


class TakeMarks(QObject):
    def __init__(self, hour: HourLog, taking: TakeRecorder):
        super().__init__()
        self.hour, self.taking = hour, taking
        self._marks: list[Mark] = []
        self._recorded = False
        self._lane = BackgroundQueue("marks")  # a disk may take its time
        hour.noted.connect(self._note)
        taking.changed.connect(self._look)

    def _note(self, event: dict[str, Any]) -> None:
        if self.taking.state == "recording":
            says = event_text(self.hour.session.setup, event)
            if says:
                self._marks.append(Mark(at_s=round(self.taking.seconds_recorded, 2), says=says))

    def _look(self) -> None:
        """Once a recording has ended, what was noted goes into its folder."""
        recording = self.taking.state == "recording"
        if self._recorded and not recording and self._marks:
            folder, marks = self.taking.folder, tuple(self._marks)

            def keep() -> None:
                with contextlib.suppress(OSError):  # that the disk takes nothing is said of the take itself
                    save_marks(folder, marks)

            self._lane.do(keep)
        if recording != self._recorded:
            self._marks.clear()
        self._recorded = recording
