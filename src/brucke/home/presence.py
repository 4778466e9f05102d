"""Whether anybody sits here: sleep and wake, a locked session, another user's turn, as the desktop's services tell
it."""

import os
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from .bus import Address, Bus
from .staying_awake import BRUCKE, LOGIN, descriptor_in

PROPERTIES = "org.freedesktop.DBus.Properties"
SESSION = "org.freedesktop.login1.Session"
SAVERS = (
    Address("org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver", "org.freedesktop.ScreenSaver"),
    Address("org.gnome.ScreenSaver", "/org/gnome/ScreenSaver", "org.gnome.ScreenSaver"),
)
WHY = "closes what is open before the computer sleeps"


class Presence(QObject):
    """`sleeps`: it goes to sleep as soon as `may_sleep` is called, and soon without; `woke`; `locked`; `left`: another
    user's session is in front. That it is over changes nothing here."""

    sleeps = pyqtSignal()
    woke = pyqtSignal()
    locked = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, session: Bus, system: Bus):
        super().__init__()
        self._system = system
        self._delay: int | None = None
        self._is_locked = self._is_away = False
        self._path = ""
        system.listen(LOGIN, "PrepareForSleep", self._prepare)
        for saver in SAVERS:
            session.listen(saver, "ActiveChanged", lambda said: self._see_locked(bool(said and said[0])))
        mine = os.environ.get("XDG_SESSION_ID") or "auto"
        system.call(LOGIN, "GetSession", mine, told=self._told_session)
        self._hold()

    @property
    def knows_session(self) -> bool:
        """Whether the login service has said which session is ours."""
        return bool(self._path)

    def _told_session(self, answer: list[Any] | None) -> None:
        if not answer or not isinstance(answer[0], str):
            return
        self._path = answer[0]
        session = Address(LOGIN.service, self._path, SESSION)
        self._system.listen(Address(LOGIN.service, self._path, PROPERTIES), "PropertiesChanged", self._changed)
        self._system.listen(session, "Lock", lambda _said: self._see_locked(True))
        self._system.listen(session, "Unlock", lambda _said: self._see_locked(False))

    def _changed(self, said: list[Any]) -> None:
        values = said[1] if len(said) > 1 and isinstance(said[1], dict) else {}
        if isinstance(values.get("LockedHint"), bool):
            self._see_locked(values["LockedHint"])
        if isinstance(values.get("Active"), bool):
            self._see_away(not values["Active"])

    def _see_locked(self, is_locked: bool) -> None:
        if is_locked != self._is_locked:
            self._is_locked = is_locked
            if is_locked:
                self.locked.emit()

    def _see_away(self, is_away: bool) -> None:
        if is_away != self._is_away:
            self._is_away = is_away
            if is_away:
                self.left.emit()

    # Sleep

    def _hold(self) -> None:
        """So that there is time to close before it sleeps."""
        self._system.call(LOGIN, "Inhibit", "sleep", BRUCKE, WHY, "delay", told=self._held)

    def _held(self, answer: list[Any] | None) -> None:
        self.may_sleep()
        self._delay = descriptor_in(answer)

    def _prepare(self, said: list[Any]) -> None:
        if said and said[0] is True:
            self.sleeps.emit()
        elif said:
            self._hold()
            self.woke.emit()

    def may_sleep(self) -> None:
        if self._delay is not None:
            os.close(self._delay)
            self._delay = None
