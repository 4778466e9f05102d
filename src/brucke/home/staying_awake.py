"""Keeps the computer awake through the desktop's own services, and says whether somebody does so.

Two, each for what it can: the login service keeps sleep away (its Inhibitor Lock Interface), the session's screen saver
keeps it from locking and from going to sleep for want of a key (Idle Inhibition Service Draft).
"""

import os
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtDBus import QDBusUnixFileDescriptor

from .bus import Address, Bus, uint

LOGIN = Address("org.freedesktop.login1", "/org/freedesktop/login1", "org.freedesktop.login1.Manager")
SAVER = Address("org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver")
BRUCKE = "Brucke"


def descriptor_in(answer: list[Any] | None) -> int | None:
    """One of our own for what the login service handed out; whoever closes it lets go."""
    given = answer[0] if answer else None
    if not isinstance(given, QDBusUnixFileDescriptor) or not given.isValid():
        return None
    ours = os.dup(given.fileDescriptor())
    given.setFileDescriptor(-1)  # what was handed out is not kept open by whoever still looks at the answer
    return ours


class StayingAwake(QObject):
    """`reason` is why, “” for no longer. `changed`: who keeps it awake now."""

    changed = pyqtSignal()

    def __init__(self, session: Bus, system: Bus):
        super().__init__()
        self._session, self._system = session, system
        self.reason = ""
        self._turn = 0  # of what was asked last; an answer to what was asked before is let go at once
        self._descriptor: int | None = None
        self._cookie: int | None = None
        self._open = 0  # answers that are still to come

    @property
    def kept(self) -> bool:
        """Whether somebody answered that it stays awake."""
        return self._descriptor is not None or self._cookie is not None

    @property
    def asked(self) -> bool:
        """Whether an answer is still to come."""
        return self._open > 0

    def keep(self, reason: str) -> None:
        if reason == self.reason:
            return
        self._let_go()
        self.reason = reason
        self._turn += 1
        if reason:
            self._open = 2
            turn = self._turn
            self._system.call(
                LOGIN, "Inhibit", "sleep:idle", BRUCKE, reason, "block", told=lambda a: self._held(turn, a)
            )
            self._session.call(SAVER, "Inhibit", BRUCKE, reason, told=lambda a: self._paused(turn, a))
        self.changed.emit()

    def _held(self, turn: int, answer: list[Any] | None) -> None:
        descriptor = descriptor_in(answer)
        if turn != self._turn:
            if descriptor is not None:
                os.close(descriptor)
            return
        self._descriptor = descriptor
        self._answered()

    def _paused(self, turn: int, answer: list[Any] | None) -> None:
        cookie = answer[0] if answer and isinstance(answer[0], int) else None
        if turn != self._turn:
            if cookie is not None:
                self._session.call(SAVER, "UnInhibit", uint(cookie))
            return
        self._cookie = cookie
        self._answered()

    def _answered(self) -> None:
        self._open -= 1
        self.changed.emit()

    def _let_go(self) -> None:
        if self._descriptor is not None:
            os.close(self._descriptor)
        if self._cookie is not None:
            self._session.call(SAVER, "UnInhibit", uint(self._cookie))
        self._descriptor = self._cookie = None
        self._open = 0
