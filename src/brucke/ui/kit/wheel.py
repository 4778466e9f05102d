"""The wheel scrolls and never edits: over a field, a slider or a choice it moves the page they stand on."""

from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QDoubleSpinBox, QSlider, QSpinBox


class WheelScrolls:
    """Before the class of whatever a wheel could edit: its turns go on to the page. A filter on the whole application
    would do the same and cost every event of every widget a call."""

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        if e is not None:
            e.ignore()


class NamesItsLine:
    """A number field whose line, which has the focus, is called what the field is."""

    def setAccessibleName(self, name: str | None) -> None:
        super().setAccessibleName(name)  # type: ignore[misc]
        line = self.lineEdit()  # type: ignore[attr-defined]
        if line is not None:
            line.setAccessibleName(name)


class Slider(WheelScrolls, QSlider):
    pass


class SpinBox(WheelScrolls, NamesItsLine, QSpinBox):
    pass


class DoubleSpinBox(WheelScrolls, NamesItsLine, QDoubleSpinBox):
    pass
