"""The grid of routes: a table whose cells are painted once and kept, so that only what changed is painted again."""

from collections.abc import Callable, Hashable
from functools import partial

from PyQt6.QtCore import (
    QItemSelection,
    QModelIndex,
    QPoint,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPalette, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFrame,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from ....words.translation import _
from ...kit.scroll_bar import own_scroll_bars
from ...kit.table import CardCorner
from ...paint.sheet import Sheet, colour
from ...theme.theme import Theme
from .heads import Head
from .layout import (
    RING_PX,
    cell_layout,
    head_height,
    head_width,
    least_column,
    least_row,
    question_layout,
    question_width,
)
from .model import ShareData
from .pictures import Pictures
from .routes import QUESTIONS, Routes

TALLEST_ROW_PX = 84


class CellPainter(QStyledItemDelegate):
    def __init__(self, theme: Theme, pictures: Pictures, grid: "Grid"):
        super().__init__(grid)
        self._theme, self._pictures, self._grid = theme, pictures, grid

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        data, r, c = self._grid.routes.data_, index.row(), index.column()
        rect = option.rect
        current = index == self._grid.currentIndex()
        chosen = self._grid.is_chosen(index)
        t = self._theme.tokens
        w, h = rect.width(), rect.height()
        key: Hashable
        make: Callable[[], Sheet]
        if c < QUESTIONS:
            heard, tone = data.heard[r][c], data.parts[r].colour
            word = data.heard_words[r][c]
            key = (word, tone, current)
            make = partial(question_layout, heard, word, current, w, h, t)
        else:
            cell = data.cells[r][c - QUESTIONS]
            key = (cell, chosen, current)
            make = partial(cell_layout, cell, chosen, current, w, h, t)
        pixmap = self._pictures.get(key, w, h, self._grid.devicePixelRatioF(), self._theme, make)
        painter.drawPixmap(rect.topLeft(), pixmap)


class Grid(QTableView):
    """`toggled`: the chosen cells on or off; `nudged(db)`; `asked`: a number is wanted, typed so far; `moved(from
    row, column, to row, column, copy)`."""

    toggled = pyqtSignal()
    nudged = pyqtSignal(float)
    asked = pyqtSignal(str)
    cleared = pyqtSignal()
    copied = pyqtSignal()
    pasted = pyqtSignal()
    moved = pyqtSignal(int, int, int, int, bool)
    went = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None):
        super().__init__(parent)
        self.theme = theme
        self.routes = Routes()
        self.levels: dict[str, float] = {}
        self._from: QModelIndex | None = None
        self._at = QPoint()
        self._dragging = self._switched = False
        self._selected: set[tuple[int, int]] = set()
        pictures = Pictures()
        self.parts_head = Head(Qt.Orientation.Vertical, theme, pictures, self, self)
        self.listeners_head = Head(Qt.Orientation.Horizontal, theme, pictures, self, self)
        self.setModel(self.routes)
        self.setItemDelegate(CellPainter(theme, pictures, self))
        self.setVerticalHeader(self.parts_head)
        self.setHorizontalHeader(self.listeners_head)
        self.setCornerButtonEnabled(False)
        self._corner = CardCorner(theme, self)
        own_scroll_bars(self, theme, "card")
        self.setShowGrid(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName(_("Who hears what: parts down, listeners across"))
        self.listeners_head.sectionClicked.connect(lambda: self.went.emit())
        self.parts_head.sectionClicked.connect(lambda: self.went.emit())
        theme.follow(self, self.restyle)
        self.restyle()

    def restyle(self) -> None:
        t = self.theme.tokens
        palette = QPalette(self.palette())
        palette.setColor(QPalette.ColorRole.Base, colour(t, "card"))
        for role in (QPalette.ColorRole.Window, QPalette.ColorRole.Highlight, QPalette.ColorRole.Button):
            palette.setColor(role, colour(t, "card"))
        self.setPalette(palette)
        self.arrange()

    def show_data(self, data: ShareData) -> None:
        """The chosen cell stays chosen, also where rows or columns came or went."""
        old = self.routes.data_
        part, listener = self.cell()
        changed = (data.parts, data.listeners) != (old.parts, old.listeners)
        self.routes.show(data)
        if changed:
            self.arrange()
            self.choose(part, listener)

    def arrange(self) -> None:
        """Columns share the width, rows the height, as far as they may shrink."""
        data, t = self.routes.data_, self.theme.tokens
        if not data.parts or not data.listeners:
            return
        head, question = round(head_width(data, t)), round(question_width(data, t))
        self.parts_head.setFixedWidth(head)
        self.listeners_head.setFixedHeight(round(head_height(t)))
        for c in range(QUESTIONS):
            self.setColumnWidth(c, question)
        room = self.width() - head - QUESTIONS * question - 4
        wide = max(round(least_column(data, t)), room // len(data.listeners))
        for c in range(len(data.listeners)):
            self.setColumnWidth(c + QUESTIONS, min(wide, round(t.px(260))))
        tall = (self.height() - round(head_height(t)) - 4) // len(data.parts)
        tall = min(max(round(least_row(t)), tall), round(t.px(TALLEST_ROW_PX)))
        self.parts_head.setDefaultSectionSize(tall)
        for r in range(len(data.parts)):
            self.setRowHeight(r, tall)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self.arrange()

    # Choosing

    def is_chosen(self, index: QModelIndex) -> bool:
        return (index.row(), index.column()) in self._selected

    def reset(self) -> None:
        self._selected = set()
        super().reset()

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        self._selected = {(i.row(), i.column()) for i in self.selectedIndexes()}

    def cell(self) -> tuple[str, str]:
        """(part, listener) of the current cell; no listener in a question's column."""
        data, at = self.routes.data_, self.currentIndex()
        if not at.isValid() or at.row() >= len(data.parts):
            return "", ""
        c = at.column() - QUESTIONS
        return data.parts[at.row()].id, data.listeners[c].id if 0 <= c < len(data.listeners) else ""

    def cells(self) -> list[tuple[str, str]]:
        """Every chosen cell of a route."""
        data = self.routes.data_
        return [
            (data.parts[r].id, data.listeners[c - QUESTIONS].id) for r, c in sorted(self._selected) if c >= QUESTIONS
        ]

    def choose(self, part: str, listener: str) -> None:
        data = self.routes.data_
        row = next((i for i, p in enumerate(data.parts) if p.id == part), 0)
        column = next((i for i, x in enumerate(data.listeners) if x.id == listener), 0)
        self.setCurrentIndex(self.routes.index(row, column + QUESTIONS))

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        for head in (self.parts_head, self.listeners_head):
            view = head.viewport()
            if view is not None:
                view.update()
        self.went.emit()

    # Keys

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is None:
            return
        key, text, plain = e.key(), e.text(), not e.modifiers() & Qt.KeyboardModifier.ControlModifier
        if key == Qt.Key.Key_Space:
            self.toggled.emit()
        elif plain and text in ("+", "-", "−", "="):
            big = 0.1 if e.modifiers() & Qt.KeyboardModifier.AltModifier else 1.0
            self.nudged.emit(big if text in ("+", "=") else -big)
        elif plain and (text.isdigit() or key in (Qt.Key.Key_Return, Qt.Key.Key_Enter)):
            self.asked.emit(text if text.isdigit() else "")
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.cleared.emit()
        elif not plain and key == Qt.Key.Key_C:
            self.copied.emit()
        elif not plain and key == Qt.Key.Key_V:
            self.pasted.emit()
        elif key in (Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab) or (plain and text.isalpha()):
            e.ignore()  # the window's own keys
        else:
            super().keyPressEvent(e)

    # Mouse

    def _state(self, index: QModelIndex) -> str:
        if not index.isValid() or index.column() < QUESTIONS:
            return ""
        return self.routes.data_.cells[index.row()][index.column() - QUESTIONS].state

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        if e is None:
            return
        self._from, self._at = self.indexAt(e.position().toPoint()), e.position().toPoint()
        self._dragging = self._switched = False
        super().mousePressEvent(e)
        if e.button() != Qt.MouseButton.LeftButton or e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            return
        if self._from.isValid() and self._from.column() < QUESTIONS:
            self.toggled.emit()
        elif self._state(self._from) == "off" and self._on_ring(self._from, self._at):
            self._switched = True  # a second press of a double click does not switch it back
            self.toggled.emit()

    def _on_ring(self, index: QModelIndex, at: QPoint) -> bool:
        middle = self.visualRect(index).center()
        reach = 2.2 * self.theme.tokens.px(RING_PX)
        return abs(at.x() - middle.x()) < reach and abs(at.y() - middle.y()) < reach

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        """Dragging a route that is on carries it away; from anywhere else it chooses cells."""
        if e is None or self._from is None or self._state(self._from) != "on":
            super().mouseMoveEvent(e)
            return
        far = (e.position().toPoint() - self._at).manhattanLength() > QApplication.startDragDistance()
        if far and e.buttons() & Qt.MouseButton.LeftButton:
            self._dragging = True
            target = self.indexAt(e.position().toPoint())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            if target.isValid() and target.column() >= QUESTIONS:
                self.setCurrentIndex(target)

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        source, self._from = self._from, None
        if e is None or not self._dragging or source is None:
            super().mouseReleaseEvent(e)
            return
        self._dragging = False
        self.unsetCursor()
        target = self.indexAt(e.position().toPoint())
        if target.isValid() and target.column() >= QUESTIONS and target != source:
            copy = bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self.moved.emit(source.row(), source.column() - QUESTIONS, target.row(), target.column() - QUESTIONS, copy)

    def mouseDoubleClickEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and self.indexAt(e.position().toPoint()).isValid():
            index = self.indexAt(e.position().toPoint())
            if index.column() >= QUESTIONS and not self._switched:
                self.toggled.emit()

    # Levels

    def feed(self, part: str, index: int, db: float) -> None:
        if abs(db - self.levels.get(part, -120.0)) > 0.5:
            self.levels[part] = db
            self.parts_head.level_changed(index)
