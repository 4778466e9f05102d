"""Whether this desktop has a tray: somebody who shows status items, as the StatusNotifierItem protocol has it."""

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from .bus import Address, Bus

WATCHER = Address("org.kde.StatusNotifierWatcher", "/StatusNotifierWatcher", "org.kde.StatusNotifierWatcher")
PROPERTIES = "org.freedesktop.DBus.Properties"
NAMES = Address("org.freedesktop.DBus", "/org/freedesktop/DBus", "org.freedesktop.DBus")


class TrayHost(QObject):
    """`there` says whether; asked anew whenever somebody comes or goes."""

    changed = pyqtSignal()

    def __init__(self, bus: Bus):
        super().__init__()
        self._bus = bus
        self.there = False
        bus.listen(NAMES, "NameOwnerChanged", self._owner_changed)
        for signal in ("StatusNotifierHostRegistered", "StatusNotifierHostUnregistered"):
            bus.listen(WATCHER, signal, lambda _said: self._ask())
        bus.call(NAMES, "NameHasOwner", WATCHER.service, told=lambda a: self._ask() if a and a[0] else None)

    def _owner_changed(self, said: list[Any]) -> None:
        if len(said) == 3 and said[0] == WATCHER.service:
            if said[2]:
                self._ask()
            else:
                self._see(False)

    def _ask(self) -> None:
        host = Address(WATCHER.service, WATCHER.path, PROPERTIES)
        name = "IsStatusNotifierHostRegistered"
        self._bus.call(host, "Get", WATCHER.interface, name, told=lambda a: self._see(bool(a and a[0] is True)))

    def _see(self, there: bool) -> None:
        if there != self.there:
            self.there = there
            self.changed.emit()
