"""Review: takes, what was left between their parts, before and now, and both to listen to on one key."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from ....app.recording.take_recorder import TakeRecorder
from ....app.studio import Studio
from ....takes.judging import scatter_ms
from ....takes.marks import read_marks
from ....words import timing
from ....words.hour_page import marks_text
from ....words.recordings import label_text
from ....words.review import needs_you, take_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.place import Place, PlaceFrame
from ...kit.sheet_view import SheetView
from ...kit.table import PlainTable
from ...paint.sheet import Sheet
from ...theme.theme import Theme
from .just_happened_line import JustHappenedLine
from .kept_line import KeptLine
from .layout import least_height, review_layout
from .model import ReviewData, review_data, table_rows
from .recordings_dialog import RecordingsDialog

SHOWN_TAKES = 5


TAKING = {"recording": "recording", "finishing": "collecting", "proving": "measuring"}


class LeftDrawing(SheetView):
    def __init__(self, theme: Theme):
        super().__init__(theme)
        self.data = ReviewData("", (), "")

    def show_data(self, data: ReviewData) -> None:
        if data != self.data:
            self.data = data
            parts = "; ".join(f"{g.name}: {g.text}" for g in data.groups)
            self.setAccessibleName(_("What was left between the parts. {parts}").format(parts=parts))
            self.renew()

    def minimumSizeHint(self) -> QSize:
        t = self.theme.tokens
        return QSize(round(t.px(420)), round(least_height(self.data, t)))

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def make_sheet(self, width: float, height: float) -> Sheet:
        return review_layout(self.data, width, height, self.theme.tokens)


class Empty(Card):
    """What belongs here, and the one button that starts it."""

    def __init__(self, theme: Theme, taking: TakeRecorder):
        super().__init__(theme)
        self.words = Words(theme, "name", "mute")
        self.button = Button(theme, _("Test recording"), "primary", "Shift+R")
        self.column.addStretch(1)
        self.column.addWidget(self.words)
        self.column.addWidget(self.button)
        self.column.addStretch(2)
        self.button.clicked.connect(taking.prove_from_the_top)


class ReviewView(Place):
    id = "review"

    shows = pyqtSignal(str)  # the listener whose sound is listened to

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.taking, self.playback = studio.session, studio.taking, studio.playback
        session, taking, playback = studio.session, studio.taking, studio.playback
        self.listener = ""
        self.drawing = LeftDrawing(theme)
        self.table = PlainTable(theme, _("What was left, as a table"))
        self.empty = Empty(theme, taking)
        self.stack = QStackedWidget()
        for w in (self.drawing, self.table, self.empty):
            self.stack.addWidget(w)
        self._as_table = False
        self._build_head()
        self._build_side()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self.stack, self._side))
        taking.changed.connect(self.refresh)
        playback.changed.connect(self.refresh)
        session.rewired.connect(self._rebuild)
        self._rebuild()

    def _build_head(self) -> None:
        self._head, chips = QWidget(), QWidget()
        head = QVBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(4)
        self._flow = Flow(parent=chips)
        self.kept = KeptLine(self.theme, self.studio)
        head.addWidget(chips)
        head.addWidget(self.kept)
        self.marks, self._marks_of = Words(self.theme, "small", "mute"), (Path(), "")
        head.addWidget(self.marks)
        self.just_happened = JustHappenedLine(self.theme, self.studio)
        head.addWidget(self.just_happened)
        self.title = Words(self.theme, "title", wraps=False)
        self.title.say(_("What they got"))
        self.show_table = Button(self.theme, _("As a table"), "plain", "T")
        self.proof = Button(self.theme, _("Test recording"), "outline", "Shift+R")
        self.measure = Button(self.theme, _("Measure this recording"), "outline")
        self.all = Button(self.theme, _("All recordings…"), "plain")
        self._flow.addWidget(self.title)
        self._flow.pushed = self.proof
        self.chips: list[Button] = []
        self._shown_takes: list[tuple[str, bool]] | None = None
        self.show_table.clicked.connect(self.toggle_table)
        self.proof.clicked.connect(self.taking.prove_from_the_top)
        self.measure.clicked.connect(self.taking.measure_chosen)
        self.all.clicked.connect(self.open_recordings)

    def _build_side(self) -> None:
        theme = self.theme
        self._side = QWidget()
        column = QVBoxLayout(self._side)
        column.setContentsMargins(0, 0, 0, 0)
        self.in_step = Words(theme, "title", "water", wraps=False)
        self.in_step.say(_("In step?"))
        self.results = Card(theme)
        self.lines: list[tuple[Words, Words]] = []
        self.note = Words(theme, "small", "mute")
        self.results.column.addWidget(self.note)
        self.listen_title = Words(theme, "name", wraps=False)
        self.listen_title.say(_("Listen to what they got"))
        self.listen = Card(theme)
        chips = QWidget()
        self._listener_flow = Flow(parent=chips)
        self.now = Button(theme, _("Now"), "outline", "B")
        self.before = Button(theme, _("Before"), "outline", "B")
        self.end = Button(theme, _("Stop"), "outline", "Esc")
        self.listen_note = Words(theme, "small", "mute")
        buttons = QWidget()
        flow = Flow(parent=buttons)
        for b in (self.now, self.before, self.end):
            flow.addWidget(b)
        for w in (chips, buttons, self.listen_note):
            self.listen.column.addWidget(w)
        for w in (self.in_step, self.results, self.listen_title, self.listen):
            column.addWidget(w)
        column.addStretch(1)
        self.now.clicked.connect(lambda: self.playback.listen("now", self.listener))
        self.before.clicked.connect(lambda: self.playback.listen("before", self.listener))
        self.end.clicked.connect(self.playback.stop)
        self._listener_chips: dict[str, Button] = {}

    def _rebuild(self) -> None:
        for chip in self._listener_chips.values():
            chip.deleteLater()
        while self._listener_flow.count():
            self._listener_flow.takeAt(0)
        self._listener_chips = {}
        for x in self.session.setup.listeners:
            if x.kind != "monitor":
                chip = Button(self.theme, x.name, "chip")
                chip.clicked.connect(lambda _checked=False, id=x.id: self.choose_listener(id))
                self._listener_chips[x.id] = chip
                self._listener_flow.addWidget(chip)
        self.listener = next(iter(self._listener_chips), "")
        self.refresh()

    def status(self) -> tuple[str, str]:
        count, take = len(self.taking.takes), self.taking.take
        doing = TAKING.get(self.taking.state, "")
        wrong = next((v for v in self.taking.verdicts.values() if needs_you(v)), None)
        if not doing and take is not None and take.proof and wrong is not None:
            return take_text(take.setup, wrong), "coral"
        return doing or (timing.counted(count, "recording") if count else _("no recording yet")), "mute"

    def choose_listener(self, id: str) -> bool:
        """Whose sound is listened to; a sound that plays changes over."""
        if id in self._listener_chips:
            self.listener = id
            if self.playback.heard in ("now", "before"):
                self.playback.listen(self.playback.heard, id)
        self.refresh()
        self.shows.emit(self.listener)
        return True

    def next_listener(self) -> bool:
        ids = list(self._listener_chips)
        if ids:
            self.choose_listener(ids[(ids.index(self.listener) + 1) % len(ids)])
        return True

    def compare(self) -> None:
        """One key: now, before, now …"""
        taking = self.taking
        other = "before" if self.playback.heard == "now" and taking.before is not None else "now"
        self.playback.listen(other, self.listener)

    def toggle_table(self) -> bool:
        self._as_table = not self._as_table
        self.show_table.setText(_("As a drawing") if self._as_table else _("As a table"))
        self.refresh()
        return True

    def open_recordings(self) -> None:
        """The table of them all, also of those that have no chip."""
        self.playback.stop()
        dialog = RecordingsDialog(self.theme, self.taking, self.window())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def _choose_take(self, index: int) -> None:
        self.playback.stop()
        self.taking.choose(index)

    def _show_takes(self) -> None:
        for chip in self.chips:
            chip.deleteLater()
        while self._flow.count() > 1:
            self._flow.takeAt(1)
        self.chips = []
        taking = self.taking
        first = max(0, len(taking.takes) - SHOWN_TAKES)
        wanted = sorted({*range(first, len(taking.takes)), *([taking.chosen] if taking.chosen >= 0 else [])})
        for i in wanted:  # also an older one that is shown
            take = taking.takes[i][1]
            said = label_text(take.date, taking.name_of(i)).replace("today ", "")
            chip = Button(self.theme, f"{i + 1} · {said}", "chip")
            chip.setChecked(i == taking.chosen)
            chip.clicked.connect(lambda _checked=False, i=i: self._choose_take(i))
            self._flow.addWidget(chip)
            self.chips.append(chip)
        self._flow.addWidget(self.all)
        self._flow.addWidget(self.show_table)
        self._flow.addWidget(self.measure)
        self._flow.addWidget(self.proof)

    def _show_marks(self) -> None:
        """What happened in the take that is shown."""
        taking = self.taking
        there = 0 <= taking.chosen < len(taking.takes)
        shown = (taking.takes[taking.chosen][0] if there else Path(), taking.state)
        if shown != self._marks_of:
            self._marks_of = shown
            marks = read_marks(shown[0]) if there else ()
            self.marks.say(marks_text([(m.at_s, m.says) for m in marks]))
            self.marks.setVisible(bool(marks))

    def refresh(self) -> None:
        taking = self.taking
        data = review_data(taking.take, taking.before)
        shown = [(str(folder), i == taking.chosen) for i, (folder, _other) in enumerate(taking.takes)]
        if shown != self._shown_takes:
            self._shown_takes = shown
            self._show_takes()
        self._show_marks()
        self.drawing.show_data(data)
        self.table.rows.show_rows(*table_rows(data))
        empty = not data.groups
        self.empty.words.say(data.empty)
        self.stack.setCurrentWidget(self.empty if empty else self.table if self._as_table else self.drawing)
        self.show_table.setVisible(not empty)
        self.all.setVisible(bool(taking.takes))
        self.proof.setVisible(not empty)
        self.measure.setVisible(not empty and taking.take is not None and not taking.take.proof)
        self._show_results(data)
        for id, chip in self._listener_chips.items():
            chip.setChecked(id == self.listener)
        for w in (self.in_step, self.results, self.listen_title, self.listen):
            w.setVisible(not empty)
        self.now.set_kind("primary" if self.playback.heard == "now" else "outline")
        self.before.set_kind("primary" if self.playback.heard == "before" else "outline")
        self.before.setVisible(taking.before is not None)
        self.end.setVisible(bool(self.playback.heard))
        self.listen_note.say(
            _("In the headphones, nowhere else.") if self.playback.heard else _("The backing track pauses meanwhile.")
        )
        self.kept.listener = self.listener
        self.kept.refresh()
        self.measure.setEnabled(taking.state == "idle")
        for button in (self.proof, self.empty.button):
            button.setText(taking.proof_text)
            button.setEnabled(taking.state in ("idle", "recording"))
            button.updateGeometry()

    def _show_results(self, data: ReviewData) -> None:
        while len(self.lines) < len(data.groups):
            pair = (Words(self.theme, "strong", wraps=False), Words(self.theme, "body"))
            self.lines.append(pair)
            for w in pair:
                self.results.column.insertWidget(self.results.column.count() - 1, w)
        for i, (name, result) in enumerate(self.lines):
            shown = i < len(data.groups)
            name.say(data.groups[i].name if shown else "")
            result.say(data.groups[i].text if shown else "", "water" if shown and data.groups[i].good else "coral")
        take = self.taking.take
        scatter = scatter_ms(take) if take else 0.0
        said = _("Measured in the recording, not promised.")
        if take is not None and take.missing:
            said = _("Missing in this recording: {what}. {said}").format(what="; ".join(take.missing), said=said)
        self.note.say(
            _("{said} The players' own scatter is {scatter:.0f} ms.").format(said=said, scatter=scatter)
            if scatter >= 0.5
            else said
        )
