"""The frame of a place: head, main drawing left, words and actions right; one column when there is no room."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QScrollArea, QWidget

from ..theme.theme import Theme

SIDE_PX = 316
NARROW_PX = 960


class PlaceFrame(QScrollArea):
    """`head` above `main`; `side` right of both, or below where the window is narrower than 960 scaled pixels."""

    def __init__(self, theme: Theme, head: QWidget, main: QWidget, side: QWidget):
        super().__init__()
        self._theme, self._head, self._main, self._side = theme, head, main, side
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self.setWidget(inner)
        self._narrow: bool | None = None
        theme.changed.connect(self._arrange)
        self._arrange()

    def _arrange(self) -> None:
        t = self._theme.tokens
        narrow = self.width() < t.px(NARROW_PX)
        side = round(t.px(24))
        self._grid.setContentsMargins(side, round(t.px(12)), side, round(t.px(12)))
        self._grid.setHorizontalSpacing(round(t.px(20)))
        self._grid.setVerticalSpacing(round(t.px(10)))
        self._side.setMaximumWidth(16777215 if narrow else round(t.px(SIDE_PX)))
        self._side.setMinimumWidth(0 if narrow else round(t.px(SIDE_PX)))
        if narrow == self._narrow:
            return
        self._narrow = narrow
        for w in (self._head, self._main, self._side):
            self._grid.removeWidget(w)
        self._grid.addWidget(self._head, 0, 0)
        self._grid.addWidget(self._main, 1, 0)
        if narrow:
            self._grid.addWidget(self._side, 2, 0)
        else:
            self._grid.addWidget(self._side, 0, 1, 2, 1)
        self._grid.setColumnStretch(0, 1)
        self._grid.setRowStretch(1, 1)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._arrange()
