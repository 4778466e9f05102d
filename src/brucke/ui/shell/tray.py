"""The small menu in the desktop's tray, and the mark whose shape says what is so."""

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QMenu, QSystemTrayIcon

from ...words.at_home import mark_text
from ..paint.mark import mark_icon
from .tray_model import Entry, Now, entries, state_of


class Tray(QObject):
    """`asked(id)` is what was chosen, as the model has it."""

    def __init__(self, asked: Callable[[str], None]):
        super().__init__()
        self._asked = asked
        self._shown: tuple[object, ...] = ()
        self._entries: tuple[Entry, ...] = ()
        self.menu = QMenu()
        self.icon = QSystemTrayIcon()
        self.icon.setContextMenu(self.menu)
        self.icon.activated.connect(self._activated)

    def show_now(self, now: Now) -> None:
        state, wanted = state_of(now), entries(now)
        shown = (state, bool(now.trouble), now.hears, now.trouble)
        if shown != self._shown:
            self._shown = shown
            self.icon.setIcon(mark_icon(state, bool(now.trouble)))
            self.icon.setToolTip(f"{mark_text(state, now.trouble)}\n{now.hears}")
        if wanted != self._entries:
            self._fill(wanted)
        self.icon.show()

    def _fill(self, wanted: tuple[Entry, ...]) -> None:
        """Changed in place where it is the same menu: who has it open sees it go on."""
        if [e.id for e in wanted] != [e.id for e in self._entries]:
            self.menu.clear()
            for e in wanted:
                if not e.id:
                    self.menu.addSeparator()
                elif (action := self.menu.addAction(e.text)) is not None:
                    action.setCheckable(e.checked is not None)
                    action.triggered.connect(lambda _checked=False, id=e.id: self._asked(id))
        for e, action in zip(wanted, self.menu.actions(), strict=True):
            if e.id:
                action.setText(e.text)
                action.setEnabled(e.enabled)
                action.setChecked(bool(e.checked))
        self._entries = wanted

    def _activated(self, reason: QSystemTrayIcon.ActivationReason) -> None:
        if reason != QSystemTrayIcon.ActivationReason.Context:
            self._asked("show")

    def end(self) -> None:
        self.icon.hide()
