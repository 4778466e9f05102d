"""Saved presets by name: rename one, or forget it."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from ....core.storage.presets import Shelf
from ....core.storage.small_files import FileProblem
from ....words.translation import _
from ...kit.button import Button
from ...kit.label import Words
from ...kit.place import scrolled
from ...kit.question import ask_name
from ...kit.row import ends
from ...theme.theme import Theme


class ShelfDialog(QDialog):
    """`rename` and `forget` are the buttons of each, by name."""

    def __init__(self, theme: Theme, shelf: Shelf, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Saved presets"))
        self.resize(520, 380)
        self._theme, self.shelf = theme, shelf
        self.rename: dict[str, Button] = {}
        self.forget: dict[str, Button] = {}
        self.said = Words(theme, "body", "mute")
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self._grid.setColumnStretch(0, 1)
        self._grid.setAlignment(Qt.AlignmentFlag.AlignTop)
        close = Button(theme, _("Close"), "plain", "Esc")
        close.clicked.connect(self.reject)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.addWidget(self.said)
        column.addWidget(scrolled(theme, inner))
        column.addLayout(ends(right=close))
        self._show()

    def _show(self) -> None:
        while (item := self._grid.takeAt(0)) is not None:
            if (w := item.widget()) is not None:
                w.hide()
                w.deleteLater()
        self.rename, self.forget = {}, {}
        presets = self.shelf.presets()
        self.said.say("" if presets else _("None is saved yet. Save a chain under “presets” in Shape."), "mute")
        for i, preset in enumerate(presets):
            name = Words(self._theme, "body")
            name.setText(preset.name)
            self.rename[preset.name] = self._button(_("Rename"), preset.name, self._rename)
            self.forget[preset.name] = self._button(_("Forget"), preset.name, self._forget)
            for column, w in enumerate((name, self.rename[preset.name], self.forget[preset.name])):
                self._grid.addWidget(w, i, column)

    def _button(self, text: str, name: str, act: Callable[[str], None]) -> Button:
        button = Button(self._theme, text, "outline")
        button.setAccessibleName(f"{text}: {name}")
        button.clicked.connect(partial(self._then, act, name))
        return button

    def _then(self, act: Callable[[str], None], name: str, _checked: bool = False) -> None:
        try:
            act(name)
        except (FileProblem, OSError) as e:
            why = getattr(e, "strerror", None) or e
            self._show()
            self.said.say(_("“{name}” stays as it was: {why}.").format(name=name, why=why), "coral")
            return
        self._show()

    def _rename(self, name: str) -> None:
        new = ask_name(self, self._theme, _("Rename “{name}”.").format(name=name), _("Rename"), name)
        if new and new != name:
            self.shelf.rename(name, new)

    def _forget(self, name: str) -> None:
        self.shelf.forget(name)
