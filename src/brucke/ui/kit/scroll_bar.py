"""Scroll bars in our own colours: a rounded handle on the ground it stands on."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QStyle, QStyleOptionSlider, QWidget

from ..paint.sheet import colour
from ..theme.theme import Theme


class ScrollBar(QScrollBar):
    def __init__(self, theme: Theme, orientation: Qt.Orientation, ground: str, parent: QWidget | None = None):
        super().__init__(orientation, parent)
        self._theme, self._ground = theme, ground

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self._theme.tokens
        p = QPainter(self)
        p.fillRect(self.rect(), colour(t, self._ground))
        option = QStyleOptionSlider()
        self.initStyleOption(option)
        style = self.style()
        assert style is not None
        handle = style.subControlRect(
            QStyle.ComplexControl.CC_ScrollBar, option, QStyle.SubControl.SC_ScrollBarSlider, self
        )  # fmt: skip
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(t, "edge"))
        p.drawRoundedRect(QRectF(handle).adjusted(4, 4, -4, -4), 3, 3)


def own_scroll_bars(area: QAbstractScrollArea, theme: Theme, ground: str) -> None:
    """Both bars of an area, standing on `ground`."""
    area.setVerticalScrollBar(ScrollBar(theme, Qt.Orientation.Vertical, ground, area))
    area.setHorizontalScrollBar(ScrollBar(theme, Qt.Orientation.Horizontal, ground, area))
