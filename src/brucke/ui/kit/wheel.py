"""The wheel scrolls and never edits: over a field, a slider or a choice it moves the page they stand on."""

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QScrollBar,
    QTabBar,
    QWidget,
)

EDITS = (QAbstractSpinBox, QComboBox, QAbstractSlider, QTabBar)


class WheelScrolls(QObject):
    """Installed on the whole application."""

    def eventFilter(self, watched: QObject | None, e: QEvent | None) -> bool:
        if e is None or e.type() != QEvent.Type.Wheel or not isinstance(watched, QWidget):
            return False
        field: QWidget | None = watched
        while field is not None and not isinstance(field, QAbstractScrollArea):
            if isinstance(field, EDITS) and not isinstance(field, QScrollBar):
                self._scroll(field, e)
                return True
            field = field.parentWidget()
        return False

    def _scroll(self, field: QWidget, e: QEvent) -> None:
        area = field.parentWidget()
        while area is not None and not isinstance(area, QAbstractScrollArea):
            area = area.parentWidget()
        bar = area.verticalScrollBar() if isinstance(area, QAbstractScrollArea) else None
        if bar is not None and isinstance(e, QWheelEvent):
            QApplication.sendEvent(bar, e)
