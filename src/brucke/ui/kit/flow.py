"""A row of controls that wraps when there is no room."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class Flow(QLayout):
    """Left to right, then the next line; items keep their own size, lines are centred on their height."""

    def __init__(self, spacing: int = 8, parent: QWidget | None = None):
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.pushed: QWidget | None = None  # stands at the right end of the last line
        self.setSpacing(spacing)
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, move=True)

    def sizeHint(self) -> QSize:
        shown = [i.sizeHint() for i in self._items if not i.isEmpty()]
        wide = sum(s.width() for s in shown) + self.spacing() * max(0, len(shown) - 1)
        return QSize(wide, max((s.height() for s in shown), default=0))

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def _arrange(self, rect: QRect, move: bool) -> int:
        x, y, tall = rect.x(), rect.y(), 0
        line: list[tuple[QLayoutItem, int, QSize]] = []

        def settle() -> None:
            for item, left, size in line:
                item.setGeometry(QRect(QPoint(left, y + (tall - size.height()) // 2), size))

        for item in self._items:
            if item.isEmpty():
                continue
            size = item.sizeHint().boundedTo(QSize(max(rect.width(), 1), 100000))
            if line and x + size.width() > rect.right() + 1:
                if move:
                    settle()
                x, y, tall, line = rect.x(), y + tall + self.spacing(), 0, []
            line.append((item, x, size))
            x += size.width() + self.spacing()
            tall = max(tall, size.height())
        if move:
            if line and line[-1][0].widget() is self.pushed is not None:
                item, _, size = line[-1]
                line[-1] = (item, rect.right() + 1 - size.width(), size)
            settle()
        return y + tall - rect.y()
