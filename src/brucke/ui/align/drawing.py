"""The arrivals drawing as a widget: one invisible button per lane, so that keyboard and readers reach it."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QWidget

from ..kit.sheet_view import SheetView
from ..paint.sheet import Sheet, colour
from ..theme.theme import Theme
from .layout import AlignLayout, align_layout, least_height
from .model import AlignData


class LaneButton(QAbstractButton):
    """Chooses a lane; paints only its focus."""

    def __init__(self, theme: Theme, parent: QWidget):
        super().__init__(parent)
        self._theme = theme
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        if self.hasFocus():
            t = self._theme.tokens
            p = QPainter(self)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setPen(QPen(colour(t, "water"), 2))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), t.px(6), t.px(6))

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(e.key()) if e is not None else Qt.Key.Key_unknown)
        parent = self.parent()
        if step is not None and isinstance(parent, AlignDrawing):
            parent.step(step)
            return
        super().keyPressEvent(e)


class AlignDrawing(SheetView):
    chose = pyqtSignal(str)

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self._data = AlignData("", (), None, None, "Nothing is routed here yet.", "")
        self._chosen = ""
        self._lanes: list[LaneButton] = []
        self._layout: AlignLayout | None = None

    def show_data(self, data: AlignData, chosen: str) -> None:
        if (data, chosen) == (self._data, self._chosen):
            return
        self._data, self._chosen = data, chosen
        while len(self._lanes) < len(data.lanes):
            lane = LaneButton(self.theme, self)
            lane.clicked.connect(
                lambda _checked=False, b=lane: self.chose.emit(self._data.lanes[self._lanes.index(b)].part)
            )
            self._lanes.append(lane)
        for i, button in enumerate(self._lanes):
            button.setVisible(i < len(data.lanes))
            if i < len(data.lanes):
                lane = data.lanes[i]
                button.setAccessibleName(f"{lane.name}, {lane.kind}, {lane.flag}")
                button.setChecked(lane.part == chosen)
        self.renew()
        self._place()

    def step(self, by: int) -> None:
        """Choose the lane above or below."""
        names = [lane.part for lane in self._data.lanes]
        at = min(max(names.index(self._chosen) + by, 0), len(names) - 1) if self._chosen in names else 0
        self._lanes[at].setFocus()
        self.chose.emit(names[at])

    def minimumSizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(420)), round(least_height(self._data, max(self.width(), t.px(420)), t)))

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def make_sheet(self, width: float, height: float) -> Sheet:
        self._layout = align_layout(self._data, self._chosen, width, height, self.theme.tokens)
        return self._layout.sheet

    def _place(self) -> None:
        self.sheet()
        assert self._layout is not None
        for button, rect in zip(self._lanes, self._layout.lanes, strict=False):
            button.setGeometry(rect.toRect())

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._place()
