"""An empty setup: what to start from, each beginning with who will hear what, and the last setups."""

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QRectF, QSettings, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from ....words.documents import BEGINNING_WORDS, TEMPLATE_WORDS
from ....words.timing import date_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.pictured import Picture
from ...paint.sheet import colour
from ...theme.fonts import font, height, width, wrap
from ...theme.theme import Theme

CARD_PX, SPAN_PX = 388.0, 72.0
MOST_RECENT = 5
BEGAN_WHERE, BEGAN_WITH = "began/where", "began/with"
ABOUT = _(
    "Brucke brings your voice, instruments and music to everybody who listens, and lets all of it arrive together."
)
HINT = _(
    "Each comes with sounds to try it at once, on simulated equipment. Everything in it can be changed, and nothing "
    "is lost by starting."
)
HERE_HINT = _(
    "With the microphone and the headphones that the desktop has chosen. Calls and streams become microphones that "
    "the other program chooses; they are silent until you let them hear."
)


class TemplateButton(QAbstractButton):
    """A card with a name, and two spans: what I will hear, and what they will hear."""

    def __init__(self, theme: Theme, code: str):
        super().__init__()
        name, what = TEMPLATE_WORDS[code]
        self._theme, self._what = theme, what
        mine, theirs = BEGINNING_WORDS[code]
        self._ways = ((_("you will hear"), mine, "water"), (_("they will hear"), theirs, "part:4"))
        self._picture = Picture()
        self.setText(name)
        self.setAccessibleName(
            _("{name}: {what}. You will hear {mine}. They will hear {theirs}.").format(
                name=name, what=what, mine=mine, theirs=theirs
            )
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        theme.follow(self, self.updateGeometry)

    def _wide(self) -> float:
        t = self._theme.tokens
        return max(t.px(CARD_PX), width(self.text(), "name", t.scale) + t.px(32))

    def _way_lines(self) -> list[list[str]]:
        t = self._theme.tokens
        room = self._wide() - t.px(32 + SPAN_PX + 12)
        return [wrap(said, "strong", t.scale, room) for _who, said, _ink in self._ways]

    def _lines(self) -> list[str]:
        t = self._theme.tokens
        return wrap(self._what, "small", t.scale, self._wide() - t.px(32))

    def texts(self) -> list[tuple[str, str, float]]:
        """(role, line, its room) of everything that is written on it."""
        t = self._theme.tokens
        w = self._wide() - t.px(32)
        found = [("name", self.text(), w), *(("small", x, w) for x in self._lines())]
        return found + [("strong", x, w - t.px(SPAN_PX + 12)) for lines in self._way_lines() for x in lines]

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        small, strong = height("small", t.scale), height("strong", t.scale)
        # All alike, so that they stand in rows: two lines of what is in it, two of each way.
        tall = height("name", t.scale) + max(2, len(self._lines())) * small
        tall += sum(small + max(1, len(lines)) * strong + t.px(10) for lines in self._way_lines())
        return QSize(round(self._wide()), round(tall + t.px(30)))

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        key = e.key() if e is not None else 0
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Right):
            self.focusNextChild()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Left):
            self.focusPreviousChild()
        else:
            super().keyPressEvent(e)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (self.hasFocus(), self.underMouse(), self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        strong = self.hasFocus()
        p.setPen(QPen(colour(t, "water" if strong or self.underMouse() else "edge"), 2.5 if strong else 1.2))
        p.setBrush(colour(t, "tint" if strong or self.underMouse() else "card"))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), t.px(8), t.px(8))
        x, y, w = t.px(16), t.px(12), self.width() - t.px(32)
        y = self._write(p, "name", "water", [self.text()], x, y, w)
        y = self._write(p, "small", "mute", self._lines(), x, y, w) + t.px(10)
        for (who, _said, ink), lines in zip(self._ways, self._way_lines(), strict=True):
            top, left = y, x + t.px(SPAN_PX + 12)
            y = self._write(p, "small", "mute", [who], left, y, w)
            y = self._write(p, "strong", "ink", lines, left, y, w)
            self._span(p, QRectF(x, top + t.px(3), t.px(SPAN_PX), y - top - t.px(6)), ink)
            y += t.px(10)

    def _write(self, p: QPainter, role: str, ink: str, lines: list[str], x: float, y: float, w: float) -> float:
        """Lines below each other; where the next one stands."""
        t = self._theme.tokens
        tall = height(role, t.scale)
        p.setFont(font(role, t.scale))
        p.setPen(colour(t, ink))
        for line in lines:
            p.drawText(QRectF(x, y, w + 4, tall), int(Qt.AlignmentFlag.AlignLeft), line)
            y += tall
        return y

    def _span(self, p: QPainter, r: QRectF, ink: str) -> None:
        """A small bridge: from what sounds to who hears it."""
        t = self._theme.tokens
        deck = r.bottom() - t.px(7)
        arch = QPainterPath()
        arch.moveTo(r.left() + 2, deck)
        arch.quadTo(r.center().x(), 2 * r.top() - deck, r.right() - 2, deck)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(colour(t, ink), 2.4))
        p.drawPath(arch)
        p.setPen(QPen(colour(t, "ink"), 1.6))
        p.drawLine(round(r.left()), round(deck), round(r.right()), round(deck))
        for pier in (r.left() + 2, r.right() - 2):
            p.drawLine(round(pier), round(deck), round(pier), round(r.bottom()))


class StartPage(QWidget):
    """Shown while nothing comes in and nobody listens."""

    chose = pyqtSignal(str)  # code of a template
    opens = pyqtSignal()
    opened = pyqtSignal(Path)  # one of the last setups
    joins = pyqtSignal()  # another computer

    def __init__(self, theme: Theme, settings: QSettings):
        super().__init__()
        self._theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 12)
        column.setSpacing(10)
        title = Words(theme, "title", wraps=False)
        title.setText(_("What shall it be?"))
        about = Words(theme, "body")
        about.setText(ABOUT)
        self.hint = Words(theme, "body", "mute")
        self.here, self._settings = False, settings
        self.where = Chips(
            theme, _("Where"), [("", _("Without equipment")), ("here", _("On this computer"))], self._choose_where
        )
        self.templates = {code: TemplateButton(theme, code) for code in TEMPLATE_WORDS}
        flow = Flow(14)
        for code, button in self.templates.items():
            button.clicked.connect(lambda _checked=False, code=code: self._begin(code))
            flow.addWidget(button)
        self.lately = Words(theme, "name", wraps=False)
        self.recent: list[Button] = []
        self._last = Flow(8)
        self.open = Button(theme, _("Open a setup"), "outline", "Ctrl+O")
        self.open.clicked.connect(self.opens)
        self.two = Button(theme, _("Two computers"), "outline", "Ctrl+T")
        self.two.clicked.connect(self.joins)
        column.addWidget(about)
        column.addWidget(title)
        column.addWidget(self.where)
        column.addWidget(self.hint)
        column.addLayout(flow)
        column.addWidget(self.lately)
        column.addLayout(self._last)
        column.addStretch(1)
        self.offer_here(False)
        self.show_recent([])

    def offer_here(self, there: bool) -> None:
        """Whether this computer can be begun on: only where its sound server answers."""
        appears = there and self.where.isHidden()
        self.where.setVisible(there)
        if not there:
            self._choose_where("")
        elif appears:
            self._choose_where(str(self._settings.value(BEGAN_WHERE, "")))

    def _begin(self, code: str) -> None:
        self._settings.setValue(BEGAN_WHERE, "here" if self.here else "")
        self._settings.setValue(BEGAN_WITH, code)
        self.chose.emit(code)

    def _choose_where(self, where: str) -> None:
        self.here = where == "here"
        self.where.show_on(where)
        self.hint.say(HERE_HINT if self.here else HINT)

    def show_recent(self, paths: list[Path]) -> None:
        """The last setups, newest first, beside opening another."""
        while self._last.count():
            self._last.takeAt(0)
        for old in self.recent:
            old.hide()
            old.deleteLater()
        self.recent = []
        for path in paths[:MOST_RECENT]:
            button = Button(self._theme, f"{path.name.split('.')[0]}  ·  {_when(path)}".rstrip(" ·"), "plain")
            button.setToolTip(str(path))
            button.clicked.connect(lambda _checked=False, path=path: self.opened.emit(path))
            self.recent.append(button)
            self._last.addWidget(button)
        self._last.addWidget(self.open)
        self._last.addWidget(self.two)
        self.lately.say(_("Lately") if self.recent else "")

    def focus_first(self) -> None:
        """What was begun with last is at hand."""
        first = next(iter(self.templates))
        self.templates.get(str(self._settings.value(BEGAN_WITH, first)), self.templates[first]).setFocus()


def _when(path: Path) -> str:
    try:
        return date_text(datetime.fromtimestamp(path.stat().st_mtime).astimezone().isoformat(timespec="seconds"))
    except (OSError, ValueError, OverflowError):
        return ""
