"""The table of all keys, changeable."""

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QKeySequenceEdit, QLabel, QScrollArea, QVBoxLayout, QWidget

from .actions import SPECS, Actions


class KeysDialog(QDialog):
    def __init__(self, actions: Actions, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self._actions = actions
        self._edits: dict[str, QKeySequenceEdit] = {}
        letters = QCheckBox("Single letters work as keys")
        letters.setChecked(actions.letters)
        letters.toggled.connect(actions.set_letters)
        inner = QWidget()
        form = QFormLayout(inner)
        for spec in SPECS:
            edit = QKeySequenceEdit(QKeySequence(actions.keys_of(spec.id)))
            edit.setAccessibleName(spec.text)
            edit.editingFinished.connect(lambda id=spec.id: self._changed(id))
            self._edits[spec.id] = edit
            form.addRow(spec.text, edit)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        self._said = QLabel()
        column = QVBoxLayout(self)
        column.addWidget(letters)
        column.addWidget(area)
        column.addWidget(self._said)
        self.resize(520, 560)

    def _changed(self, id: str) -> None:
        keys = self._edits[id].keySequence().toString()
        if keys == self._actions.keys_of(id):
            return
        taken = self._actions.set_keys(id, keys)
        if taken:
            self._edits[taken].setKeySequence(QKeySequence())
            name = next(s.text for s in SPECS if s.id == taken)
            self._said.setText(f"“{name}” had these keys and has none now.")
