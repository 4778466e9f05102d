"""An invisible button over one row of a drawing, so that keyboard and readers reach what is painted."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ..paint.sheet import colour
from ..theme.theme import Theme
from .reachable import Reachable


class RowButton(Reachable):
    """Paints only its focus. `stepped(±1)` with the arrow keys; `moved(±1)` with Alt and arrow, or by dragging it
    over its neighbour, up and down or `sideways`. `carried` once a drag has moved something."""

    stepped = pyqtSignal(int)
    moved = pyqtSignal(int)

    def __init__(self, theme: Theme, parent: QWidget, sideways: bool = False):
        super().__init__(parent)
        self._theme, self._sideways = theme, sideways
        self._from = 0.0
        self.carried = False
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        if self.hasFocus():
            t = self._theme.tokens
            p = QPainter(self)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(QPen(colour(t, "water"), 2))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), t.px(6), t.px(6))

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1}
        step = steps.get(Qt.Key(e.key()) if e is not None else Qt.Key.Key_unknown)
        if e is None or step is None:
            super().keyPressEvent(e)
        elif e.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(step)
        else:
            self.stepped.emit(step)

    def _along(self, e: QMouseEvent) -> float:
        return e.position().x() if self._sideways else e.position().y()

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        if e is not None:
            self._from, self.carried = self._along(e), False
        super().mousePressEvent(e)

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        super().mouseMoveEvent(e)
        if e is None or not e.buttons() & Qt.MouseButton.LeftButton:
            return
        by, size = self._along(e) - self._from, self.width() if self._sideways else self.height()
        if abs(by) > size * 0.75:
            self._from += size if by > 0 else -size
            self.moved.emit(1 if by > 0 else -1)
            self.carried = True

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        """What was carried somewhere else was not pressed."""
        if self.carried:
            self.setDown(False)
        else:
            super().mouseReleaseEvent(e)
