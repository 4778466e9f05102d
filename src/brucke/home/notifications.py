"""Notifications through the desktop's own service, by its Desktop Notifications Specification."""

from functools import partial
from html import escape
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from .bus import Address, Bus, byte, texts, uint
from .files import APP_ID

SERVICE = Address("org.freedesktop.Notifications", "/org/freedesktop/Notifications", "org.freedesktop.Notifications")
URGENT, NORMAL = 2, 1
LONGEST = 400
ACTION = "act"


class Notifications(QObject):
    """Each by a code: saying it again takes the place of the one before. `acted(code)`: its one action was chosen."""

    acted = pyqtSignal(str)

    def __init__(self, bus: Bus):
        super().__init__()
        self._bus = bus
        self._able: frozenset[str] | None = None  # None: not asked yet, or nobody answered
        self._asking = False
        self._waiting: list[tuple[str, str, str, str, bool]] = []
        self._numbers: dict[str, int] = {}
        self._early: set[Any] = set()  # chosen before the answer came that says whose it is
        bus.listen(SERVICE, "ActionInvoked", self._invoked)
        bus.listen(SERVICE, "NotificationClosed", self._closed)

    def say(self, code: str, title: str, text: str, action: str, urgent: bool = False) -> None:
        """`action` is what its button says. Where nobody shows notifications, nothing happens."""
        self._waiting.append((code, title, text[:LONGEST], action, urgent))
        if self._able is not None:
            self._send()
        elif not self._asking:
            self._asking = True
            self._bus.call(SERVICE, "GetCapabilities", told=self._told_able)

    def _told_able(self, answer: list[Any] | None) -> None:
        self._asking = False
        if answer:
            self._able = frozenset(map(str, answer[0]))
            self._send()
        self._waiting.clear()

    def _send(self) -> None:
        able = self._able or frozenset()
        for code, title, text, action, urgent in self._waiting:
            actions = ["default", action, ACTION, action] if "actions" in able else []
            self._bus.call(
                SERVICE, "Notify", "Brucke", uint(self._numbers.get(code, 0)), APP_ID, title,
                escape(text, quote=False) if "body-markup" in able else text, texts(actions),
                {"urgency": byte(URGENT if urgent else NORMAL), "desktop-entry": APP_ID}, -1,
                told=partial(self._shown, code),
            )  # fmt: skip
        self._waiting.clear()

    def _shown(self, code: str, answer: list[Any] | None) -> None:
        if answer and isinstance(answer[0], int):
            self._numbers[code] = answer[0]
            if answer[0] in self._early:
                self.acted.emit(code)
        self._early.clear()

    def withdraw(self, code: str) -> None:
        """It is so no longer."""
        self._waiting = [w for w in self._waiting if w[0] != code]
        number = self._numbers.pop(code, None)
        if number is not None:
            self._bus.call(SERVICE, "CloseNotification", uint(number))

    def _code(self, number: Any) -> str:
        return next((code for code, n in self._numbers.items() if n == number), "")

    def _invoked(self, said: list[Any]) -> None:
        if len(said) != 2 or said[1] not in ("default", ACTION):
            return
        if code := self._code(said[0]):
            self.acted.emit(code)
        else:
            self._early.add(said[0])

    def _closed(self, said: list[Any]) -> None:
        self._numbers.pop(self._code(said[0]) if said else "", None)
