"""A drawing whose things can be chosen: an invisible button stands over each."""

from typing import Any

from PyQt6.QtCore import QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent

from ..theme.theme import Theme
from .row_button import RowButton
from .sheet_view import SheetView


class ButtonsDrawing(SheetView):
    """Buttons over the things of a sheet; subclasses lay out, place and name them."""

    sideways = False
    chose = pyqtSignal(str)
    moved = pyqtSignal(str, int)

    def __init__(self, theme: Theme, nothing: Any):
        """`nothing` is the data before there is any."""
        super().__init__(theme)
        self.data = nothing
        self._chosen = ""
        self.buttons: list[RowButton] = []

    def ids(self) -> list[str]:
        raise AssertionError("a subclass names its things")

    def labels(self) -> list[str]:
        raise AssertionError("a subclass labels its things")

    def rects(self) -> tuple[QRectF, ...]:
        raise AssertionError("a subclass places its things")

    def show_data(self, data: Any, chosen: str) -> None:
        if (data, chosen) == (self.data, self._chosen):
            return
        self.data, self._chosen = data, chosen
        ids = self.ids()
        while len(self.buttons) < len(ids):
            button = RowButton(self.theme, self, self.sideways)
            button.clicked.connect(lambda _checked=False, b=button: self.chose.emit(self._id(b)))
            button.stepped.connect(self._step)
            button.moved.connect(lambda by, b=button: self.moved.emit(self._moving(b), by))
            self.buttons.append(button)
        for i, button in enumerate(self.buttons):
            button.setVisible(i < len(ids))
            if i < len(ids):
                button.setAccessibleName(self.labels()[i])
                button.setChecked(ids[i] == chosen)
        self.renew()
        self._place()

    def _id(self, button: RowButton) -> str:
        return self.ids()[self.buttons.index(button)]

    def _moving(self, button: RowButton) -> str:
        """What the button moves: a drag goes on with the thing it took up, which is chosen since."""
        return self._chosen if button.carried else self._id(button)

    def _step(self, by: int) -> None:
        ids = self.ids()
        at = min(max(ids.index(self._chosen) + by, 0), len(ids) - 1) if self._chosen in ids else 0
        self.buttons[at].setFocus()
        self.chose.emit(ids[at])

    def focus_row(self) -> None:
        ids = self.ids()
        if ids:
            self.buttons[ids.index(self._chosen) if self._chosen in ids else 0].setFocus()

    def _place(self) -> None:
        self.sheet()
        for button, rect in zip(self.buttons, self.rects(), strict=False):
            button.setGeometry(rect.toRect())

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._place()

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def showing(self, low: float) -> QSize:
        return QSize(round(self.theme.tokens.px(420)), round(low))

    def wide(self) -> float:
        return max(self.width(), self.theme.tokens.px(420))
