"""Cards of the page of ends: what stands at each, what else it could be, the spans between them, and what comes
then."""

from collections.abc import Callable, Collection, Mapping

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.label import Words
from ...paint.sheet import colour
from ...theme.fonts import font, height
from ...theme.theme import Theme
from ..this_computer.page import POINTS
from ..this_computer.rows import TraceView

MOST = 3  # choices of one kind that stand there; Gather's other pages have all
# In the order in which it works: what stands at each end, then the acts. (its key, what it is called, how)
STEPS = (
    ("voice", _("Your voice"), ""),
    ("phones", _("Your headphones"), ""),
    ("song", _("The song"), ""),
    ("call", _("Who hears it"), ""),
    ("start_stop", _("Start"), _("F5; still nobody hears you")),
    ("measure", _("Measure"), _("M, a headphone at the microphone")),
    ("everywhere", _("In step"), _("Shift+E, everywhere at once")),
    ("on_air", _("Let them hear"), _("F9, when they say yes")),
)


class Choice(QWidget):
    """One thing that it could be: its trace, its name, and the press that says so."""

    def __init__(self, theme: Theme, traced: bool):
        super().__init__()
        self.key = ""
        self.trace = TraceView(theme, POINTS)
        self.trace.setVisible(traced)
        self.name = Words(theme, "small", "ink")
        self.button = Button(theme, "", "outline")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        left = QVBoxLayout()
        left.setSpacing(2)
        left.addWidget(self.name)
        left.addWidget(self.trace)
        row.addLayout(left, 1)
        row.addWidget(self.button)


class EndCard(Card):
    """What stands at one end: what it is now, whether that is sure, and what else it could be."""

    def __init__(self, theme: Theme, title: str, hint: str, traced: bool, pick: Callable[[str], None], also: str = ""):
        super().__init__(theme)
        self.found = False
        self.title, self.state = Words(theme, "name", wraps=False), Words(theme, "strong", "water", wraps=False)
        self.title.setText(title)
        self.what, self.hint = Words(theme, "body"), Words(theme, "small", "mute")
        self.hint.setText(hint)
        line = QHBoxLayout()
        line.addWidget(self.title, 1)
        line.addWidget(self.state)
        self.column.addLayout(line)
        self.column.addWidget(self.what)
        self.column.addWidget(self.hint)
        self.choices = [Choice(theme, traced) for _i in range(MOST)]
        for choice in self.choices:
            choice.button.clicked.connect(lambda _checked=False, c=choice: pick(c.key))
            self.column.addWidget(choice)
        self.also = Button(theme, also, "outline")
        self.also.setVisible(bool(also))
        self.column.addWidget(self.also, 0, Qt.AlignmentFlag.AlignRight)
        self.column.addStretch(1)

    @property
    def first(self) -> Button | None:
        """The first thing that can be pressed on it."""
        return next(
            (b for b in (*(c.button for c in self.choices if not c.isHidden()), self.also) if not b.isHidden()), None
        )

    def show_end(self, found: bool, what: str, tone: str) -> None:
        self.found = found
        self.state.say(_("found") if found else _("one step"), "water" if found else "coral")
        self.title.say(self.title.text(), tone)
        self.what.say(what)

    def offer(self, choices: list[tuple[str, str]], press: str) -> None:
        """(key, what it is called) of what it could be, and what the press says."""
        for choice, (key, name) in zip(self.choices, [*choices, *[("", "")] * MOST], strict=False):
            choice.setVisible(bool(key))
            choice.key = key
            choice.name.say(name[:48])
            choice.button.setText(press)
            choice.button.setAccessibleName(f"{self.title.text()}: {name}: {press}")
            choice.button.updateGeometry()


class Span(QWidget):
    """From what sounds to who hears it."""

    def __init__(self, theme: Theme, ink: str):
        super().__init__()
        self._theme, self._ink = theme, ink
        self.lines: tuple[tuple[str, str, str], ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(t.px(260)), round(t.px(150)))

    def say(self, *lines: tuple[str, str, str]) -> None:
        """(role, text, tone) below each other."""
        if lines != self.lines:
            self.lines = lines
            self.setAccessibleName(", ".join(text for _role, text, _tone in lines))
            self.update()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p, t = QPainter(self), self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right, deck = t.px(14), self.width() - t.px(14), t.px(58)
        arch = QPainterPath()
        arch.moveTo(left, deck)
        arch.quadTo(self.width() / 2, -deck + t.px(16), right, deck)
        p.setPen(QPen(colour(t, self._ink), 2.4))
        p.drawPath(arch)
        p.setPen(QPen(colour(t, "ink"), 1.6))
        p.drawLine(round(left - t.px(8)), round(deck), round(right + t.px(8)), round(deck))
        for pier in (left, right):
            p.drawLine(round(pier), round(deck), round(pier), round(deck + t.px(18)))
        y = deck + t.px(10)
        for role, text, tone in self.lines:
            p.setFont(font(role, t.scale))
            p.setPen(colour(t, tone))
            p.drawText(QRectF(0, y, self.width(), height(role, t.scale)), int(Qt.AlignmentFlag.AlignHCenter), text)
            y += height(role, t.scale) + 2


class StepsCard(Card):
    """Everything there is to do, in the order in which it works: what is done, and what comes next. `chose(key)` by a
    press."""

    chose = pyqtSignal(str)

    def __init__(self, theme: Theme):
        super().__init__(theme)
        first = Words(theme, "strong", wraps=False)
        first.setText(_("In this order"))
        self.column.addWidget(first)
        self.rows: dict[str, Button] = {}
        self.says: dict[str, Words] = {}
        for key, what, how in STEPS:
            button, small = Button(theme, what, "plain"), Words(theme, "small", "mute")
            small.setText(how)
            button.clicked.connect(lambda _checked=False, key=key: self.chose.emit(key))
            self.rows[key], self.says[key] = button, small
            line = QHBoxLayout()
            line.addWidget(button)
            line.addWidget(small, 1)
            self.column.addLayout(line)

    def show_steps(self, done: Mapping[str, bool], hidden: Collection[str], idle: Collection[str]) -> None:
        """What is not done yet and comes first stands out; what this setup has not is not listed, and what there is
        nothing to do about cannot be pressed."""
        due = next((key for key in self.rows if not done[key] and key not in hidden), "")
        shown = [key for key in self.rows if key not in hidden]
        for key, what, how in STEPS:
            button, small = self.rows[key], self.says[key]
            for w in (button, small):
                w.setVisible(key in shown)
            if key in shown:
                button.setText(f"{shown.index(key) + 1}  {what}")
                button.setEnabled(key not in idle)
                button.set_kind("outline" if key == due else "plain")
                button.updateGeometry()
                small.say(_("done") if done[key] else how, "water" if done[key] else "mute")
