"""Rows of the page about this computer: a program that sounds, a listener that can be chosen; each with a trace."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ....words.translation import _
from ...kit.button import Button
from ...kit.label import Words
from ...kit.row_button import RowButton
from ...paint.sheet import colour
from ...theme.theme import Theme

TRACE_PX, TRACE_TALL_PX = 150, 30


class TraceView(QWidget):
    """The last seconds as one shape around a line; louder is wider. Levels linear, the newest last."""

    def __init__(self, theme: Theme, count: int):
        super().__init__()
        self._theme, self._count = theme, count
        self._levels: tuple[float, ...] = ()
        self._tone = "mute"
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(t.px(TRACE_PX)), round(t.px(TRACE_TALL_PX)))

    def show_levels(self, levels: Sequence[float], tone: str) -> None:
        kept = tuple(levels)[-self._count :]
        if (kept, tone) != (self._levels, self._tone):
            self._levels, self._tone = kept, tone
            self.update()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p, t = QPainter(self), self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(t, self._tone))
        middle, half = self.height() / 2, self.height() / 2 - 1
        step = self.width() / max(1, self._count - 1)
        begin = self._count - len(self._levels)
        p.drawRect(QRectF(0, middle - 0.75, self.width(), 1.5))
        up, down = [], []
        for i, level in enumerate(self._levels):
            x, high = (begin + i) * step, half * min(1.0, level) ** 0.5
            up.append(QPointF(x, middle - high))
            down.append(QPointF(x, middle + high))
        p.drawPolygon(QPolygonF([*up, *reversed(down)]))


class HereRow(QWidget):
    """A name, what it is here, more of it, its trace, and one press. `chose` when the row itself is pressed."""

    chose = pyqtSignal(str)

    def __init__(self, theme: Theme, key: str, count: int, press: Callable[[str], None]):
        super().__init__()
        self._theme, self.key = theme, key
        self.name = Words(theme, "strong", wraps=False)
        self.state = Words(theme, "small", "mute", wraps=False)
        self.what = Words(theme, "small", "mute")
        self.more = Words(theme, "small", "ink")
        self.trace = TraceView(theme, count)
        self.button = Button(theme, "", "outline")
        self.button.clicked.connect(lambda: press(self.key))
        self.over = RowButton(theme, self)
        self.over.clicked.connect(lambda: self.chose.emit(self.key))
        left = QVBoxLayout()
        left.setSpacing(2)
        for w in (self.name, self.what, self.more):
            left.addWidget(w)
        left.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        left.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(2)
        right.addWidget(self.trace)
        right.addWidget(self.state)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.addLayout(left, 1)
        row.addLayout(right)
        self._chosen = False

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self.over.setGeometry(self.rect())
        self.over.lower()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p, t = QPainter(self), self._theme.tokens
        if self._chosen:
            p.fillRect(self.rect(), colour(t, "tint"))
        p.setPen(colour(t, "line"))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def show_chosen(self, chosen: bool) -> None:
        self.over.setChecked(chosen)
        if chosen != self._chosen:
            self._chosen = chosen
            self.update()

    def offer(self, text: str) -> None:
        """What one press does; nothing with “”."""
        self.button.setVisible(bool(text))
        if text and text != self.button.text():
            self.button.setText(text)
            self.button.setAccessibleName(f"{self.name.text()}: {text}")
            self.button.updateGeometry()


class HereList(QWidget):
    """Rows in an order of their own, the first of them without a press; `still` while the pointer is over it, so that
    nothing moves under it."""

    chose = pyqtSignal(str)

    def __init__(self, theme: Theme, count: int, press: Callable[[str], None], empty: str):
        super().__init__()
        self._theme, self._count, self._press = theme, count, press
        self.rows: dict[str, HereRow] = {}
        self.order: tuple[str, ...] = ()
        self.all = False
        self.empty = Words(theme, "body", "mute")
        self.empty.setText(empty)
        self.rest = Button(theme, "", "plain")
        self.rest.clicked.connect(self._toggle)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._column.addWidget(self.empty)
        self._column.addWidget(self.rest, 0, Qt.AlignmentFlag.AlignLeft)
        self._column.addStretch(1)
        self._shown: tuple[str, ...] = ()

    @property
    def still(self) -> bool:
        return self.underMouse()

    def _toggle(self) -> None:
        self.all = not self.all
        self.show_keys(self.order, self._shown)

    def show_keys(self, order: tuple[str, ...], shown: tuple[str, ...]) -> None:
        """`shown` stand there without a press; the rest of `order` behind one."""
        visible = order if self.all else shown
        for gone in [k for k in self.rows if k not in order]:
            row = self.rows.pop(gone)
            self._column.removeWidget(row)
            row.deleteLater()
        for key in order:
            if key not in self.rows:
                self.rows[key] = HereRow(self._theme, key, self._count, self._press)
                self.rows[key].chose.connect(self.chose)
                self.rows[key].over.stepped.connect(self._step)
        if order != self.order:
            for i, key in enumerate(order):
                self._column.removeWidget(self.rows[key])
                self._column.insertWidget(i, self.rows[key])
        self.order, self._shown = order, shown
        for key, row in self.rows.items():
            row.setVisible(key in visible)
        self.empty.setVisible(not order)
        hidden = len(order) - len(shown)
        self.rest.setVisible(hidden > 0)
        self.rest.setText(_("Fewer") if self.all else _("{n} more").format(n=hidden))
        self.rest.updateGeometry()

    def _step(self, by: int) -> None:
        visible = [k for k in self.order if not self.rows[k].isHidden()]
        at = next((i for i, k in enumerate(visible) if self.rows[k].over.hasFocus()), 0)
        key = visible[min(max(at + by, 0), len(visible) - 1)]
        self.rows[key].over.setFocus()
        self.chose.emit(key)
