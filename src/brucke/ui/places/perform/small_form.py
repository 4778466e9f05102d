"""The small form of the hour: above other windows, it leaves the screen to the call."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ...kit.label import Words
from ...paint.sheet import colour
from ...theme.theme import Theme
from .big_key import BigKey
from .layout import says_sheet
from .model import PerformData
from .view import Painted, said_text


class SmallForm(QWidget):
    """`acts` with the action of a key; `left` when it is closed."""

    acts = pyqtSignal(str)
    mutes = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, theme: Theme, window: QWidget):
        super().__init__(window, Qt.WindowType.Tool | Qt.WindowType.WindowStaysOnTopHint)
        self.theme = theme
        self.setWindowTitle("Brucke")
        self.says = Painted(theme, says_sheet, said_text)
        self.upcoming, self.mute, self.silence = (BigKey(theme, kind) for kind in ("next", "mute", "silence"))
        self.time, self.trouble = Words(theme, "name", "coral", wraps=False), Words(theme, "strong", "amber")
        keys = QGridLayout()
        keys.addWidget(self.upcoming, 0, 0, 1, 2)
        keys.addWidget(self.mute, 1, 0)
        keys.addWidget(self.silence, 1, 1)
        column = QVBoxLayout(self)
        column.addWidget(self.says, 1)
        column.addWidget(self.time)
        column.addLayout(keys)
        column.addWidget(self.trouble)
        for key, action in ((self.upcoming, "line_next"), (self.silence, "silence")):
            key.clicked.connect(lambda _checked=False, action=action: self.acts.emit(action))
        self.mute.clicked.connect(self.mutes.emit)
        # Every key of the window works here, too.
        self.addActions(window.actions())
        self.resize(round(theme.tokens.px(420)), round(theme.tokens.px(430)))

    def show_data(self, data: PerformData, keys: dict[str, BigKey]) -> None:
        """As Perform has it; `keys` are its own, which these follow."""
        self.says.show_data(data, (data.moment, data.says), self._shown())
        self.time.say(data.left)
        self.trouble.say(data.alarm or data.trouble[1], "coral" if data.alarm else "amber")
        for name, key in (("upcoming", self.upcoming), ("mute", self.mute), ("silence", self.silence)):
            key.follow(keys[name])

    def _shown(self) -> object:
        data = self.says.data
        return (data.moment, data.says) if data is not None else None

    def paintEvent(self, e: QPaintEvent | None) -> None:
        QPainter(self).fillRect(self.rect(), colour(self.theme.tokens, "paper"))

    def closeEvent(self, e: QCloseEvent | None) -> None:
        self.left.emit()
        super().closeEvent(e)
