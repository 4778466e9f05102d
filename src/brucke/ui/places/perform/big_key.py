"""A large key: what it does in large type, what that means below, and the key that presses it."""

from typing import Literal

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from ...kit.pictured import Picture
from ...kit.reachable import Reachable
from ...paint.sheet import colour
from ...theme.fonts import elided, font, height, width, wrap
from ...theme.theme import Theme
from ...theme.tokens import Tokens

Kind = Literal["next", "moment", "mute", "silence"]
TYPED = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
EDGES = {"next": "water", "moment": "water", "mute": "ink", "silence": "coral"}


def larger(tokens: Tokens, factor: float) -> Tokens:
    """The same colours, everything `factor` as large."""
    return tokens.scaled(tokens.scale * factor) if factor != 1.0 else tokens


class BigKey(Reachable):
    """Checked, it is filled."""

    def __init__(self, theme: Theme, kind: Kind):
        super().__init__()
        self._theme, self._kind, self.factor = theme, kind, 1.0
        self._about = self._hint = ""
        self._picture = Picture()
        self.setCheckable(kind != "next")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        theme.follow(self, self.renew)

    def renew(self) -> None:
        self.updateGeometry()
        self.update()

    def say(self, text: str, about: str, hint: str, on: bool = False) -> None:
        if (text, about, hint, on) != (self.text(), self._about, self._hint, self.isChecked()):
            self._about, self._hint = about, hint
            self.setText(text)
            self.setChecked(on)
            self.setAccessibleName(f"{text} ({hint})" if hint else text)
            self.setAccessibleDescription(about)
            self.update()

    def follow(self, other: "BigKey") -> None:
        """As another one stands."""
        self.say(other.text(), other._about, other._hint, other.isChecked())
        self.setEnabled(other.isEnabled())

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        """What somebody types presses nothing while others hear."""
        if e is not None and e.key() in TYPED and not self._theme.letters:
            e.ignore()
        elif e is not None and e.key() in TYPED[1:]:
            self.click()
        else:
            super().keyPressEvent(e)

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        tall = height("large" if self._kind == "next" else "figure", t.scale) + 2 * height("body", t.scale)
        return QSize(round(t.px(150)), round(tall + t.px(14)))

    def minimumSizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(t.px(90)), round(height("name", t.scale) + t.px(12)))

    def focusInEvent(self, e: QFocusEvent | None) -> None:
        super().focusInEvent(e)
        self.update()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (
            self.text(), self._about, self._hint, self.isChecked(), self.isEnabled(), self.hasFocus(), self.isDown(),
            self._theme.tokens, self.factor,
        )  # fmt: skip
        self._picture.show(self, QPainter(self), key, self._paint)

    def _colours(self) -> tuple[str, str, str]:
        """(fill, edge, text) tokens as it stands."""
        edge = EDGES[self._kind]
        if not self.isEnabled():
            return "card", "line", "mute"
        if self.isChecked() or self._kind == "next":
            return ("coral" if self._kind == "silence" else "water" if edge == "water" else "ink"), edge, "card"
        return ("tint" if self.isDown() else "card"), edge, edge

    def _paint(self, p: QPainter) -> None:
        t = larger(self._theme.tokens, self.factor)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        fill, edge, text = self._colours()
        box = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        p.setPen(QPen(colour(t, edge), 2))
        p.setBrush(colour(t, fill))
        p.drawRoundedRect(box, t.px(8), t.px(8))
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(colour(t, text), 2, Qt.PenStyle.DotLine))
            p.drawRoundedRect(box.adjusted(3, 3, -3, -3), t.px(6), t.px(6))
        p.setPen(colour(t, text))
        small, body, pad = height("small strong", t.scale), height("body", t.scale), t.px(12)
        wide = box.width() - 2 * pad
        tall = box.height() >= height("figure", t.scale) + 2 * small
        roles = ("large", "figure") if self._kind == "next" else ("figure",)
        role = next((r for r in roles if tall and width(self.text(), r, t.scale) <= wide), "name")
        size = height(role, t.scale)
        if not tall:
            self._paint_line(p, role, box.adjusted(pad, 0, -pad, 0))
            return
        p.setFont(font("small strong", t.scale))
        p.drawText(box.adjusted(pad, t.px(5), -pad, 0), int(Qt.AlignmentFlag.AlignRight), self._hint)
        free = int((box.height() - size - small - t.px(6)) // body)
        about = wrap(self._about, "body", t.scale, wide)[: max(0, min(2, free))]
        top = box.center().y() - (size + body * len(about)) / 2 + t.px(4)
        p.setFont(font(role, t.scale))
        title = elided(self.text(), role, t.scale, wide)
        p.drawText(QRectF(box.x() + pad, top, wide, size), int(Qt.AlignmentFlag.AlignCenter), title)
        p.setFont(font("body", t.scale))
        for i, said in enumerate(about):
            line = QRectF(box.x() + pad, top + size + i * body, wide, body)
            p.drawText(line, int(Qt.AlignmentFlag.AlignCenter), elided(said, "body", t.scale, wide))

    def _paint_line(self, p: QPainter, role: str, box: QRectF) -> None:
        """Little height: its name, and its key beside it where there is room."""
        t = larger(self._theme.tokens, self.factor)
        room = width(self._hint, "small strong", t.scale) + t.px(10) if self._hint else 0.0
        hint = width(self.text(), role, t.scale) + room <= box.width()
        p.setFont(font(role, t.scale))
        side = Qt.AlignmentFlag.AlignLeft if hint and self._hint else Qt.AlignmentFlag.AlignHCenter
        title = elided(self.text(), role, t.scale, box.width())
        p.drawText(box, int(side | Qt.AlignmentFlag.AlignVCenter), title)
        if hint:
            p.setFont(font("small strong", t.scale))
            p.drawText(box, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), self._hint)
