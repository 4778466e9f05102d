"""Every action found by its words: nobody has to know a key."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ...words.translation import _
from ..kit.field import TextField
from ..kit.label import Words
from ..kit.scroll_bar import own_scroll_bars
from ..theme.theme import Theme
from .actions import ACTIONS, Actions


def matches(typed: str, text: str) -> bool:
    """Whether every word that was typed begins a word of the text, or stands in one."""
    return all(part in text.casefold() for part in typed.casefold().split())


class FindDialog(QDialog):
    """`chosen` is the id of what Enter or a press asked for, “” where it was left."""

    def __init__(self, theme: Theme, actions: Actions, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Find an action"))
        self.resize(560, 480)
        self._actions, self.chosen = actions, ""
        title = Words(theme, "name")
        title.say(_("What do you want to do?"))
        self.field, self.list = TextField(theme, _("Words of an action")), QListWidget()
        self.list.setAccessibleName(_("Actions"))
        own_scroll_bars(self.list, theme, "card")
        column = QVBoxLayout(self)
        for w in (title, self.field, self.list):
            column.addWidget(w)
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(lambda: self._take(self.list.currentItem()))
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(self._take)
        self.list.itemClicked.connect(self._take)
        self._filter("")
        self.field.setFocus()

    def _filter(self, typed: str) -> None:
        self.list.clear()
        for action in ACTIONS:
            if action.id != "find" and matches(typed, action.text):
                keys = self._actions.keys_of(action.id)
                item = QListWidgetItem(f"{action.text}   {keys}" if keys else action.text)
                item.setData(Qt.ItemDataRole.UserRole, action.id)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen = str(item.data(Qt.ItemDataRole.UserRole))
            self.accept()

    def eventFilter(self, seen: QObject | None, e: QEvent | None) -> bool:
        """Up and down go through the list while one types."""
        if (
            isinstance(e, QKeyEvent)
            and e.type() == QEvent.Type.KeyPress
            and e.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
        ):
            by = 1 if e.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(self.list.currentRow() + by, 0), self.list.count() - 1))
            return True
        return False


def find_action(theme: Theme, actions: Actions, parent: QWidget, do: Callable[[str], None]) -> None:
    """Ask, and do it."""
    dialog = FindDialog(theme, actions, parent)
    dialog.exec()
    if dialog.chosen:
        do(dialog.chosen)
