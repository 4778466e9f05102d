"""What just happened, and what is so as long as it lasts: lines over the lower edge of the page, never modal, so that
nothing moves under the pointer. Nothing that still matters is covered; what has become false goes by itself."""

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.engine.live_engine import LiveEngine
from ...app.session.session import Session
from ...words.translation import _
from ..kit.button import Button
from ..kit.label import Words
from ..paint.sheet import colour
from ..theme.theme import Theme

MOST = 3
# How long a line stays that nothing makes false. What needs somebody stays beside what comes after it.
STAYS_S = {"mute": 20.0, "water": 30.0, "amber": 60.0, "coral": 120.0}


@dataclass(eq=False)
class Line:
    """It goes as soon as it no longer `holds`, and with time where it does not stand as long as it does. `offer` is
    what its button says, `act` what it does."""

    text: str
    tone: str
    holds: Callable[[], bool] | None = None
    offer: str = ""
    act: Callable[[], None] | None = None
    since: float = 0.0
    stands: bool = False

    @property
    def over(self) -> bool:
        if self.holds is not None and not self.holds():
            return True
        return not self.stands and time.monotonic() - self.since > STAYS_S[self.tone]

    @property
    def lasts(self) -> bool:
        """Whether what comes after it stands beside it, not in its place."""
        return self.stands or self.tone == "coral"


def refusals(session: Session, running: LiveEngine) -> dict[str, Callable[[str], bool]]:
    """Whether what was refused is refused still: because they hear you, or because nothing sounds."""
    return {
        "heard": lambda _text: session.live.on_air,
        "silent": lambda text: bool(running.why_silent) and text.startswith(running.why_silent),
    }


class Row(QWidget):
    """One line with the one thing to do about it."""

    def __init__(self, theme: Theme):
        super().__init__()
        self._theme, self.tone = theme, "mute"
        self.words = Words(theme, "strong")
        self.offered = Button(theme, "", "primary")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        row = QHBoxLayout(self)
        row.setContentsMargins(round(theme.tokens.px(36)), 4, round(theme.tokens.px(24)), 4)
        row.addWidget(self.words, 1)
        row.addWidget(self.offered)
        row.addWidget(self.away)

    def show_line(self, line: Line | None) -> None:
        self.setVisible(line is not None)
        self.tone = line.tone if line is not None else "mute"
        self.words.say(line.text if line is not None else "", "ink" if self.tone == "mute" else self.tone)
        self.offered.setVisible(line is not None and bool(line.offer))
        self.offered.setText(line.offer if line is not None else "")
        self.update()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self._theme.tokens
        p = QPainter(self)
        p.fillRect(self.rect(), colour(t, "card"))
        p.fillRect(QRectF(t.px(24), 6, 4, self.height() - 12), colour(t, self.tone))
        p.fillRect(QRectF(0, 0, self.width(), 2), colour(t, self.tone))


class Notice(QWidget):
    """The newest line is the lowest. `refusals` are the tones of what was refused for a reason, and whether a text is
    still so."""

    def __init__(self, theme: Theme, refusals: Mapping[str, Callable[[str], bool]] | None = None):
        super().__init__()
        self._refusals = refusals or {}
        self._lines: list[Line] = []
        self.rows = [Row(theme) for _i in range(MOST)]
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for i, row in enumerate(self.rows):
            column.addWidget(row)
            row.away.clicked.connect(lambda _checked=False, i=i: self._close(i))
            row.offered.clicked.connect(lambda _checked=False, i=i: self._take_offer(i))
        newest = self.rows[-1]
        self.words, self.offered, self.away = newest.words, newest.offered, newest.away
        self._page: QWidget | None = None
        theme.follow(self, self._lie)
        self.hide()

    @property
    def texts(self) -> list[str]:
        """All that stands there, the newest last."""
        return [line.text for line in self._lines]

    def lie_over(self, page: QWidget) -> None:
        self._page = page
        self.setParent(page.parentWidget())
        page.installEventFilter(self)
        self._lie()

    def eventFilter(self, seen: QObject | None, e: QEvent | None) -> bool:
        if e is not None and e.type() in (QEvent.Type.Resize, QEvent.Type.Move):
            self._lie()
        return False

    def _lie(self) -> None:
        column, page = self.layout(), self._page
        if page is None or column is None:
            return
        column.activate()
        tall = 0
        for row in self.rows:
            inner = row.layout()
            if not row.isHidden() and inner is not None:
                tall += max(row.sizeHint().height(), inner.heightForWidth(page.width()))
        self.setGeometry(page.x(), page.y() + page.height() - tall, page.width(), tall)
        self.raise_()

    # Saying

    def say(self, text: str, tone: str, holds: Callable[[], bool] | None = None) -> None:
        """What just happened. `tone` is a token: coral needs you, amber watch it, water done, mute by the way; or one
        of the refusals."""
        if tone in self._refusals:
            so = self._refusals[tone]
            tone, holds = "amber", lambda: so(text)
        self._add(Line(text, tone, holds) if text else None)

    def stand(self, text: str, tone: str, holds: Callable[[], bool]) -> None:
        """What is so as long as it `holds`."""
        self._add(Line(text, tone, holds, stands=True))

    def offer(self, text: str, tone: str, button: str, act: Callable[[], None]) -> None:
        """Something to tell, with the one thing to do about it."""
        self._add(Line(text, tone, offer=button, act=act))

    def _add(self, line: Line | None) -> None:
        """The same once; in place of whatever does not last."""
        text = line.text if line is not None else ""
        self._lines = [x for x in self._lines if x.lasts and not x.over and x.text != text]
        if line is not None:
            line.since = time.monotonic()
            self._lines.append(line)
        # What stands as long as it is so goes last of all.
        while len(self._lines) > MOST:
            self._lines.remove(next((x for x in self._lines[:-1] if not x.stands), self._lines[0]))
        self._show()

    def tick(self) -> None:
        """What has become false goes."""
        left = [line for line in self._lines if not line.over]
        if left != self._lines:
            self._lines = left
            self._show()

    def clear(self) -> None:
        """The newest is closed."""
        if self._lines:
            self._lines.pop()
        self._show()

    def _line_of(self, row: int) -> Line:
        return self._lines[row - MOST + len(self._lines)]

    def _close(self, row: int) -> None:
        self._lines.remove(self._line_of(row))
        self._show()

    def _take_offer(self, row: int) -> None:
        line = self._line_of(row)
        self._close(row)
        if line.act is not None:
            line.act()

    def _show(self) -> None:
        lines = [*[None] * (MOST - len(self._lines)), *self._lines]
        for row, line in zip(self.rows, lines, strict=True):
            row.show_line(line)
        self.setVisible(bool(self._lines))
        self._lie()
