"""Undo and redo as keys ask for them: at once, and where many were asked for while the last one was still being shown,
all of those together."""

import time

from PyQt6.QtCore import QObject, QTimer

from .session import Session

FRESH_S = 0.05  # asked for sooner after the last was shown, it may be one of many that wait


class UndoRequests(QObject):
    """`fresh_s` is FRESH_S; 0 takes every step by itself."""

    def __init__(self, session: Session, fresh_s: float = FRESH_S):
        super().__init__()
        self.session, self.fresh_s = session, fresh_s
        self._waiting = 0  # forth, back below zero
        self._shown = -fresh_s
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(0)  # after the keys that wait already
        self._timer.timeout.connect(self._take)

    def back(self) -> None:
        self._ask(-1)

    def forth(self) -> None:
        self._ask(1)

    def _ask(self, by: int) -> None:
        self._waiting += by
        if time.monotonic() - self._shown >= self.fresh_s and not self._timer.isActive():
            self._take()
        elif not self._timer.isActive():
            self._timer.start()

    def _take(self) -> None:
        steps, self._waiting = self._waiting, 0
        if steps < 0:
            self.session.undo(-steps)
        elif steps > 0:
            self.session.redo(steps)
        self._shown = time.monotonic()
