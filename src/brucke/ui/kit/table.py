"""The table beside every drawing: rows a screen reader can read, copied as tab-separated text."""

from PyQt6.QtCore import QAbstractTableModel, QEvent, QModelIndex, QObject, QRect, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QKeySequence, QPainter
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QFrame, QHeaderView, QTableView, QWidget

from ..paint.sheet import colour
from ..theme.fonts import font
from ..theme.theme import Theme


class Rows(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self.head: list[str] = []
        self.rows: list[list[str]] = []

    def show_rows(self, head: list[str], rows: list[list[str]]) -> None:
        self.beginResetModel()
        self.head, self.rows = head, rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.head)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.rows[index.row()][index.column()]
        return None

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
        painter.drawText(rect.adjusted(4, 0, -4, 0), int(flags), text)
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
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None
        assert side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        side.setVisible(False)
        self.setTabKeyNavigation(False)
        theme.changed.connect(self.resizeRowsToContents)

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
