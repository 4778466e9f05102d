"""Level help: some seconds of the loudest line, and the trim is set so that it peaks where it should."""

import time

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.checks.level_advice import LISTEN_S, level_advice
from ...core.edits.part_edits import set_trim
from ...core.units import gain_to_db
from ...words import timing
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session


class LevelFinder(QObject):
    """`part` is who is listened to, “” while nobody is; `left_s` how long still; `message` the newest outcome."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.part, self.message, self.failed = "", "", False
        self.left_s = 0.0
        self._loudest = 0.0
        self._until = 0.0
        session.replaced.connect(self.cancel)

    def begin(self, part: str, place: str) -> None:
        """`place` is where the trim that is set will be shown."""
        if self.part:
            return
        if self.running.why_silent:
            self._end(self.running.why_silent, True)
            return
        self.part, self.message, self.failed, self._place = part, "", False, place
        self._loudest, self._until, self.left_s = 0.0, time.monotonic() + LISTEN_S, LISTEN_S
        self.changed.emit()

    def cancel(self) -> None:
        if self.part:
            self._end(_("Not set: it was stopped."), True)

    def _end(self, message: str, failed: bool) -> None:
        self.part, self.message, self.failed = "", message, failed
        self.changed.emit()

    def tick(self) -> None:
        """Once a frame: the loudest so far."""
        if not self.part:
            return
        if self.running.state != "running" or all(p.id != self.part for p in self.session.setup.parts):
            self._end(_("Not set: the engine stopped, or the part is gone."), True)
            return
        self._loudest = max(self._loudest, self.running.inputs.peaks.get(self.part, 0.0))
        left = max(0.0, self._until - time.monotonic())
        if left == 0.0:
            self._conclude()
        elif int(left) != int(self.left_s):
            self.left_s = left
            self.changed.emit()

    def _conclude(self) -> None:
        setup, part = self.session.setup, self.session.setup.part(self.part)
        loudest = gain_to_db(self._loudest)
        advice = level_advice(part, loudest)
        if advice.code == "clipped":
            self._end(_("Not set: the input itself is too loud. Turn its own knob down and try again."), True)
        elif advice.code == "nothing":
            self._end(_("Not set: nothing was heard. Is the microphone on, and the right input chosen?"), True)
        else:
            trim = timing.db_text(advice.trim_db)
            said = _("The loudest was {db}; the trim is {trim} now.")
            self._end(said.format(db=timing.dbfs_text(loudest), trim=trim), False)
            after = set_trim(setup, part.id, advice.trim_db)
            where = f"part/{part.id}/0" if self._place == "shape" else f"part/{part.id}"
            self.session.edit(_("{part} trim {trim}").format(part=part.name, trim=trim), after, self._place, where)
