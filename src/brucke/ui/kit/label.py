"""Words in one of the few roles, wrapped, in a token's colour."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPalette
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from ..paint.sheet import colour
from ..theme.fonts import font
from ..theme.theme import Theme
from .pictured import Picture


class Words(QLabel):
    """A text that wraps and is never cut."""

    def __init__(
        self, theme: Theme, role: str = "body", tone: str = "ink", wraps: bool = True, parent: QWidget | None = None
    ):
        super().__init__(parent)
        self._theme, self._role, self._tone = theme, role, tone
        self._picture = Picture()
        self.setWordWrap(wraps)
        self.setTextFormat(Qt.TextFormat.PlainText)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(wraps)
        self.setSizePolicy(policy)
        theme.changed.connect(self._restyle)
        self._restyle()

    def say(self, text: str, tone: str | None = None, role: str | None = None) -> None:
        """New words; hidden while there are none."""
        if (tone and tone != self._tone) or (role and role != self._role):
            self._tone, self._role = tone or self._tone, role or self._role
            self._restyle()
        if text != self.text():
            self.setText(text)
        # Before it has a place, showing it would make a window of its own.
        if self.parentWidget() is not None or not text:
            self.setVisible(bool(text))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        """Kept as a picture: laying out a text that wraps costs more than all the rest of a card."""
        key = (self.text(), self._role, self._tone, self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setFont(font(self._role, t.scale))
        p.setPen(colour(t, self._tone))
        wraps = int(Qt.TextFlag.TextWordWrap) if self.wordWrap() else 0
        p.drawText(self.contentsRect(), int(self.alignment()) | wraps, self.text())

    def _restyle(self) -> None:
        t = self._theme.tokens
        self.setFont(font(self._role, t.scale))
        palette = QPalette(self.palette())
        palette.setColor(QPalette.ColorRole.WindowText, QColor(colour(t, self._tone)))
        self.setPalette(palette)
