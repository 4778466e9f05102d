"""What a place is to the window, and its frame: head, main drawing left, words and actions right; one column when there
is no room."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from ...app.studio import Studio
from ..theme.theme import Theme
from .scroll_bar import own_scroll_bars

SIDE_PX = 316
NARROW_PX = 960


def scrolled(theme: Theme, inner: QWidget) -> QScrollArea:
    """`inner` as wide as there is room, scrolling up and down where it is too tall."""
    area = QScrollArea()
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidgetResizable(True)
    own_scroll_bars(area, theme, "paper")
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(inner)
    return area


class Place(QWidget):
    """One job, full width. The window knows places only as this; what one does not have, it leaves as it is here.

    `id` names it in the registry and in undo; `listener` is whom it shows now.
    """

    id = ""
    listener = ""

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        self.theme, self.studio = theme, studio

    def status(self) -> tuple[str, str]:
        """How it stands, in one line for the deck, and its tone."""
        return "", "mute"

    def refresh(self) -> None:
        """Show what is so now."""

    def enter(self) -> None:
        """Somebody comes by key: the focus goes where the work begins."""

    def leave(self) -> None:
        """Somebody goes to another place."""

    def go_to(self, thing: str) -> None:
        """Show what an undo touched."""

    def choose_listener(self, id: str) -> bool:
        """Show one listener. Whether this place does that."""
        return False

    def next_listener(self) -> bool:
        return False

    def toggle_table(self) -> bool:
        """The drawing as a table, or back. Whether there is one."""
        return False

    def add_menu(self) -> bool:
        """What can be added here. Whether anything can."""
        return False


class PlaceFrame(QWidget):
    """`head` above `main`; `side` right of both and scrolling by itself, or below where the window is narrower than
    960 scaled pixels."""

    def __init__(self, theme: Theme, head: QWidget, main: QWidget, side: QWidget):
        super().__init__()
        self._theme, self._side = theme, side
        left, right = QWidget(), QWidget()
        self._left, self._right = QVBoxLayout(left), QVBoxLayout(right)
        self._left.addWidget(head)
        self._left.addWidget(main, 1)
        self._side_area = scrolled(theme, right)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(scrolled(theme, left), 1)
        row.addWidget(self._side_area)
        self._narrow: bool | None = None
        theme.follow(self, self._arrange)
        self._arrange()

    def _arrange(self) -> None:
        t = self._theme.tokens
        narrow = self.width() < t.px(NARROW_PX)
        side, low, gap = round(t.px(24)), round(t.px(12)), round(t.px(20))
        self._left.setContentsMargins(side, low, side if narrow else gap // 2, low)
        self._left.setSpacing(round(t.px(10)))
        self._right.setContentsMargins(gap // 2, low, side, low)
        self._side_area.setFixedWidth(round(t.px(SIDE_PX)) + gap // 2 + side)
        if narrow == self._narrow:
            return
        self._narrow = narrow
        (self._right if narrow else self._left).removeWidget(self._side)
        (self._left if narrow else self._right).addWidget(self._side)
        self._side_area.setVisible(not narrow)

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._arrange()
