"""A widget that shows a sheet: geometry from a pure layout, painting by the one painter."""

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QWidget

from ..paint.sheet import Sheet, paint_sheet
from ..theme.theme import Theme
from ..theme.tokens import Tokens
from .card import paint_card
from .pictured import Picture


class SheetView(QWidget):
    """Subclasses make the sheet of a size; it is made again when the size, the theme or the data change."""

    framed = True

    def __init__(self, theme: Theme, parent: QWidget | None = None):
        super().__init__(parent)
        self.theme = theme
        self._sheet: Sheet | None = None
        self._picture = Picture()
        self._version = 0
        theme.follow(self, self.renew)

    @property
    def tokens(self) -> Tokens:
        """What it is laid out and painted with."""
        return self.theme.tokens

    def make_sheet(self, width: float, height: float) -> Sheet:
        raise AssertionError("a subclass lays out")

    def renew(self) -> None:
        """The data changed."""
        self._sheet = None
        self.updateGeometry()
        self.update()

    def sheet(self) -> Sheet:
        if self._sheet is None:
            self._sheet = self.make_sheet(self.width(), self.height())
            self._version += 1
        return self._sheet

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        self._sheet = None
        super().resizeEvent(e)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        self.sheet()
        self._picture.show(self, QPainter(self), self._version, self._paint_all)

    def _paint_all(self, p: QPainter) -> None:
        if self.framed:
            paint_card(p, self.theme, QRectF(self.rect()))
        paint_sheet(p, self.sheet(), self.tokens)
