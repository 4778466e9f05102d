"""Row and column heads of the grid: who sounds, with its level, and who listens."""

from collections.abc import Hashable
from typing import Protocol

from PyQt6.QtCore import QModelIndex, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QFrame, QHeaderView, QWidget

from ...paint.ruler import level_share
from ...paint.sheet import colour
from ...theme.theme import Theme
from .layout import level_bar, listener_head, part_head
from .model import Heads
from .pictures import Pictures
from .routes import QUESTIONS, Routes


class Shown(Protocol):
    """What the grid that these are the heads of shows now."""

    routes: Routes
    levels: dict[str, float]

    def currentIndex(self) -> QModelIndex: ...


class Head(QHeaderView):
    """Names of parts or listeners. A click chooses the whole row or column."""

    def __init__(self, orientation: Qt.Orientation, theme: Theme, pictures: Pictures, parent: QWidget, shown: Shown):
        super().__init__(orientation, parent)
        self._theme, self._pictures, self._grid = theme, pictures, shown
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.meters: list[QRectF] = []

    def paintSection(self, painter: QPainter | None, rect: QRect, index: int) -> None:
        if painter is None or not rect.isValid():
            return
        data, t = self._grid.routes.data_, self._theme.tokens
        w, h = rect.width(), rect.height()
        ratio = self.devicePixelRatioF()
        if self.orientation() == Qt.Orientation.Vertical:
            head = data.parts[index]
            chosen = self._grid.currentIndex().row() == index
            key: Hashable = ("part", head, chosen)
            pixmap = self._pictures.get(key, w, h, ratio, self._theme, lambda: part_head(head, chosen, w, h, t))
            painter.drawPixmap(rect.topLeft(), pixmap)
            self._paint_level(painter, rect, index, level_bar(w, h, t))
        elif index < QUESTIONS:
            words = ("me", "them")[index]
            question = Heads(words, words, "", -1)
            pixmap = self._pictures.get(
                ("head", question), w, h, ratio, self._theme, lambda: listener_head(question, False, w, h, t)
            )
            painter.drawPixmap(rect.topLeft(), pixmap)
        else:
            who = data.listeners[index - QUESTIONS]
            chosen = self._grid.currentIndex().column() == index
            pixmap = self._pictures.get(
                ("head", who, chosen), w, h, ratio, self._theme, lambda: listener_head(who, chosen, w, h, t)
            )
            painter.drawPixmap(rect.topLeft(), pixmap)

    def _paint_level(self, p: QPainter, rect: QRect, index: int, bar: QRectF) -> None:
        t = self._theme.tokens
        bar = bar.translated(rect.x(), rect.y())
        p.fillRect(bar, colour(t, "trough"))
        db = self._grid.levels.get(self._grid.routes.data_.parts[index].id, -120.0)
        p.fillRect(QRectF(bar.x(), bar.y(), bar.width() * level_share(db), bar.height()), colour(t, "meter"))

    def level_changed(self, index: int) -> None:
        """Only the bar is painted again."""
        view = self.viewport()
        if view is None or self.isSectionHidden(index):
            return
        y, h = self.sectionViewportPosition(index), self.sectionSize(index)
        if y + h < 0 or y > self.height():
            return
        bar = level_bar(self.width(), h, self._theme.tokens).translated(0, y)
        view.update(bar.adjusted(-1, -1, 1, 1).toAlignedRect())
