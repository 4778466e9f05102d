"""Buttons: primary (the one thing to do), outline, chip and choice (one of several), plain. Drawn from tokens."""

from typing import Literal

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..paint.sheet import colour
from ..theme.fonts import font, width
from ..theme.theme import Theme
from .pictured import Picture
from .reachable import Reachable

Kind = Literal["primary", "outline", "chip", "choice", "plain"]


class Button(Reachable):
    """Enter presses it as Space does. `hint` is its key, shown beside the word."""

    def __init__(self, theme: Theme, text: str, kind: Kind = "outline", hint: str = "", parent: QWidget | None = None):
        super().__init__(parent)
        self._theme, self._kind, self._hint = theme, kind, hint
        self._hint_shown = True
        self._picture = Picture()
        self.setText(text)
        self.setCheckable(kind in ("chip", "choice"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        theme.follow(self, self._restyle)

    def set_kind(self, kind: Kind) -> None:
        if kind != self._kind:
            self._kind = kind
            self.update()

    def show_hint(self, on: bool) -> None:
        """Whether its key stands beside the word; there is not always room."""
        if on != self._hint_shown:
            self._hint_shown = on
            self._restyle()

    def _restyle(self) -> None:
        self.updateGeometry()
        self.update()

    @property
    def shown(self) -> str:
        last = self._hint.rpartition("+")[2]
        typed = (len(last) == 1 or last == "Space") and not self._hint.startswith(("Ctrl", "Alt"))
        works = self._theme.letters or not typed
        return f"{self.text()}  ({self._hint})" if self._hint and self._hint_shown and works else self.text()

    @property
    def role(self) -> str:
        return "small strong" if self._kind == "plain" else "strong"

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        pad = {"plain": 8, "chip": 24, "choice": 20}.get(self._kind, 32)
        tall = {"plain": 26, "chip": 32, "choice": 30}.get(self._kind, 38)
        return QSize(round(width(self.shown, self.role, t.scale) + t.px(pad)) + 1, round(t.px(tall)))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is not None and e.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
            return
        super().keyPressEvent(e)

    def focusInEvent(self, e: QFocusEvent | None) -> None:
        super().focusInEvent(e)
        self.update()

    def colours(self) -> tuple[str, str, str]:
        """(fill, edge, text) tokens as it stands."""
        if not self.isEnabled():
            return "", "line" if self._kind != "plain" else "", "mute"
        if self._kind == "primary" or (self.isCheckable() and self.isChecked()):
            return "water", "water", "on_water"
        fill = "tint" if self.underMouse() or self.isDown() else ("card" if self._kind == "outline" else "")
        edge = {"outline": "water", "choice": "edge"}.get(self._kind, "")
        return fill, edge, "ink" if self._kind in ("chip", "choice") else "water"

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (self.shown, self.colours(), self.hasFocus(), self._kind, self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        fill, edge, text = self.colours()
        box = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        radius = box.height() / 2 if self._kind == "chip" else t.px(8)
        p.setPen(QPen(colour(t, edge), 1.5) if edge else QPen(Qt.PenStyle.NoPen))
        p.setBrush(colour(t, fill) if fill else Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(box, radius, radius)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(colour(t, text if fill == "water" else "ink"), 2, Qt.PenStyle.DotLine))
            p.drawRoundedRect(box.adjusted(2.5, 2.5, -2.5, -2.5), radius - 2, radius - 2)
        p.setFont(font(self.role, t.scale))
        p.setPen(colour(t, text))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), self.shown)
