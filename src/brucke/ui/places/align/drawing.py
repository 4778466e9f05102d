"""The arrivals drawing as a widget: one invisible button per lane, so that keyboard and readers reach it."""

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent

from ...kit.row_button import RowButton
from ...kit.sheet_view import SheetView
from ...paint.sheet import Sheet
from ...theme.theme import Theme
from .layout import AlignLayout, align_layout, least_height
from .model import AlignData


class AlignDrawing(SheetView):
    chose = pyqtSignal(str)

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self._data = AlignData("", (), None, None, "Nothing is routed here yet.", "")
        self._chosen = ""
        self._lanes: list[RowButton] = []
        self._layout: AlignLayout | None = None

    def show_data(self, data: AlignData, chosen: str) -> None:
        if (data, chosen) == (self._data, self._chosen):
            return
        self._data, self._chosen = data, chosen
        while len(self._lanes) < len(data.lanes):
            lane = RowButton(self.theme, self)
            lane.stepped.connect(self.step)
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
