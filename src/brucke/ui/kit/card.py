"""A card: paper on paper, a thin edge, its contents in a column."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ..paint.sheet import colour
from ..theme.theme import Theme


class Card(QWidget):
    def __init__(self, theme: Theme, parent: QWidget | None = None):
        super().__init__(parent)
        self._theme = theme
        self.column = QVBoxLayout(self)
        theme.follow(self, self._restyle)
        self._restyle()

    def _restyle(self) -> None:
        t = self._theme.tokens
        side = round(t.px(16))
        self.column.setContentsMargins(side, round(t.px(10)), side, round(t.px(10)))
        self.column.setSpacing(round(t.px(6)))
        self.update()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        paint_card(QPainter(self), self._theme, QRectF(self.rect()))


def paint_card(p: QPainter, theme: Theme, rect: QRectF, chosen: bool = False) -> None:
    t = theme.tokens
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(colour(t, "water" if chosen else "line"), 2 if chosen else 1.2))
    p.setBrush(colour(t, "tint" if chosen else "card"))
    p.drawRoundedRect(rect.adjusted(1, 1, -1, -1), t.px(8), t.px(8))
