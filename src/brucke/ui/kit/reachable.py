"""A button that stays down, within reach of a screen reader."""

from PyQt6.QtWidgets import QAbstractButton, QWidget


class Reachable(QAbstractButton):
    """A screen reader turns over a button that stays down instead of clicking it; here that counts as a click."""

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self._ours = False
        self.toggled.connect(self._turned)

    def setChecked(self, on: bool) -> None:
        before, self._ours = self._ours, True
        super().setChecked(on)
        self._ours = before

    def nextCheckState(self) -> None:
        before, self._ours = self._ours, True
        super().nextCheckState()
        self._ours = before

    def _turned(self, on: bool) -> None:
        if not self._ours:
            self.clicked.emit(on)
