"""What a word of the trade means, shown where it stands until the next press."""

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...words.glossary import MEANINGS
from ..theme.theme import Theme
from .card import Card
from .label import Words

WIDE_PX = 380.0


class Meaning(Card):
    """A card over everything else, with each of `terms` and what it means. A press beside it, or any key, closes it."""

    def __init__(self, theme: Theme, terms: Sequence[str], parent: QWidget):
        super().__init__(theme, parent)
        self.setWindowFlags(Qt.WindowType.Popup | Qt.WindowType.FramelessWindowHint)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_TranslucentBackground)
        for term in terms:
            pair = QVBoxLayout()
            pair.setSpacing(2)
            name, means = Words(theme, "strong", explains=False), Words(theme, "body", explains=False)
            name.setText(term[:1].upper() + term[1:])
            means.setText(MEANINGS[term])
            pair.addWidget(name)
            pair.addWidget(means)
            self.column.addLayout(pair)
        self.column.addStretch(1)
        self.setAccessibleName(" ".join(f"{t}: {MEANINGS[t]}" for t in terms))
        self.setFixedWidth(round(theme.tokens.px(WIDE_PX)))

    def show_at(self, at: QPoint) -> None:
        """Below `at` on the screen, or above it where there is no room."""
        size = self.sizeHint()
        tall = max(size.height(), self.heightForWidth(self.width()))
        self.resize(self.width(), tall)
        screen = QGuiApplication.screenAt(at) or QGuiApplication.primaryScreen()
        if screen is not None:
            room = screen.availableGeometry()
            x = max(room.left(), min(at.x(), room.right() - self.width()))
            y = at.y() if at.y() + tall <= room.bottom() else max(room.top(), at.y() - tall - 28)
            at = QPoint(x, y)
        self.move(at)
        self.show()
        self.setFocus()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        self.close()
