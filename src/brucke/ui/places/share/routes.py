"""The routes as a table model for the grid and for readers."""

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from ....words.translation import _
from .model import ShareData

QUESTIONS = 2  # columns before the listeners: do I hear it, do they


class Routes(QAbstractTableModel):
    """Rows are parts; columns the two questions and then the listeners."""

    def __init__(self) -> None:
        super().__init__()
        self.data_ = ShareData((), (), (), (), ())

    def show(self, data: ShareData) -> None:
        """Only cells that changed are told to the view."""
        old = self.data_
        if data.parts != old.parts or data.listeners != old.listeners:
            self.beginResetModel()
            self.data_ = data
            self.endResetModel()
            return
        self.data_ = data
        for r, (before, after) in enumerate(zip(old.cells, data.cells, strict=True)):
            if before == after and old.heard[r] == data.heard[r]:
                continue
            for c, (a, b) in enumerate(zip(before, after, strict=True)):
                if a != b:
                    at = self.index(r, c + QUESTIONS)
                    self.dataChanged.emit(at, at)
            if old.heard[r] != data.heard[r]:
                self.dataChanged.emit(self.index(r, 0), self.index(r, QUESTIONS - 1))

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return len(self.data_.parts)

    def columnCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return len(self.data_.listeners) + QUESTIONS if self.data_.parts else 0

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        r, c = index.row(), index.column()
        if c < QUESTIONS:
            who = (_("do I hear it"), _("do they hear it"))[c]
            return f"{self.data_.parts[r].name}, {who}: {self.data_.heard_words[r][c]}"
        return self.data_.cells[r][c - QUESTIONS].said

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        if orientation == Qt.Orientation.Vertical:
            return self.data_.parts[section].name if section < len(self.data_.parts) else None
        if section < QUESTIONS:
            return ("me", "them")[section]
        at = section - QUESTIONS
        return self.data_.listeners[at].name if at < len(self.data_.listeners) else None
