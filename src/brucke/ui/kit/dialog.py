"""A dialog beside the window, which goes on: what it follows it follows only as long as it is there."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtBoundSignal
from PyQt6.QtWidgets import QDialog, QWidget


class BesideWindow(QDialog):
    def __init__(self, title: str, width: int, height: int, parent: QWidget | None):
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(width, height)

    def follow(self, signal: pyqtBoundSignal, slot: Callable[[], None]) -> None:
        """`slot` at every `signal` until the dialog is left."""
        signal.connect(slot)
        self.finished.connect(lambda _code: signal.disconnect(slot))
