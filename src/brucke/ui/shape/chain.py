"""The chain as a drawing with a button over every processor; what moves is painted over it."""

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent

from ..kit.buttons_drawing import ButtonsDrawing
from ..paint.sheet import Sheet, paint_sheet
from ..theme.theme import Theme
from .layout import ShapeLayout, least_height, shape_layout
from .live import STILL, CardLive, Comparison, card_live, comparison, comparison_sheet, live_sheet
from .model import NOTHING, ShapeData
from .watch import ChainWatch


class ChainDrawing(ButtonsDrawing):
    """Ids are the slots, as text."""

    framed = False
    sideways = True

    def __init__(self, theme: Theme):
        super().__init__(theme, NOTHING)
        self._layout = ShapeLayout(Sheet(0, 0), ())
        self.live: dict[int, CardLive] = {}
        self.compared = Comparison()

    def ids(self) -> list[str]:
        return [str(i) for i in range(len(self._data.cards))]

    def labels(self) -> list[str]:
        return [
            ", ".join([c.name, "on" if c.on else "off", c.cost, *(f"{name} {value}" for name, value in c.values)])
            for c in self._data.cards
        ]

    def rects(self) -> tuple[QRectF, ...]:
        return self._layout.cards

    def minimumSizeHint(self) -> QSize:
        return self.showing(least_height(self._data, self.wide(), self.theme.tokens))

    def make_sheet(self, width: float, height: float) -> Sheet:
        chosen = int(self._chosen) if self._chosen else -1
        self._layout = shape_layout(self._data, chosen, width, height, self.theme.tokens)
        return self._layout.sheet

    def show_data(self, data: ShapeData, chosen: str) -> None:
        """Another chain begins without what moved in the one before."""
        if [c.kind for c in data.cards] != [c.kind for c in self._data.cards]:
            self.live, self.compared = {}, Comparison()
        super().show_data(data, chosen)

    def feed(self, watch: ChainWatch, rate_hz: float) -> None:
        """What the chain tells now; only drawings that change are painted again."""
        self.sheet()
        for i, (card, area) in enumerate(zip(self._data.cards, self._layout.drawings, strict=False)):
            now = card_live(card, i, watch, rate_hz)
            if now != self.live.get(i, STILL):
                self.live[i] = now
                self.update(area.adjusted(-6, -6, 6, 6).toAlignedRect())
        if not self._layout.comparison.isEmpty():
            compared = comparison(watch, len(self._data.cards))
            if compared != self.compared:
                self.compared = compared
                self.update(self._layout.comparison.toAlignedRect())

    def paintEvent(self, e: QPaintEvent | None) -> None:
        super().paintEvent(e)
        p, t, found = QPainter(self), self.theme.tokens, self._layout
        for i, (card, area) in enumerate(zip(self._data.cards, found.drawings, strict=False)):
            if e is None or e.rect().intersects(area.toAlignedRect()):
                paint_sheet(p, live_sheet(card, self.live.get(i, STILL), area, self._data.ink, t), t)
        room = found.comparison
        if not room.isEmpty() and (e is None or e.rect().intersects(room.toAlignedRect())):
            paint_sheet(p, comparison_sheet(self.compared, room, self._data.ink, found.labels, t), t)
