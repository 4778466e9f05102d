"""The desktop's buses: nobody waits for an answer, and nothing fails where there is none."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

import msgspec
from PyQt6.QtCore import QMetaType, QObject, pyqtSlot
from PyQt6.QtDBus import QDBusArgument, QDBusConnection, QDBusMessage, QDBusPendingCallWatcher, QDBusPendingReply

ANSWER_MS = 3000
SYSTEM_SOCKET = Path("/run/dbus/system_bus_socket")
Told = Callable[[list[Any] | None], None]


class Address(msgspec.Struct, frozen=True):
    """Of an object on a bus."""

    service: str
    path: str
    interface: str


def uint(number: int) -> QDBusArgument:
    return QDBusArgument(number, QMetaType.Type.UInt.value)  # type: ignore[call-overload]


def byte(number: int) -> QDBusArgument:
    return QDBusArgument(number, QMetaType.Type.UChar.value)  # type: ignore[call-overload]


def texts(several: list[str]) -> QDBusArgument:
    return QDBusArgument(several, QMetaType.Type.QStringList.value)  # type: ignore[call-overload]


def _arguments(message: QDBusMessage) -> list[Any] | None:
    """None where something in it has a type that nothing here asks for."""
    try:
        return list(message.arguments())
    except TypeError:
        return None


class _Listener(QObject):
    """Of one signal."""

    def __init__(self, heard: Callable[[list[Any]], None], parent: QObject):
        super().__init__(parent)
        self._heard = heard

    @pyqtSlot(QDBusMessage)
    def came(self, message: QDBusMessage) -> None:
        said = _arguments(message)
        if said is not None:
            self._heard(said)


def _address(which: Literal["session", "system"]) -> str:
    """Where it is, “” where there is none: one is never started."""
    said = os.environ.get(f"DBUS_{which.upper()}_BUS_ADDRESS", "")
    socket = SYSTEM_SOCKET if which == "system" else Path(os.environ.get("XDG_RUNTIME_DIR", "/nowhere"), "bus")
    return said or (f"unix:path={socket}" if socket.exists() else "")


class Bus(QObject):
    """The user's own (“session”), or the computer's."""

    def __init__(self, which: Literal["session", "system"]):
        super().__init__()
        self._name = f"brucke-{which}-{id(self)}"
        self._connection: QDBusConnection | None = None
        self._listeners: dict[tuple[Address, str], _Listener] = {}
        self._asked: set[QDBusPendingCallWatcher] = set()
        if address := _address(which):
            self._connection = QDBusConnection.connectToBus(address, self._name)

    def end(self) -> None:
        """Nothing is heard or answered any more."""
        if self._connection is not None:
            self._connection = None
            QDBusConnection.disconnectFromBus(self._name)

    @property
    def there(self) -> bool:
        return self._connection is not None and self._connection.isConnected()

    def call(self, to: Address, method: str, *arguments: Any, told: Told | None = None) -> None:
        """`told` gets what was answered, None where nobody did or it was refused."""
        if self._connection is None or not self.there:
            if told is not None:
                told(None)
            return
        message = QDBusMessage.createMethodCall(to.service, to.path, to.interface, method)
        message.setArguments(list(arguments))
        watcher = QDBusPendingCallWatcher(self._connection.asyncCall(message, ANSWER_MS), self)
        self._asked.add(watcher)
        watcher.finished.connect(lambda done: self._answered(done, told))

    def _answered(self, watcher: QDBusPendingCallWatcher, told: Told | None) -> None:
        reply = QDBusPendingReply(watcher)
        answer = None if reply.isError() else _arguments(reply.reply())
        self._asked.discard(watcher)
        watcher.deleteLater()
        if told is not None:
            told(answer)

    def listen(self, to: Address, signal: str, heard: Callable[[list[Any]], None]) -> None:
        """`heard` gets what comes with every `signal`."""
        if self._connection is not None and (to, signal) not in self._listeners:
            listener = self._listeners[to, signal] = _Listener(heard, self)
            self._connection.connect(to.service, to.path, to.interface, signal, listener.came)
