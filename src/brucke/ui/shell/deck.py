"""The deck: name and setup, the places as spans of a bridge with their state, the three acts, the engine's facts."""

from collections.abc import Sequence

import msgspec
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QWidget

from ...words.translation import _
from ..kit.button import Button
from ..kit.pictured import Picture
from ..kit.reachable import Reachable
from ..paint.sheet import colour
from ..theme.fonts import elided, first_fitting, font, height, width
from ..theme.theme import Theme

DECK_PX = 84
SPAN_PX = 118


class Span(Reachable):
    """One place: its name, one line of its state, an arch below."""

    def __init__(self, theme: Theme, name: str, parent: QWidget):
        super().__init__(parent)
        self._theme = theme
        self.setText(name)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.state, self.tone, self.with_state = "", "mute", True
        self.narrow = False
        self.pad = 14.0  # beside its name, where it is narrow
        self._picture = Picture()

    def say(self, state: str, tone: str) -> None:
        if (state, tone) != (self.state, self.tone):
            self.state, self.tone = state, tone
            self.setAccessibleName(f"{self.text()}: {state}")
            self.setToolTip(state)
            self.update()

    def sizeHint(self) -> QSize:
        """As wide whatever its state: the frame never moves."""
        t = self._theme.tokens
        least = t.px(SPAN_PX if self.with_state else 92 if not self.narrow else 0)
        named = width(self.text(), "name", t.scale) + t.px(self.pad if self.narrow else 20)
        return QSize(round(max(least, named)), round(t.px(68)))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (self.isChecked(), self.hasFocus(), self.state, self.tone, self.with_state, self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = float(self.width()), float(self.height())
        deck = h - t.px(14)
        if self.isChecked():
            p.fillRect(QRectF(0, 0, w, deck), colour(t, "tint"))
        p.setPen(QPen(colour(t, "ink"), 2))
        p.drawLine(0, round(deck), round(w), round(deck))
        p.drawLine(1, round(deck), 1, round(h))
        p.drawLine(round(w) - 1, round(deck), round(w) - 1, round(h))
        arch = QPainterPath()
        arch.moveTo(3, h - 1)
        arch.quadTo(w / 2, deck - t.px(9), w - 3, h - 1)
        p.setPen(QPen(colour(t, "water" if self.isChecked() else "edge"), 2.5 if self.isChecked() else 1.5))
        p.drawPath(arch)
        name, small = height("name", t.scale), height("small", t.scale)
        rows = name + (small if self.with_state else 0)
        y = (deck - rows) / 2
        p.setFont(font("name", t.scale))
        p.setPen(colour(t, "water" if self.isChecked() else "ink"))
        p.drawText(QRectF(0, y, w, name), int(Qt.AlignmentFlag.AlignCenter), self.text())
        if self.with_state:
            p.setFont(font("small", t.scale))
            p.setPen(colour(t, self.tone))
            shown = elided(self.state, "small", t.scale, w - t.px(8))
            p.drawText(QRectF(0, y + name, w, small), int(Qt.AlignmentFlag.AlignCenter), shown)
        if self.hasFocus():
            p.setPen(QPen(colour(t, "water"), 2))
            p.drawRoundedRect(QRectF(3, 3, w - 6, deck - 6), 4, 4)


class Act(QAbstractButton):
    """One of the three acts before a first performance: its number, or a tick when done, and its words."""

    def __init__(self, theme: Theme, number: int, text: str, parent: QWidget):
        super().__init__(parent)
        self._theme, self.number = theme, number
        self.setText(text)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.done = self.due = False
        self._picture = Picture()

    def say(self, done: bool, due: bool) -> None:
        if (done, due) != (self.done, self.due):
            self.done, self.due = done, due
            self.setAccessibleName(f"{self.text()}: {'done' if done else 'next' if due else 'later'}")
            self.updateGeometry()
            self.update()

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(width(self.text(), "strong", t.scale) + t.px(44)), round(t.px(32)))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        key = (self.done, self.due, self.hasFocus(), self._theme.tokens)
        self._picture.show(self, QPainter(self), key, self._paint)

    def _paint(self, p: QPainter) -> None:
        t = self._theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        size, h = t.px(22), float(self.height())
        circle = QRectF(t.px(4), (h - size) / 2, size, size)
        ink = "water" if self.due or self.done else "mute"
        p.setPen(QPen(colour(t, ink), 1.6))
        p.setBrush(colour(t, "water") if self.due else Qt.BrushStyle.NoBrush)
        p.drawEllipse(circle)
        if self.done:
            tick = QPainterPath()
            tick.moveTo(circle.x() + size * 0.28, circle.y() + size * 0.52)
            tick.lineTo(circle.x() + size * 0.45, circle.y() + size * 0.7)
            tick.lineTo(circle.x() + size * 0.75, circle.y() + size * 0.32)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(colour(t, "water"), 2.2))
            p.drawPath(tick)
        else:
            p.setFont(font("small strong", t.scale))
            p.setPen(colour(t, "on_water" if self.due else "mute"))
            p.drawText(circle, int(Qt.AlignmentFlag.AlignCenter), str(self.number))
        p.setFont(font("strong" if self.due else "body", t.scale))
        p.setPen(colour(t, "ink" if self.due else "mute"))
        p.drawText(QRectF(t.px(34), 0, self.width() - t.px(34), h), int(Qt.AlignmentFlag.AlignVCenter), self.text())
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(colour(t, "water"), 2))
            p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)


class DeckFacts(msgspec.Struct, frozen=True):
    """What the deck shows."""

    setup: str
    state: str
    clock: str
    load: str
    load_tone: str
    running: bool
    live: str  # what the button says that lets them hear
    check: str = ""
    anything: bool = True


class Deck(QWidget):
    """Lays itself out by hand: drops the state lines when room is short, then wraps into a second row."""

    went = pyqtSignal(str)
    acted = pyqtSignal(int)

    def __init__(self, theme: Theme, places: list[tuple[str, str]]):
        super().__init__()
        self.theme = theme
        self.spans = {id: Span(theme, name, self) for id, name in places}
        self.acts = [
            Act(theme, i + 1, text, self)
            for i, text in enumerate((_("Hear the music"), _("Measure"), _("In step, compare")))
        ]
        self.menu = Button(theme, _("Setup"), "plain", parent=self)
        self.check = Button(theme, _("Check"), "outline", "F6", self)
        self.start = Button(theme, _("Start"), "outline", "F5", self)
        self.live = Button(theme, _("Let them hear"), "primary", "F9", self)
        self.detail = Button(theme, "", "plain", "F3", self)
        self.hands: Sequence[Button] = ()
        self._hands_say: tuple[str, ...] = ()
        self.facts = DeckFacts("", "", "", "", "mute", False, "")
        self.facts_rect = QRectF()
        self.compact = False
        for id, span in self.spans.items():
            span.clicked.connect(lambda _checked=False, id=id: self.went.emit(id))
        for i, act in enumerate(self.acts):
            act.clicked.connect(lambda _checked=False, i=i: self.acted.emit(i))
        theme.follow(self, self._arrange)

    def show_facts(self, facts: DeckFacts) -> None:
        if facts == self.facts:
            return
        self.facts = facts
        self.menu.setText(facts.setup)
        self.menu.setAccessibleName(_("Setup {setup}: open, save and more").format(setup=facts.setup))
        self.start.setText(_("Stop") if facts.running else _("Start"))
        self.live.setText(facts.live)
        for b in (self.live, self.start, self.check):
            b.setVisible(facts.anything)  # an empty setup has nothing to open, to start or to check
        self.check.setText(f"Check {facts.check}".strip())
        self._arrange()

    def facts_lines(self) -> list[tuple[str, str]]:
        f = self.facts
        lines = [(f"{f.state}  ·  {f.clock}" if f.clock else f.state, "ink"), (f.load, f.load_tone)]
        return [x for x in lines if x[0]] or [("", "mute")]

    def set_compact(self, compact: bool) -> None:
        """Little height: low spans, one act, one line of facts."""
        if compact != self.compact:
            self.compact = compact
            for b in (self.check, self.start, self.live, *self.hands):
                b.show_hint(not compact)
            self._arrange()

    def _arrange(self) -> None:
        """Brand, spans, buttons in the first row; acts and facts beside them, or below when there is no room."""
        t = self.theme.tokens
        if self.compact:
            self._arrange_low()
            return
        self.check.setVisible(self.facts.anything)
        pad, gap = t.px(24), t.px(8)
        menu = self.menu.sizeHint()
        self.menu.setGeometry(round(pad - t.px(4)), round(t.px(40)), menu.width(), menu.height())
        brand = max(width("Brucke", "brand", t.scale) + t.px(4), menu.width())
        right = self._place_buttons(self.width() - pad, gap)
        left = pad + brand + t.px(20)
        facts = max(width(text, "small", t.scale) for text, _other in self.facts_lines()) + t.px(8)
        due = [a for a in self.acts if a.due]
        acts = (due if self.compact else self.acts) if self.facts.anything else []
        for act in self.acts:
            act.setVisible(act in acts)
        acts_wide = sum(a.sizeHint().width() + gap for a in acts)
        spans = self._choose_spans(right - left)
        below = left + spans > right
        self._place_spans(pad if below else left, t.px(DECK_PX) if below else t.px(8))
        low = t.px(DECK_PX) + (next(iter(self.spans.values())).height() + t.px(4) if below else 0)
        tall = 2 * height("small", t.scale) + t.px(4)
        hands = self._hands_width(gap)
        row = t.px(46) if hands else t.px(36)
        detail = self.detail.sizeHint()
        self.detail.setVisible(bool(acts))
        room = detail.width() + gap if acts else 0.0
        right = self.width() - pad
        # In one row where there is room: acts, facts, and what hands need, at the right edge in every place.
        if acts and pad + acts_wide + room + hands > right:
            low = self._place_acts(acts, pad, low, gap, right) + t.px(36)
            acts, acts_wide = [], 0
        if acts or hands:
            if acts:
                self._place_acts(acts, pad, low + (row - t.px(32)) / 2, gap, right)
            self._place_hands(right - hands + gap, low + t.px(1), gap)
            self.detail.setGeometry(
                round(pad + acts_wide), round(low + (row - detail.height()) / 2), detail.width(), detail.height()
            )
            low += row
        # Where not all of it fits it is the first half of each line: no number that changes moves the page.
        least = max(width(text.split("  ·  ")[0], "small", t.scale) for text, _other in self.facts_lines()) + t.px(8)
        free = right - hands - pad - acts_wide - room
        if (acts or hands) and min(facts, least) < free:
            facts = min(facts, free)
            self.facts_rect = QRectF(right - hands - facts, low - row + (row - tall) / 2, facts, tall)
        else:
            self.facts_rect = QRectF(max(pad, right - facts), low, min(facts, self.width() - 2 * pad), tall)
            low += tall + t.px(4)
        self.setFixedHeight(round(max(low, t.px(DECK_PX))))
        self.update()

    def _arrange_low(self) -> None:
        """Little height: two rows, without the brand. What hands need never goes."""
        t = self.theme.tokens
        pad, gap, row = t.px(16), t.px(6), t.px(46)
        right = self.width() - pad
        menu = self.menu.sizeHint()
        self.menu.setGeometry(round(pad), round((row - menu.height()) / 2), menu.width(), menu.height())
        end = right
        x = pad + menu.width() + gap
        both = self.live.sizeHint().width() + self.start.sizeHint().width() + 2 * gap
        spans = self._choose_spans(end - x - self.live.sizeHint().width() - gap)
        above = [self.live, self.start] if spans <= end - x - both else [self.live]
        for b in above:
            size = b.sizeHint()
            b.setGeometry(round(end - size.width()), round(t.px(4)), size.width(), size.height())
            end -= size.width() + gap
        self._place_spans(x, 0.0)
        low = t.px(52)
        self.detail.setVisible(False)  # the menu has it, too
        for act in self.acts:
            act.setVisible(act.due and self.facts.anything)
        due = [a for a in self.acts if a.due and self.facts.anything]
        check = self.check.sizeHint()
        hands = self._hands_width(gap)
        self._place_hands(right - hands + gap, low, gap)
        beside = [(a, a.sizeHint()) for a in due] + [(self.check, check)]
        if self.start not in above:
            beside.insert(0, (self.start, self.start.sizeHint()))
        x = pad
        for widget, size in beside:
            fits = x + size.width() + gap <= right - hands
            widget.setVisible(fits and self.facts.anything)
            widget.setGeometry(round(x), round(low + (t.px(38) - size.height()) / 2), size.width(), size.height())
            x += size.width() + gap if fits else 0
        small = height("small", t.scale)
        self.facts_rect = QRectF(x, low + (t.px(38) - small) / 2, max(0.0, right - hands - x), small)
        self.setFixedHeight(round(low + t.px(44)))
        self.update()

    def place_hands(self) -> None:
        """Their words have changed: wider or narrower, they keep to the right edge."""
        words = tuple(b.text() for b in self.hands)
        if words != self._hands_say:
            self._hands_say = words
            self._arrange()

    def _hands_width(self, gap: float) -> float:
        """Of the buttons that hands need, with a gap before each; none where there is nothing to hear."""
        for b in self.hands:
            b.setVisible(self.facts.anything and not b.property("absent"))
        return sum(b.sizeHint().width() + gap for b in self.hands if not b.isHidden())

    def _place_hands(self, x: float, y: float, gap: float) -> None:
        for b in self.hands:
            size = b.sizeHint()
            b.setGeometry(round(x), round(y), size.width(), size.height())
            x += (size.width() + gap) if not b.isHidden() else 0

    def _place_buttons(self, right: float, gap: float) -> float:
        """Open, Start and Check from the right; where they begin."""
        for b in (self.live, self.start, self.check):
            size = b.sizeHint()
            b.setGeometry(round(right - size.width()), round(self.theme.tokens.px(14)), size.width(), size.height())
            right -= size.width() + gap
        return right

    def _choose_spans(self, room: float) -> float:
        """How wide the spans are: with their state where there is room."""
        for with_state in (True, False):
            for span in self.spans.values():
                span.with_state, span.narrow, span.pad = with_state, self.compact, 14.0
            wide = sum(s.sizeHint().width() for s in self.spans.values())
            if with_state and wide <= room and not self.compact:
                return wide
        if self.compact and wide > room:
            for span in self.spans.values():
                span.pad = 4.0
            wide = sum(s.sizeHint().width() for s in self.spans.values())
        return wide

    def _place_spans(self, x: float, top: float) -> None:
        for span in self.spans.values():
            size = span.sizeHint()
            tall = self.theme.tokens.px(52) if self.compact else size.height()
            span.setGeometry(round(x), round(top), size.width(), round(tall))
            x += size.width()

    def _place_acts(self, acts: list[Act], x: float, y: float, gap: float, right: float) -> float:
        """In a row, wrapping; the y of the last row."""
        first = x
        for act in acts:
            size = act.sizeHint()
            if x + size.width() > right and x > first:
                x, y = first, y + self.theme.tokens.px(36)
            act.setGeometry(round(x), round(y), size.width(), size.height())
            x += size.width() + gap
        return y

    def resizeEvent(self, e: QResizeEvent | None) -> None:
        super().resizeEvent(e)
        self._arrange()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self.theme.tokens
        p = QPainter(self)
        p.setFont(font("brand", t.scale))
        p.setPen(colour(t, "water"))
        tall = height("brand", t.scale)
        if not self.compact:
            p.drawText(QRectF(t.px(24), t.px(8), self.width(), tall), int(Qt.AlignmentFlag.AlignLeft), "Brucke")
        p.setPen(QPen(colour(t, "line"), 2))
        p.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        small = height("small", t.scale)
        r = self.facts_rect
        p.setFont(font("small", t.scale))
        lines = self.facts_lines()[: 1 if self.compact else 2]
        if not self.compact and len(lines) == 1:
            r = r.translated(0, (small + t.px(4)) / 2)
        for i, (text, tone) in enumerate(lines):
            p.setPen(colour(t, tone))
            shown = first_fitting((text, text.split("  ·  ")[0]), "small", t.scale, r.width())
            p.drawText(
                QRectF(r.x(), r.y() + i * (small + t.px(4)), r.width(), small), int(Qt.AlignmentFlag.AlignRight), shown
            )
