"""The table beside every drawing: rows a screen reader can read, copied as tab-separated text."""

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

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


class PlainTable(QTableView):
    def __init__(self, theme: Theme, name: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.rows = Rows()
        self.setModel(self.rows)
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None
        assert side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
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
