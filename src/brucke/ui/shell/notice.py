"""One line for what just happened; never modal, gone with Esc or its button."""

from collections.abc import Callable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ..kit.button import Button
from ..kit.label import Words
from ..paint.sheet import colour
from ..theme.theme import Theme


class Notice(QWidget):
    def __init__(self, theme: Theme):
        super().__init__()
        self._theme, self._tone = theme, "mute"
        self.words = Words(theme, "strong")
        self.offered = Button(theme, "", "primary")
        self.away = Button(theme, "Close", "plain", "Esc")
        self._offer: Callable[[], None] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(round(theme.tokens.px(36)), 4, round(theme.tokens.px(24)), 4)
        row.addWidget(self.words, 1)
        row.addWidget(self.offered)
        row.addWidget(self.away)
        self.away.clicked.connect(self.clear)
        self.offered.clicked.connect(self._take_offer)
        self.offered.hide()
        self.hide()

    def say(self, text: str, tone: str) -> None:
        """`tone` is a token: coral needs you, amber watch it, water done, mute by the way."""
        self._tone, self._offer = tone, None
        self.offered.hide()
        self.words.say(text, "ink" if tone == "mute" else tone)
        self.setVisible(bool(text))
        self.update()

    def offer(self, text: str, tone: str, button: str, act: Callable[[], None]) -> None:
        """Something to tell, with the one thing to do about it."""
        self.say(text, tone)
        self._offer = act
        self.offered.setText(button)
        self.offered.show()

    def _take_offer(self) -> None:
        act, self._offer = self._offer, None
        self.clear()
        if act is not None:
            act()

    def clear(self) -> None:
        self.say("", "mute")

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self._theme.tokens
        p = QPainter(self)
        p.fillRect(self.rect(), colour(t, "card"))
        p.fillRect(QRectF(t.px(24), 6, 4, self.height() - 12), colour(t, self._tone))
        p.fillRect(QRectF(0, self.height() - 1, self.width(), 1), colour(t, "line"))
