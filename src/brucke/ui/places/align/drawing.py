"""The arrivals drawing as a widget: one invisible button per lane, so that keyboard and readers reach it."""

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent

from ....words.translation import _
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
        self.data = AlignData("", (), None, None, _("Nothing is routed here yet."), "")
        self._chosen = ""
        self.lanes: list[RowButton] = []
        self._layout: AlignLayout | None = None

    def show_data(self, data: AlignData, chosen: str) -> None:
        if (data, chosen) == (self.data, self._chosen):
            return
        self.data, self._chosen = data, chosen
        while len(self.lanes) < len(data.lanes):
            lane = RowButton(self.theme, self)
            lane.stepped.connect(self.step)
            lane.clicked.connect(
                lambda _checked=False, b=lane: self.chose.emit(self.data.lanes[self.lanes.index(b)].part)
            )
            self.lanes.append(lane)
        for i, button in enumerate(self.lanes):
            button.setVisible(i < len(data.lanes))
            if i < len(data.lanes):
                shown = data.lanes[i]
                button.setAccessibleName(f"{shown.name}, {shown.kind}, {shown.flag}")
                button.setChecked(shown.part == chosen)
        self.renew()
        self._place()

    def step(self, by: int) -> None:
        """Choose the lane above or below."""
        names = [lane.part for lane in self.data.lanes]
        at = min(max(names.index(self._chosen) + by, 0), len(names) - 1) if self._chosen in names else 0
        self.lanes[at].setFocus()
        self.chose.emit(names[at])

    def minimumSizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(420)), round(least_height(self.data, max(self.width(), t.px(420)), t)))

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def make_sheet(self, width: float, height: float) -> Sheet:
        self._layout = align_layout(self.data, self._chosen, width, height, self.theme.tokens)
        return self._layout.sheet

    def _place(self) -> None:
        self.sheet()
        assert self._layout is not None
        for button, rect in zip(self.lanes, self._layout.lanes, strict=False):
            button.setGeometry(rect.toRect())

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._place()
