"""The chain as a drawing with a button over every processor."""

from PyQt6.QtCore import QRectF, QSize

from ..kit.buttons_drawing import ButtonsDrawing
from ..paint.sheet import Sheet
from ..theme.theme import Theme
from .layout import ShapeLayout, least_height, shape_layout
from .model import ShapeData


class ChainDrawing(ButtonsDrawing):
    """Ids are the slots, as text."""

    framed = False

    def __init__(self, theme: Theme):
        super().__init__(theme, ShapeData(0, (), "", ""))
        self._layout = ShapeLayout(Sheet(0, 0), ())

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
