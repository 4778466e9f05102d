"""The gain of a route on a marked decibel scale."""

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractSlider, QSizePolicy, QWidget

from ...words.detail import choose, in_numbers
from ...words.timing import percent_text
from ..paint.sheet import Line, Sheet, colour, paint_sheet
from ..theme.fonts import height, width
from ..theme.theme import Theme
from ..theme.tokens import Tokens
from .pictured import Picture
from .wheel import WheelScrolls

# Where each mark stands, 0 to 1: wider where ears are finer.
MARKS_DB = (-60.0, -40.0, -20.0, -12.0, -6.0, 0.0, 6.0, 12.0)
SHARES = (0.0, 0.12, 0.36, 0.5, 0.62, 0.75, 0.88, 1.0)


def gain_share(db: float) -> float:
    return float(np.interp(db, MARKS_DB, SHARES))


def share_gain(share: float) -> float:
    return float(np.interp(share, SHARES, MARKS_DB))


def scale_sheet(w: float, t: Tokens) -> Sheet:
    """Ticks and their numbers; a number that would touch its neighbour is left out."""
    small = height("small", t.scale)
    sheet = Sheet(w, t.px(30) + small)
    pad, free = t.px(14), -1e9
    for db, share in zip(MARKS_DB, SHARES, strict=True):
        x = pad + share * (w - 2 * pad)
        sheet.lines.append(Line(((x, t.px(20)), (x, t.px(26))), "edge"))
        label = choose(percent_text(db), f"{db:.0f}".replace("-", "−"))
        room = width(label, "small", t.scale) + 2
        left = min(max(x - room / 2, 0.0), w - room)
        if left > free:
            sheet.text(QRectF(left, t.px(28), room, small), label, "small", "mute", "centre")
            free = left + room + t.px(4)
    return sheet


class GainScale(WheelScrolls, QAbstractSlider):
    """Tenths of a decibel from −60 to +12. `moved(db)` while dragging or with the keys."""

    moved = pyqtSignal(float)

    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None):
        super().__init__(parent)
        self._theme, self._marks = theme, Picture()
        self.setAccessibleName(name)
        self.setRange(-600, 120)
        self.setSingleStep(10)
        self.setPageStep(60)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.follow(self, self.updateGeometry)

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(t.px(180)), round(t.px(30) + height("small", t.scale)))

    def show_gain(self, db: float) -> None:
        self.setValue(round(max(-60.0, db) * 10))
        self.update()

    def _to(self, db: float) -> None:
        self.setValue(round(db * 10))
        self.update()
        self.moved.emit(self.value() / 10)

    def _drag(self, x: float) -> None:
        pad = self._theme.tokens.px(14)
        db = share_gain((x - pad) / max(1.0, self.width() - 2 * pad))
        self._to(0.0 if abs(db) < 0.4 else round(db * 2) / 2)

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        if e is not None:
            self._drag(e.position().x())

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and e.buttons() & Qt.MouseButton.LeftButton:
            self._drag(e.position().x())

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}
        step = steps.get(Qt.Key(e.key()), 0) if e is not None else 0
        if e is None or not step:
            super().keyPressEvent(e)
            return
        size = {Qt.KeyboardModifier.ShiftModifier: 10.0, Qt.KeyboardModifier.AltModifier: 0.1}.get(
            e.modifiers() & ~Qt.KeyboardModifier.KeypadModifier, 1.0
        )
        self._to(min(12.0, max(-60.0, self.value() / 10 + step * size)))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self._theme.tokens
        p = QPainter(self)
        self._marks.show(self, p, (t, in_numbers()), lambda q: paint_sheet(q, scale_sheet(self.width(), t), t))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        pad, y = t.px(14), t.px(10)
        wide = self.width() - 2 * pad
        x = pad + gain_share(self.value() / 10) * wide
        p.fillRect(QRectF(pad, y - t.px(3), wide, t.px(6)), colour(t, "trough"))
        p.fillRect(QRectF(pad, y - t.px(3), x - pad, t.px(6)), colour(t, "meter"))
        p.setPen(QPen(colour(t, "card"), 2))
        p.setBrush(colour(t, "water"))
        p.drawEllipse(QRectF(x - t.px(9), y - t.px(9), t.px(18), t.px(18)))
        if self.hasFocus():
            p.setPen(QPen(colour(t, "water"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), t.px(6), t.px(6))
