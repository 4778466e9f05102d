"""The table beside every drawing: rows a screen reader can read, copied as tab-separated text."""

from PyQt6.QtCore import QAbstractTableModel, QEvent, QModelIndex, QObject, QRect, QSize, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QKeySequence, QPainter
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from ..paint.sheet import colour
from ..theme.fonts import font, height, width
from ..theme.theme import Theme
from .scroll_bar import own_scroll_bars


class Rows(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self.head: list[str] = []
        self.rows: list[list[str]] = []

    def show_rows(self, head: list[str], rows: list[list[str]]) -> None:
        if (head, rows) == (self.head, self.rows):
            return
        if head == self.head and len(rows) == len(self.rows):  # who reads a cell goes on reading it
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(head) - 1))
            return
        self.beginResetModel()
        self.head, self.rows = head, rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.head)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        text = self.rows[index.row()][index.column()]
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return text or f"{self.head[index.column()]}: none"
        return text if role == Qt.ItemDataRole.DisplayRole else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self.head[section]
        return None


class PlainHead(QHeaderView):
    """Heads in words on the card, a thin line below; no bevels."""

    def __init__(self, orientation: Qt.Orientation, theme: Theme, parent: QTableView):
        super().__init__(orientation, parent)
        self._theme = theme
        self.setHighlightSections(False)
        self.setFrameShape(QFrame.Shape.NoFrame)

    def paintSection(self, painter: QPainter | None, rect: QRect, index: int) -> None:
        model = self.model()
        if painter is None or model is None:
            return
        t = self._theme.tokens
        painter.fillRect(rect, colour(t, "card"))
        painter.setFont(font("small", t.scale))
        painter.setPen(colour(t, "mute"))
        text = str(model.headerData(index, self.orientation(), Qt.ItemDataRole.DisplayRole) or "")
        across = self.orientation() == Qt.Orientation.Horizontal
        flags = Qt.AlignmentFlag.AlignVCenter | (self.defaultAlignment() & Qt.AlignmentFlag.AlignHorizontal_Mask)
        painter.drawText(rect.adjusted(8, 0, -4, 0), int(flags), text)
        if across:
            painter.fillRect(QRect(rect.x(), rect.bottom(), rect.width(), 1), colour(t, "line"))


class CardCorner(QObject):
    """Paints the corner between two heads as the card it stands on."""

    def __init__(self, theme: Theme, view: QTableView):
        super().__init__(view)
        self._theme = theme
        self._corner = view.findChild(QAbstractButton)
        if self._corner is not None:
            self._corner.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, e: QEvent | None) -> bool:
        if e is not None and e.type() == QEvent.Type.Paint and self._corner is not None and watched is self._corner:
            QPainter(self._corner).fillRect(self._corner.rect(), colour(self._theme.tokens, "card"))
            return True
        return super().eventFilter(watched, e)


class PlainRows(QStyledItemDelegate):
    """Rows on the card with a thin line between them; what stands in the row above as well is not said again."""

    def __init__(self, theme: Theme, parent: QTableView):
        super().__init__(parent)
        self._theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        t = self._theme.tokens
        text, role = str(index.data() or ""), "strong" if index.column() == 0 else "body"
        return QSize(round(width(text, role, t.scale) + t.px(24)), round(height("body", t.scale) + t.px(8)))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        t, rect = self._theme.tokens, option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        again = index.row() > 0 and index.column() == 0 and index.siblingAtRow(index.row() - 1).data() == index.data()
        painter.fillRect(rect, colour(t, "tint" if chosen else "card"))
        whole = index.siblingAtColumn(0)
        first = whole.row() == 0 or whole.siblingAtRow(whole.row() - 1).data() != whole.data()
        if first and index.row() > 0:
            painter.fillRect(QRect(rect.x(), rect.y(), rect.width(), 1), colour(t, "line"))
        if again:
            return
        painter.setFont(font("strong" if index.column() == 0 else "body", t.scale))
        painter.setPen(colour(t, "ink"))
        inner = rect.adjusted(round(t.px(8)), 0, -round(t.px(4)), 0)
        painter.drawText(inner, int(Qt.AlignmentFlag.AlignVCenter), str(index.data() or ""))


class PlainTable(QTableView):
    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.rows = Rows()
        self.setModel(self.rows)
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.setHorizontalHeader(PlainHead(Qt.Orientation.Horizontal, theme, self))
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setShowGrid(False)
        self.setItemDelegate(PlainRows(theme, self))
        own_scroll_bars(self, theme, "card")
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None
        assert side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        side.setVisible(False)
        self.setTabKeyNavigation(False)
        self._theme = theme
        theme.follow(self, self._space)
        self._space()

    def _space(self) -> None:
        side, header = self.verticalHeader(), self.horizontalHeader()
        assert side is not None
        assert header is not None
        tall = round(height("body", self._theme.tokens.scale) + self._theme.tokens.px(8))
        side.setDefaultSectionSize(tall)
        header.setMinimumHeight(tall)

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is not None and e.matches(QKeySequence.StandardKey.Copy):
            self.copy()
            return
        super().keyPressEvent(e)

    def copy(self) -> None:
        """Everything, with its head, to the clipboard."""
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        lines = ["\t".join(self.rows.head), *("\t".join(r) for r in self.rows.rows)]
        clipboard.setText("\n".join(lines))
