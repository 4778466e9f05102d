"""Words in one of the few roles, wrapped, in a token's colour. Those of the trade are underlined with dots, and one
press tells what they mean."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPalette, QTextCharFormat, QTextLayout, QTextOption
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from ...words.glossary import MEANINGS, terms_in
from ..paint.sheet import colour
from ..theme.fonts import font
from ..theme.theme import Theme
from .pictured import Picture


class Words(QLabel):
    """A text that wraps and is never cut."""

    def __init__(
        self, theme: Theme, role: str = "body", tone: str = "ink", wraps: bool = True, parent: QWidget | None = None,
        explains: bool = True,
    ):  # fmt: skip
        super().__init__(parent)
        self._explains = explains
        self._terms: list[tuple[int, int, str]] = []
        self._theme, self._role, self.tone = theme, role, tone
        self._picture = Picture()
        self.setWordWrap(wraps)
        self.setTextFormat(Qt.TextFormat.PlainText)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(wraps)
        self.setSizePolicy(policy)
        theme.follow(self, self._restyle)
        self._restyle()

    def say(self, text: str, tone: str | None = None, role: str | None = None) -> None:
        """New words; hidden while there are none."""
        if (tone and tone != self.tone) or (role and role != self._role):
            self.tone, self._role = tone or self.tone, role or self._role
            self._restyle()
        if text != self.text():
            self.setText(text)
        # Before it has a place, showing it would make a window of its own.
        if self.parentWidget() is not None or not text:
            self.setVisible(bool(text))

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self._terms = terms_in(text or "") if self._explains else []
        self.setMouseTracking(bool(self._terms))
        self.unsetCursor()
        self.setAccessibleDescription(" ".join(f"{t}: {MEANINGS[t]}" for _from, _to, t in self._terms))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        """Kept as a picture: laying out a text that wraps costs more than all the rest of a card."""
        key = (self.text(), self._role, self.tone, self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setFont(font(self._role, t.scale))
        p.setPen(colour(t, self.tone))
        if self._terms:
            layout, at = self.laid_out()
            layout.draw(p, at)
            return
        wraps = int(Qt.TextFlag.TextWordWrap) if self.wordWrap() else 0
        p.drawText(self.contentsRect(), int(self.alignment()) | wraps, self.text())

    def laid_out(self) -> tuple[QTextLayout, QPointF]:
        """The same lines as without terms, and where they begin."""
        layout = QTextLayout(self.text(), self.font())
        option = QTextOption(self.alignment())
        option.setWrapMode(QTextOption.WrapMode.WordWrap if self.wordWrap() else QTextOption.WrapMode.NoWrap)
        layout.setTextOption(option)
        dots = QTextCharFormat()
        dots.setUnderlineStyle(QTextCharFormat.UnderlineStyle.DotLine)
        ranges = []
        for begin, end, _term in self._terms:
            r = QTextLayout.FormatRange()
            r.start, r.length, r.format = begin, end - begin, dots
            ranges.append(r)
        layout.setFormats(ranges)
        area, height = self.contentsRect(), 0.0
        layout.beginLayout()
        while (line := layout.createLine()).isValid():
            line.setLineWidth(area.width())
            line.setPosition(QPointF(0, height))
            height += line.height()
        layout.endLayout()
        free = area.height() - height
        top = free if self.alignment() & Qt.AlignmentFlag.AlignBottom else free / 2
        return layout, QPointF(area.x(), area.y() + (0 if self.alignment() & Qt.AlignmentFlag.AlignTop else top))

    def term_at(self, at: QPoint) -> str:
        """The word of the trade that stands there; “” where none does."""
        layout, start = self.laid_out()
        for i in range(layout.lineCount()):
            line = layout.lineAt(i)
            within = QPointF(at) - start
            if line.naturalTextRect().contains(within):
                character = line.xToCursor(within.x(), line.CursorPosition.CursorOnCharacter)
                return next((t for begin, end, t in self._terms if begin <= character < end), "")
        return ""

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and self._terms:
            self.setCursor(Qt.CursorShape.WhatsThisCursor if self.term_at(e.pos()) else Qt.CursorShape.ArrowCursor)
        super().mouseMoveEvent(e)

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        term = self.term_at(e.pos()) if e is not None and self._terms else ""
        if term and e is not None:
            self._theme.asked.emit(term, self.mapToGlobal(QPoint(e.pos().x(), e.pos().y() + 14)), self)
        else:
            super().mousePressEvent(e)

    def _restyle(self) -> None:
        t = self._theme.tokens
        self.setFont(font(self._role, t.scale))
        palette = QPalette(self.palette())
        palette.setColor(QPalette.ColorRole.WindowText, QColor(colour(t, self.tone)))
        self.setPalette(palette)
