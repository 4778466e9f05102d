"""Beside the arrivals: what is wrong with the chosen route, how we know, what to tell the other program."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....app.measuring.round_trip import Measurer
from ....app.session.session import Session
from ....core.document.setup import Setup
from ....core.timing.arrivals import ListenerTiming
from ....words import explanations, timing
from ....words.detail import in_numbers
from ....words.equipment import way_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.curve import Curve
from ...kit.field import own_look
from ...kit.flow import Flow
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
        self.one = Button(theme, _("Delay"), "primary")
        self.all = Button(theme, _("Everyone here"), "outline")
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
            self._say_only(_("cannot be judged"), "coral", timing.finding_text(setup, problem))
            return
        if r is None:
            self._say_only("–", "mute", _("Choose a part to see why it arrives when it does."))
            return
        if t.verdict.on_purpose and r.part == t.verdict.part:
            apart = timing.ms_text(abs(t.verdict.off_s))
            text = f"{timing.verdict_text(setup, t.verdict)}. {explanations.route_reason(setup, t, r)}"
            self._say_only(f"{apart} apart", "water", text)
            return
        good = r.in_step or r.off is None or t.wanted_so
        self.headline.say(explanations.route_headline(setup, r), "amber" if r.unknown else "water" if good else "coral")
        self.plus_minus.say(explanations.sureness_text(r))
        self.reason.say(explanations.route_reason(setup, t, r))
        self.one.setVisible(t.can_delay(setup, r) and not r.in_step and not t.wanted_so)
        self.one.setText(timing.delay_text(setup, r))
        others = [x for x in t.routes if t.can_delay(setup, x) and not x.in_step]
        self.all.setVisible(bool(others) and not t.wanted_so)
        self.all.set_kind("outline" if self.one.isVisibleTo(self) else "primary")
        self.updateGeometry()


class EvidenceCard(Card):
    """What was measured: its correlation, its date and ±, and how to measure it."""

    def __init__(self, theme: Theme, session: Session, measuring: Measurer):
        super().__init__(theme)
        self.session, self.measuring = session, measuring
        self.curve = Curve(theme)
        self.found = Words(theme, "small")
        self.when = Words(theme, "small", "mute")
        self.note = Words(theme, "small", "amber")
        self.button = Button(theme, _("Measure"), "primary", "M")
        self.confirm = Button(theme, _("Test again"), "primary", "I")
        self.how = Button(theme, _("How"), "outline")
        self.how.setCheckable(True)
        self.stop = Button(theme, _("Cancel"), "outline", "Esc")
        self.bar = progress_bar(_("Measuring, progress"))
        self.quantities = Chips(theme, _("What is measured"), [], measuring.choose)
        self.sweep = Button(theme, "sweep", "chip")
        self.sequence = Button(theme, "sequence", "chip")
        self.level = DoubleSpinBox()
        self.repeats = SpinBox()
        self.cable = Button(theme, _("stand-in: headphone at the microphone"), "chip")
        self._build()
        measuring.changed.connect(self.refresh)

    def _build(self) -> None:
        self.level.setRange(-60, -3)
        self.level.setDecimals(0)
        self.level.setSuffix(" dBFS")
        self.level.setAccessibleName(_("Level of the measuring sound"))
        self.repeats.setRange(2, 8)
        self.repeats.setSuffix(" times")
        self.repeats.setAccessibleName(_("Repeats"))
        for box in (self.level, self.repeats):
            own_look(box, self._theme)
        self.level.setValue(self.measuring.level_db)
        self.repeats.setValue(self.measuring.repeats)
        self.cable.setChecked(True)
        for widget in (self.curve, self.found, self.when, self.note, self.bar):
            self.column.addWidget(widget)
        buttons = QWidget()
        flow = Flow(parent=buttons)  # there is not always room for all of them in one line
        for button in (self.confirm, self.button, self.stop, self.how):
            flow.addWidget(button)
        self.column.addWidget(buttons)
        self.column.addWidget(self.quantities)
        self.column.addLayout(row(self.sweep, self.sequence, stretch=1))
        self.column.addLayout(row(self.level, self.repeats, stretch=1))
        self.column.addWidget(self.cable)
        self.button.clicked.connect(lambda: self.measuring.begin())
        self.confirm.clicked.connect(self.measuring.confirm)
        self.stop.clicked.connect(self.measuring.cancel)
        self.how.toggled.connect(lambda _on: self.refresh())
        self.sweep.clicked.connect(lambda: self._choose("sweep"))
        self.sequence.clicked.connect(lambda: self._choose("sequence"))
        self.level.valueChanged.connect(lambda v: setattr(self.measuring, "level_db", v))
        self.repeats.valueChanged.connect(lambda v: setattr(self.measuring, "repeats", v))
        self.cable.toggled.connect(lambda on: setattr(self.measuring, "cable", on))

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
        by_number = (self.sweep, self.sequence, self.level, self.repeats)
        for widget in (*by_number, self.cable):
            widget.setEnabled(not m.busy)
            widget.setVisible(self.how.isChecked() and (in_numbers() or widget not in by_number))
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
            f"{timing.QUANTITY_NAMES[q.code].capitalize()}, {timing.measurement_text(shown)}"
            if shown
            else self._first_words(m)
        )
        self.when.say(timing.measured_text(shown, unconfirmed and shown is good) if shown else "")
        ended = "" if good is not None or newest is None else timing.ended_text(knowledge.contradicted(newest))
        self.note.say(self._note(m, ended, shown.note if shown else ""), self._tone(m))

    def _first_words(self, m: Measurer) -> str:
        if m.busy:
            return ""
        return _("Nothing measured yet. Hold a headphone to the microphone, then measure.")

    def _note(self, m: Measurer, ended: str, note: str) -> str:
        if m.state == "counting":
            return _(
                "{count} … hold a headphone to the microphone. A gentle sound comes into it; nobody else hears it."
            ).format(count=m.count)
        if m.busy:
            why = {"lost": _("Sound was lost in the middle"), "disagree": _("The repeats disagreed")}.get(
                m.why_anew, ""
            )
            again = _("{why}, so it sounds once more. ").format(why=why) if m.anew else ""
            return _("{again}Listening. Everyone else hears silence for a moment.").format(again=again)
        if m.message and m.failed:
            return m.message
        if ended:
            return ended
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
        value, note = timing.hand_off_text(t, setup.listener(t.listener).picture_there_ms)
        self.lead.say(_("Picture delay in the streaming program"))
        self.value.say(value, "amber" if t.picture_unknown else "coral" if t.hand_off_s >= 0.5e-3 else "water")
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
        self.title.say(f"{timing.part_name(setup, part)}" if chosen else _("Arrivals"), colour)
        self.to.say(f"to {timing.listener_name(setup, t.listener)}" if chosen else "")
        self.verdict.show_route(setup, t, part)
        self.how.say(_("How we know"))
        self.evidence.refresh()
        pictured = any(x.kind == "picture" for x in t.routes)
        self.tell.say(_("Tell the other program") if pictured else "")
        self.hand_off.setVisible(pictured)
        if pictured:
            self.hand_off.show_timing(setup, t)
