"""The table of all keys, changeable."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QDialog, QGridLayout, QKeySequenceEdit, QVBoxLayout, QWidget

from ...words.translation import _
from ..kit.button import Button
from ..kit.label import Words
from ..kit.place import scrolled
from ..theme.theme import Theme
from .actions import ACTIONS, Actions

# By the palette, which the theme sets.
LOOK = (
    "QKeySequenceEdit QLineEdit { background: palette(base); border: 1px solid palette(mid); border-radius: 6px; "
    "padding: 5px 8px; }"
)


class KeysDialog(QDialog):
    def __init__(self, theme: Theme, actions: Actions, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Keys"))
        self._actions = actions
        self._edits: dict[str, QKeySequenceEdit] = {}
        letters = Button(theme, _("Single letters work as keys"), "choice")
        letters.setChecked(actions.letters)
        letters.toggled.connect(actions.set_letters)
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setColumnStretch(0, 1)
        for i, spec in enumerate(ACTIONS):
            edit = QKeySequenceEdit(QKeySequence(actions.keys_of(spec.id)))
            edit.setAccessibleName(spec.text)
            edit.setStyleSheet(LOOK)
            edit.editingFinished.connect(lambda id=spec.id: self._changed(id))
            self._edits[spec.id] = edit
            what = Words(theme, "body")
            what.setText(spec.text)
            edit.setFixedWidth(round(theme.tokens.px(170)))
            grid.addWidget(what, i, 0)
            grid.addWidget(edit, i, 1)
        area = scrolled(theme, inner)
        self._said = Words(theme, "strong", "amber")
        column = QVBoxLayout(self)
        column.addWidget(letters, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(area)
        column.addWidget(self._said)
        self.resize(620, 600)

    def _changed(self, id: str) -> None:
        keys = self._edits[id].keySequence().toString()
        if keys == self._actions.keys_of(id):
            return
        taken = self._actions.set_keys(id, keys)
        if taken:
            self._edits[taken].setKeySequence(QKeySequence())
            name = next(s.text for s in ACTIONS if s.id == taken)
            self._said.say(_("“{name}” had these keys and has none now.").format(name=name))
