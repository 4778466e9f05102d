"""Beside the arrivals: what is wrong with the chosen route, how we know, what to tell the other program."""

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from ....core.document.setup import Setup
from ....core.timing.arrivals import ListenerTiming
from ....desk.round_trip import Measurer
from ....desk.session import Session
from ....words import reasons, timing
from ....words.equipment import way_text
from ....words.ways import OTHER_WAYS
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.curve import Curve
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...kit.row import row
from ...kit.wheel import DoubleSpinBox, SpinBox
from ...theme.theme import Theme


class VerdictCard(Card):
    """The chosen route in words, and the two things to do about it."""

    delay_one = pyqtSignal()
    everyone = pyqtSignal()

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self.headline = Words(theme, "figure", "coral", wraps=False)
        self.plus_minus = Words(theme, "body", "mute", wraps=False)
        self.reason = Words(theme, "body")
        self.one = Button(theme, "Delay", "primary")
        self.all = Button(theme, "Everyone here", "outline")
        top = row(self.headline)
        top.addStretch(1)
        top.addWidget(self.plus_minus)
        self.column.addLayout(top)
        self.column.addWidget(self.reason)
        self.column.addLayout(row(self.one, self.all, stretch=1))
        self.one.clicked.connect(self.delay_one)
        self.all.clicked.connect(self.everyone)

    def _say_only(self, headline: str, tone: str, reason: str) -> None:
        self.headline.say(headline, tone)
        self.plus_minus.say("")
        self.reason.say(reason)
        self.one.setVisible(False)
        self.all.setVisible(False)

    def show_route(self, setup: Setup, t: ListenerTiming, part: str) -> None:
        r, problem = t.route(part), t.problem(part)
        if problem is not None:
            self._say_only("cannot be judged", "coral", timing.finding_text(setup, problem))
            return
        if r is None:
            self._say_only("–", "mute", "Choose a part to see why it arrives when it does.")
            return
        if t.verdict.on_purpose and r.part == t.verdict.part:
            apart = timing.ms_text(abs(t.verdict.off_s))
            text = f"{timing.verdict_text(setup, t.verdict)}. {reasons.route_reason(setup, t, r)}"
            self._say_only(f"{apart} apart", "water", text)
            return
        good = r.in_step or r.off is None or t.wanted_so
        self.headline.say(reasons.route_headline(setup, r), "water" if good else "coral")
        self.plus_minus.say(reasons.sureness_text(r))
        self.reason.say(reasons.route_reason(setup, t, r))
        self.one.setVisible(t.can_delay(setup, r) and not r.in_step and not t.wanted_so)
        self.one.setText(f"Delay {timing.ms_text(r.align_delay_frames / setup.rate_hz)}")
        others = [x for x in t.routes if t.can_delay(setup, x) and not x.in_step]
        self.all.setVisible(bool(others) and not t.wanted_so)
        self.all.set_kind("outline" if self.one.isVisibleTo(self) else "primary")
        self.updateGeometry()


class EvidenceCard(Card):
    """What was measured: its correlation, its date and ±, and how to measure it; `asks` for another way of knowing."""

    asks = pyqtSignal(str)

    def __init__(self, theme: Theme, session: Session, measuring: Measurer):
        super().__init__(theme)
        self.session, self.measuring = session, measuring
        self.curve = Curve(theme)
        self.found = Words(theme, "small")
        self.when = Words(theme, "small", "mute")
        self.note = Words(theme, "small", "amber")
        self.button = Button(theme, "Measure", "primary", "M")
        self.confirm = Button(theme, "Confirm", "primary", "I")
        self.how = Button(theme, "How", "outline")
        self.how.setCheckable(True)
        self.stop = Button(theme, "Cancel", "outline", "Esc")
        self.bar = progress_bar("Measuring, progress")
        self.quantities = Chips(theme, "What is measured", [], measuring.choose)
        self.sweep = Button(theme, "sweep", "chip")
        self.sequence = Button(theme, "sequence", "chip")
        self.level = DoubleSpinBox()
        self.repeats = SpinBox()
        self.cable = Button(theme, "stand-in: headphone at the microphone", "chip")
        self.others = Button(theme, "Other ways…", "plain")
        self._build()
        measuring.changed.connect(self.refresh)

    def _build(self) -> None:
        self.level.setRange(-60, -3)
        self.level.setDecimals(0)
        self.level.setSuffix(" dBFS")
        self.level.setAccessibleName("Level of the measuring sound")
        self.repeats.setRange(2, 8)
        self.repeats.setSuffix(" times")
        self.repeats.setAccessibleName("Repeats")
        self.level.setValue(self.measuring.level_db)
        self.repeats.setValue(self.measuring.repeats)
        self.cable.setChecked(True)
        for widget in (self.curve, self.found, self.when, self.note, self.bar):
            self.column.addWidget(widget)
        buttons = row(self.confirm, self.button, self.stop, stretch=1)
        buttons.addWidget(self.how)
        self.column.addLayout(buttons)
        self.column.addWidget(self.quantities)
        self.column.addLayout(row(self.sweep, self.sequence, stretch=1))
        self.column.addLayout(row(self.level, self.repeats, stretch=1))
        self.column.addWidget(self.cable)
        self.column.addWidget(self.others)
        self.others.clicked.connect(self._offer_others)
        self.button.clicked.connect(lambda: self.measuring.begin())
        self.confirm.clicked.connect(self.measuring.confirm)
        self.stop.clicked.connect(self.measuring.cancel)
        self.how.toggled.connect(lambda _on: self.refresh())
        self.sweep.clicked.connect(lambda: self._choose("sweep"))
        self.sequence.clicked.connect(lambda: self._choose("sequence"))
        self.level.valueChanged.connect(lambda v: setattr(self.measuring, "level_db", v))
        self.repeats.valueChanged.connect(lambda v: setattr(self.measuring, "repeats", v))
        self.cable.toggled.connect(lambda on: setattr(self.measuring, "cable", on))

    def _offer_others(self) -> None:
        """What is found in recordings, and what else can be found out."""
        menu = QMenu(self.others)
        for id, text in OTHER_WAYS.items():
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _checked=False, id=id: self.asks.emit(id))
        menu.exec(self.others.mapToGlobal(QPoint(0, self.others.height())))

    def _choose(self, kind: str) -> None:
        self.measuring.kind = "sweep" if kind == "sweep" else "sequence"
        self.refresh()

    def refresh(self) -> None:
        m, setup = self.measuring, self.session.setup
        self.sweep.setChecked(m.kind == "sweep")
        self.sequence.setChecked(m.kind == "sequence")
        unconfirmed = m.unconfirmed is not None
        self.button.setVisible(not m.busy)
        self.confirm.setVisible(not m.busy and unconfirmed)
        self.stop.setVisible(m.busy)
        self.bar.setVisible(m.busy)
        self.bar.setRange(0, 0 if m.state == "analysing" else 1000)
        self.bar.setValue(round(m.share * 1000))
        for widget in (self.sweep, self.sequence, self.level, self.repeats, self.cable, self.others):
            widget.setEnabled(not m.busy)
            widget.setVisible(self.how.isChecked())
        way, knowledge, q, possible = m.way, self.session.knowledge, m.quantity, m.possible
        self.quantities.offer([(key, way_text(setup, q.code, w.ids)) for key, (q, w) in possible.items()])
        self.quantities.show_on(q.key(*way.ids) if way else "")
        self.quantities.setVisible(len(possible) > 1 or (way is not None and len(way.ids) > 1))
        newest = knowledge.newest(q.key(*way.ids)) if way else None
        good = knowledge.counting(q, setup, *way.ids) if way else None
        shown = good or newest
        self.button.set_kind("outline" if good else "primary")
        self.curve.show_curve(shown.proof if shown else (), timing.ms_text(shown.value_s, 2) if shown else "")
        self.found.say(
            f"{timing.QUANTITIES[q.code].capitalize()}, {timing.measurement_text(shown)}"
            if shown
            else self._first_words(m)
        )
        self.when.say(timing.measured_text(shown, unconfirmed and shown is good) if shown else "")
        self.note.say(self._note(m, good is None and newest is not None, shown.note if shown else ""), self._tone(m))

    def _first_words(self, m: Measurer) -> str:
        if m.busy:
            return ""
        return "Nothing measured yet. Hold a headphone to the microphone, then measure."

    def _note(self, m: Measurer, stale: bool, note: str) -> str:
        if m.state == "counting":
            return (
                f"{m.count} … hold a headphone to the microphone. A gentle sound comes into it; nobody else hears it."
            )
        if m.busy:
            why = {"lost": "Blocks were lost in the middle", "disagree": "The repeats disagreed"}.get(m.why_anew, "")
            again = f"{why}, so it sounds once more. " if m.anew else ""
            return f"{again}Listening. Everyone else hears silence for a moment."
        if m.message and m.failed:
            return m.message
        if stale:
            return "No longer counts: what it depends on has changed. Measure again."
        return f"Note: {note}." if note else ""

    def _tone(self, m: Measurer) -> str:
        return "coral" if m.failed and not m.busy else "amber"


class HandOffCard(Card):
    """What the streaming program has to be told."""

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self.lead = Words(theme, "body")
        self.value = Words(theme, "title", "water", wraps=False)
        self.rest = Words(theme, "body", "mute")
        self.column.addWidget(self.lead)
        line = row(self.value)
        line.addWidget(self.rest, 1)
        self.column.addLayout(line)

    def show_timing(self, setup: Setup, t: ListenerTiming) -> None:
        value, note = timing.hand_off_text(t)
        self.lead.say("Picture delay in the streaming program")
        self.value.say(value, "coral" if t.hand_off_s >= 0.5e-3 else "water")
        self.rest.say(note)


class Side(QWidget):
    """The column of cards, with its titles."""

    def __init__(self, theme: Theme, session: Session, measuring: Measurer):
        super().__init__()
        self.title = Words(theme, "title", "ink", wraps=False)
        self.to = Words(theme, "body", "mute", wraps=False)
        self.verdict = VerdictCard(theme)
        self.how = Words(theme, "name", wraps=False)
        self.evidence = EvidenceCard(theme, session, measuring)
        self.tell = Words(theme, "name", wraps=False)
        self.hand_off = HandOffCard(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        titles = row(self.title)
        titles.addWidget(self.to, 1)
        column.addLayout(titles)
        for w in (self.verdict, self.how, self.evidence, self.tell, self.hand_off):
            column.addWidget(w)
        column.addStretch(1)

    def show_timing(self, setup: Setup, t: ListenerTiming, part: str) -> None:
        chosen = t.route(part) is not None or t.problem(part) is not None
        colour = f"part:{setup.part(part).colour}" if chosen else "ink"
        self.title.say(f"{timing.part_name(setup, part)}" if chosen else "Arrivals", colour)
        self.to.say(f"to {timing.listener_name(setup, t.listener)}" if chosen else "")
        self.verdict.show_route(setup, t, part)
        self.how.say("How we know")
        self.evidence.refresh()
        pictured = any(x.kind == "picture" for x in t.routes)
        self.tell.say("Tell the other program" if pictured else "")
        self.hand_off.setVisible(pictured)
        if pictured:
            self.hand_off.show_timing(setup, t)
