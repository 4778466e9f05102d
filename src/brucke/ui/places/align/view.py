"""Align: arrivals of one listener, what is late, why, how we know, what to press."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.aligning.align import align
from ....core.edits.route_edits import set_delay, set_delays
from ....core.timing.paths import Situation
from ....words import timing
from ....words import timing as words
from ....words.translation import _
from ...kit.button import Button
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.place import Place, PlaceFrame
from ...kit.table import PlainTable
from ...theme.theme import Theme
from .cards import Side
from .drawing import AlignDrawing
from .model import AlignData, align_data, table_rows
from .questions_page import QuestionsPage

NOTHING = AlignData("", (), None, None, _("Nobody listens yet. Add listeners in Share."), "")


class AlignView(Place):
    id = "align"

    shows = pyqtSignal(str)  # the listener it shows now
    asks = pyqtSignal(str)  # for another way of knowing, by its action

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.taking = studio.session, studio.taking
        session, measuring, taking = studio.session, studio.measuring, studio.taking
        self.listener = self.part = ""
        self.drawing = AlignDrawing(theme)
        self.table = PlainTable(theme, _("Arrivals as a table"))
        self.side = Side(theme, session, measuring)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.drawing)
        self.stack.addWidget(self.table)
        self.questions = QuestionsPage(theme)
        self.stack.addWidget(self.questions)
        self.questions.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self._head = QWidget()
        self._flow = Flow(parent=self._head)
        self.title = Words(theme, "title", wraps=False)
        self.title.say(_("Arrives at"))
        self._flow.addWidget(self.title)
        self.chips: dict[str, Button] = {}
        self.show_table = Button(theme, _("As a table"), "plain", "T")
        self.show_table.show_hint(False)
        self.ask = Button(theme, _("Questions"), "choice", "Q")
        self.proof = Button(theme, _("Test recording"), "outline", "Shift+R")
        self.proof.show_hint(False)  # so that it stands beside the listeners
        self._flow.pushed = self.proof
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self.stack, self.side))
        self.drawing.chose.connect(self.choose_part)
        self.side.verdict.delay_one.connect(self.delay_one)
        self.side.verdict.everyone.connect(self.everyone)
        self.questions.asks.connect(self.asks)
        self.ask.clicked.connect(self.toggle_questions)
        self.show_table.clicked.connect(self.toggle_table)
        self.proof.clicked.connect(taking.prove_from_the_top)
        session.changed.connect(self.refresh)
        session.rewired.connect(self._rewire)
        session.replaced.connect(self._rebuild)
        taking.changed.connect(self._show_recording)
        self._rebuild()

    # What is shown

    def _rebuild(self) -> None:
        """Another document: show first where something is wrong."""
        self.listener = self.part = ""
        self._rewire()

    def _rewire(self) -> None:
        """Other listeners: chips for them."""
        while self._flow.count() > 1:
            item = self._flow.takeAt(1)
            widget = item.widget() if item is not None else None
            if widget is not None and widget not in (self.show_table, self.ask, self.proof):
                widget.deleteLater()
        setup = self.session.setup
        self.chips = {x.id: Button(self.theme, x.name, "chip") for x in setup.listeners}
        for id, chip in self.chips.items():
            chip.clicked.connect(lambda _checked=False, id=id: self.choose_listener(id))
            self._flow.addWidget(chip)
        for button in (self.show_table, self.ask, self.proof):
            self._flow.addWidget(button)
        if self.listener not in self.chips:
            self.listener = self._first_listener()
            self.part = ""
        self.refresh()

    def _first_listener(self) -> str:
        """Where something is wrong, a stream before a call; else the first."""
        bad = [t for t in self.session.timing.listeners if words.needs_you(t.verdict)]
        bad.sort(key=lambda t: self.session.setup.listener(t.listener).kind != "stream")
        listeners = self.session.setup.listeners
        return bad[0].listener if bad else (listeners[0].id if listeners else "")

    def refresh(self) -> None:
        setup = self.session.setup
        self.questions.refresh()
        if self.listener not in self.chips:
            self.drawing.show_data(NOTHING, "")
            self.table.rows.show_rows([], [])
            self.side.setVisible(False)
            return
        self.side.setVisible(True)
        timing = self.session.timing.of(self.listener)
        if timing.route(self.part) is None and timing.problem(self.part) is None:
            worst = timing.verdict.part
            self.part = worst or (timing.routes[0].part if timing.routes else "")
        for id, chip in self.chips.items():
            chip.setChecked(id == self.listener)
        self.drawing.show_data(align_data(setup, timing), self.part)
        self.table.rows.show_rows(*table_rows(setup, timing))
        self.side.show_timing(setup, timing, self.part)

    def _show_recording(self) -> None:
        self.proof.setText(self.taking.proof_text)
        self.proof.setEnabled(self.taking.state in ("idle", "recording"))
        self.proof.updateGeometry()

    # What can be done

    def status(self) -> tuple[str, str]:
        """The fault of the listener that is shown first."""
        setup, listeners = self.session.setup, self.session.timing.listeners
        bad = [t for t in listeners if timing.needs_you(t.verdict)]
        if not listeners:
            return _("nobody listens"), "mute"
        if bad:
            shown = next((t for t in bad if t.listener == self.listener), bad[0])
            return timing.verdict_text(setup, shown.verdict), "coral"
        return timing.together_text(setup, self.session.timing), "water"

    def choose_listener(self, id: str) -> bool:
        if id in self.chips:
            if self.stack.currentWidget() is self.questions:
                self._show_page(self.drawing)
            self.listener = id
            self.part = self.session.timing.of(id).verdict.part
        self.refresh()
        self.shows.emit(self.listener)
        return True

    def next_listener(self) -> bool:
        ids = list(self.chips)
        if ids:
            self.choose_listener(ids[(ids.index(self.listener) + 1) % len(ids)])
        return True

    def choose_part(self, part: str) -> None:
        self.part = part
        self.refresh()

    def toggle_table(self) -> bool:
        self._show_page(self.table if self.stack.currentWidget() is not self.table else self.drawing)
        return True

    def toggle_questions(self) -> None:
        """What else can be found out, or the arrivals again."""
        self._show_page(self.questions if self.stack.currentWidget() is not self.questions else self.drawing)

    def _show_page(self, page: QWidget) -> None:
        for other in (self.drawing, self.table, self.questions):  # only the one that is shown asks for room
            tall = QSizePolicy.Policy.Preferred if other is page else QSizePolicy.Policy.Ignored
            other.setSizePolicy(QSizePolicy.Policy.Expanding, tall)
        self.stack.setCurrentWidget(page)
        self.show_table.setText(_("As a drawing") if page is self.table else _("As a table"))
        self.show_table.updateGeometry()
        self.ask.setChecked(page is self.questions)

    def delay_one(self) -> None:
        """The chosen route into step."""
        if self.listener not in self.chips:
            return
        setup, timing = self.session.setup, self.session.timing.of(self.listener)
        r = timing.route(self.part)
        if r is None or not timing.can_delay(setup, r):
            self.session.noticed.emit(_("This route cannot be delayed here."), "mute")
            return
        delay = r.align_delay_frames / setup.rate_hz * 1e3
        label = f"{words.route_name(setup, r.part, self.listener)} delayed {words.ms_text(delay / 1e3)}"
        self.session.edit(label, set_delay(setup, r.part, self.listener, delay), "align", f"{self.listener}/{r.part}")

    def everyone(self) -> None:
        """Every route of this listener into step."""
        if self.listener not in self.chips:
            return
        setup, timing = self.session.setup, self.session.timing.of(self.listener)
        delays = [
            (r.part, self.listener, r.align_delay_frames / setup.rate_hz * 1e3)
            for r in timing.routes
            if timing.can_delay(setup, r)
        ]
        label = _("everyone in step at {listener}").format(listener=words.listener_name(setup, self.listener))
        self.session.edit(label, set_delays(setup, delays), "align", f"{self.listener}/{self.part}")

    def everywhere(self) -> None:
        """Every listener, monitors first."""
        s = self.session
        after = align(Situation(s.setup, s.knowledge, s.facts))
        s.edit(_("everyone in step everywhere"), after, "align", f"{self.listener}/{self.part}")

    def nudge(self, ms: float) -> None:
        """A little more or less delay on the chosen route."""
        if self.listener not in self.chips:
            return
        setup, timing = self.session.setup, self.session.timing.of(self.listener)
        r = timing.route(self.part)
        if r is None or not timing.can_delay(setup, r):
            return
        delay = max(0.0, r.delay_frames / setup.rate_hz * 1e3 + ms)
        label = f"{words.route_name(setup, r.part, self.listener)} delay {words.ms_text(delay / 1e3)}"
        thing = f"{self.listener}/{r.part}"
        self.session.edit(label, set_delay(setup, r.part, self.listener, delay), "align", thing, key=f"delay {thing}")

    def go_to(self, thing: str) -> None:
        """Show what an undo touched: listener/part."""
        listener, _other, part = thing.partition("/")
        if listener in self.chips:
            self.listener, self.part = listener, part
        self.refresh()
        self.shows.emit(self.listener)
