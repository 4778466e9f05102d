"""What of the measured ways is which box: each direction of each interface, what cannot be told apart, the air taken
out, and what to measure next."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...app.measuring.round_trip import Measurer
from ...app.session.session import Session
from ...core.knowledge.evidence import Measurement
from ...core.knowledge.quantities import ROUND_TRIP, Way
from ...core.measure.stages import worth_measuring
from ...core.timing.make_evidence import Air, without_air
from ...core.timing.paths import converter_paths
from ...words import stages as words
from ...words.timing import ms_text
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.card import Card
from ..kit.dialog import BesideWindow
from ..kit.field import own_look
from ..kit.label import Words
from ..kit.row import ends, row
from ..kit.table import PlainTable
from ..kit.wheel import DoubleSpinBox
from ..theme.theme import Theme
from .tool import Tool

MOST_LINES = 3


class StagesDialog(BesideWindow):
    def __init__(self, theme: Theme, session: Session, measuring: Measurer, parent: QWidget | None):
        super().__init__(_("Which box takes how long"), 900, 420, parent)
        self.session, self.measuring = session, measuring
        self.lines = [
            Words(theme, "strong" if not i else "body", "ink" if not i else "mute") for i in range(MOST_LINES)
        ]
        self.table = PlainTable(theme, _("Stages, as far as measured ways tell"))
        self.air_card = Card(theme)
        self.air_said = Words(theme, "body")
        self.metres, self.celsius = DoubleSpinBox(), DoubleSpinBox()
        self.keep = Button(theme, _("Keep the machine's part"), "primary")
        self.next, self.away = Button(theme, _("Measure"), "outline"), Button(theme, _("Close"), "plain", "Esc")
        self._build(theme)
        self.follow(session.changed, self.refresh)
        self.refresh()

    def _build(self, theme: Theme) -> None:
        for box, text, unit, most, name in (
            (self.metres, _("apart by "), " m", 50.0, _("Distance from the loudspeaker to the microphone")),
            (self.celsius, "at ", " °C", 45.0, _("Temperature of the room")),
        ):
            box.setRange(0.0, most)
            box.setDecimals(2 if box is self.metres else 0)
            box.setSingleStep(0.1 if box is self.metres else 1.0)
            box.setPrefix(text)
            box.setSuffix(unit)
            box.setAccessibleName(name)
            own_look(box, theme)
            box.valueChanged.connect(lambda _v: self.refresh())
        self.celsius.setValue(20.0)
        title = Words(theme, "name")
        title.say(_("Through the air"))
        self.air_card.column.addWidget(title)
        self.air_card.column.addWidget(self.air_said)
        line = row(self.metres, self.celsius)
        line.addStretch(1)
        line.addWidget(self.keep)
        self.air_card.column.addLayout(line)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (*self.lines, self.table, self.air_card):
            column.addWidget(w, 1 if w is self.table else 0)
        column.addLayout(ends(self.next, right=self.away))
        self.keep.clicked.connect(self._keep)
        self.next.clicked.connect(self._measure)
        self.away.clicked.connect(self.reject)

    @property
    def air(self) -> Air:
        return Air(self.metres.value(), self.celsius.value())

    @property
    def measured(self) -> Measurement | None:
        """The newest round trip that counts."""
        trips = self.session.situation.round_trips.values()
        return max(trips, key=lambda m: m.sequence, default=None)

    def _more(self) -> list[tuple[tuple[str, ...], Way]]:
        """Ways that would tell more, as stages and as what to measure."""
        known, setup = self.session.situation, self.session.setup
        ways: dict[tuple[str, ...], Way] = {
            (f"output:{w.ids[0]}", f"capture:{w.ids[-1]}"): w
            for w in (*ROUND_TRIP.ways(setup), *ROUND_TRIP.more(setup))
        }
        return [(stages, ways[stages]) for stages in worth_measuring(converter_paths(known), list(ways))]

    def _keep(self) -> None:
        m = self.measured
        after = without_air(m, self.air) if m is not None else None
        if after is None:
            return
        self.session.learn(self.session.knowledge.with_measurement(after))
        self.metres.setValue(0.0)
        self.session.noticed.emit(
            _("The machine's part counts now: {ms}.").format(ms=ms_text(after.value_s, 2)), "water"
        )

    def _measure(self) -> None:
        """The way that would tell most: chosen in Align, and begun."""
        more = self._more()
        if more:
            self.measuring.choose(ROUND_TRIP.key(*more[0][1].ids))
            self.measuring.begin()
            self.accept()

    def refresh(self) -> None:
        known, setup = self.session.situation, self.session.setup
        paths, found, more = converter_paths(known), known.converters, self._more()
        said = words.lines(setup, paths, found, [stages for stages, _w in more])
        for i, (line, text) in enumerate(zip(self.lines, [*said, *[""] * MOST_LINES], strict=False)):
            line.say(text, "amber" if found.contradicts and i == 1 else "mute" if i else "ink")
        self.table.setVisible(bool(paths))
        self.table.rows.show_rows(list(words.HEAD), words.rows(setup, found))
        self.next.setVisible(bool(more))
        if more:
            self.next.setText(words.more_text(setup, more[0][0]))
        m = self.measured
        self.air_card.setVisible(m is not None)
        if m is not None:
            out = m.air_s > 0
            self.air_said.say(m.note if out else words.air_text(setup, m.value_s, self.air))
            self.metres.setEnabled(not out)
            self.celsius.setEnabled(not out)
            self.keep.setVisible(not out)
            self.keep.setEnabled(self.air.metres > 0 and without_air(m, self.air) is not None)


STAGES = Tool(
    Action("stages", _("Which box takes how long, and the air…")), "boxes", _("The boxes…"),
    lambda host: host.show(StagesDialog(host.theme, host.studio.session, host.studio.measuring, host.parent)),
)  # fmt: skip
