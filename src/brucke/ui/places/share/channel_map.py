"""The channel map of a route, up to 16 × 16: a table of points, each on or off with a gain of its own."""

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPalette
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from ....core.document.setup import MapPoint
from ....words.detail import choose
from ....words.timing import db_text, percent_text
from ....words.translation import _
from ...kit.scroll_bar import own_scroll_bars
from ...kit.table import CardCorner, PlainHead
from ...paint.sheet import Box, Sheet, colour, paint_sheet
from ...theme.fonts import font, height, width
from ...theme.theme import Theme
from ...theme.tokens import Tokens


def point_layout(gain: float | None, ink: int, current: bool, w: float, h: float, t: Tokens) -> Sheet:
    sheet = Sheet(w, h)
    box = QRectF(2, 2, w - 4, h - 4)
    fill, edge = (f"part:{ink}", f"part:{ink}") if gain is not None else ("card", "edge")
    sheet.boxes.append(Box(box, fill, edge, t.px(4), 1.2))
    if current:
        sheet.boxes.append(Box(box.adjusted(-1.5, -1.5, 1.5, 1.5), "", "water", t.px(5), 2.2))
    if gain is not None:
        text = f"{gain:.{0 if abs(gain) >= 9.95 else 1}f}".replace("-", "−")
        text = choose(percent_text(gain).removesuffix(" %"), text)
        sheet.text(QRectF(0, 0, w, h), text, "small", "on_water", "centre", f"part:{ink}")
    return sheet


class Points(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self.points: dict[tuple[int, int], float] = {}
        self.size = (0, 0)
        self.ink = 0

    def show(self, points: tuple[MapPoint, ...], sources: int, targets: int, ink: int) -> None:
        new = {(m.source, m.target): m.gain_db for m in points}
        if (sources, targets) != self.size:
            self.beginResetModel()
            self.points, self.size, self.ink = new, (sources, targets), ink
            self.endResetModel()
        elif (new, ink) != (self.points, self.ink):
            self.points, self.ink = new, ink
            self.dataChanged.emit(self.index(0, 0), self.index(sources - 1, targets - 1))

    def rowCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return self.size[0]

    def columnCount(self, parent: QModelIndex | QPersistentModelIndex | None = None) -> int:
        return self.size[1]

    def data(self, index: QModelIndex | QPersistentModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        gain = self.points.get((index.row(), index.column()))
        state = "off" if gain is None else db_text(gain)
        return _("side {row} to channel {column}: {state}").format(
            row=index.row() + 1, column=index.column() + 1, state=state
        )

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return f"in {section + 1}" if orientation == Qt.Orientation.Vertical else f"{section + 1}"
        return None


class PointPainter(QStyledItemDelegate):
    def __init__(self, theme: Theme, table: "ChannelMap"):
        super().__init__(table)
        self._theme, self._table = theme, table

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        points, rect = self._table.points, option.rect
        gain = points.points.get((index.row(), index.column()))
        current = index == self._table.currentIndex() and self._table.hasFocus()
        painter.save()
        painter.translate(rect.topLeft())
        sheet = point_layout(gain, points.ink, current, rect.width(), rect.height(), self._theme.tokens)
        paint_sheet(painter, sheet, self._theme.tokens)
        painter.restore()


class ChannelMap(QTableView):
    """Space or a click switches a point, plus and minus change its gain, dragging it carries it to another channel."""

    toggled = pyqtSignal(int, int)
    nudged = pyqtSignal(int, int, float)
    carried = pyqtSignal(int, int, int, int)

    def __init__(self, theme: Theme):
        super().__init__()
        self.theme = theme
        self.points = Points()
        self._from: QModelIndex | None = None
        self.setModel(self.points)
        self.setItemDelegate(PointPainter(theme, self))
        self.setShowGrid(False)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setCornerButtonEnabled(False)
        self.setHorizontalHeader(PlainHead(Qt.Orientation.Horizontal, theme, self))
        self.setVerticalHeader(PlainHead(Qt.Orientation.Vertical, theme, self))
        self._corner = CardCorner(theme, self)
        own_scroll_bars(self, theme, "card")
        self.setAccessibleName(_("Channel map: sides of the part down, channels of the listener across"))
        for head in (self.horizontalHeader(), self.verticalHeader()):
            assert head is not None
            head.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            head.setMinimumSectionSize(10)
            head.setSectionsClickable(False)
            head.setHighlightSections(False)
        theme.follow(self, self.restyle)
        self.restyle()

    def restyle(self) -> None:
        t = self.theme.tokens
        palette = QPalette(self.palette())
        for role in (QPalette.ColorRole.Base, QPalette.ColorRole.Window, QPalette.ColorRole.Button):
            palette.setColor(role, QColor(colour(t, "card")))
        self.setPalette(palette)
        across, down = self.horizontalHeader(), self.verticalHeader()
        assert across is not None
        assert down is not None
        for head in (across, down):
            head.setFont(font("small", t.scale))
        wide, tall = round(width("−24.0", "small", t.scale) + t.px(8)), round(height("small", t.scale) + t.px(10))
        across.setDefaultSectionSize(wide)
        down.setDefaultSectionSize(tall)
        across.setFixedHeight(round(height("small", t.scale) + t.px(6)))
        down.setFixedWidth(round(width("in 16", "small", t.scale) + t.px(12)))
        rows = min(self.points.size[0], 6)
        bar = self.horizontalScrollBar()
        more = bar.sizeHint().height() if bar is not None and self.points.size[1] > 4 else 0
        self.setFixedHeight(round(across.height() + rows * tall + 4 + more))

    def sizeHint(self) -> QSize:
        return QSize(round(self.theme.tokens.px(200)), self.height())

    def show_map(self, points: tuple[MapPoint, ...], sources: int, targets: int, ink: int) -> None:
        self.points.show(points, sources, targets, ink)
        self.restyle()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is None:
            return
        at, text = self.currentIndex(), e.text()
        if e.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter) and at.isValid():
            self.toggled.emit(at.row(), at.column())
        elif text in ("+", "=", "-", "−") and at.isValid():
            self.nudged.emit(at.row(), at.column(), 1.0 if text in ("+", "=") else -1.0)
        elif text.isalpha() or e.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            e.ignore()
        else:
            super().keyPressEvent(e)

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        super().mousePressEvent(e)
        self._from = self.indexAt(e.position().toPoint()) if e is not None else None

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        super().mouseReleaseEvent(e)
        source, self._from = self._from, None
        if e is None or source is None or not source.isValid():
            return
        target = self.indexAt(e.position().toPoint())
        if target == source:
            self.toggled.emit(source.row(), source.column())
        elif target.isValid() and (source.row(), source.column()) in self.points.points:
            self.carried.emit(source.row(), source.column(), target.row(), target.column())
