"""Moments to be edited: what each mutes for whom, who waits, and what would change for whom if it were called up."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.document.setup import Moment, Setup
from ....core.edits import moment_edits
from ....core.routing.feedback_loops import carries
from ....words.moments import changes_text
from ....words.timing import listener_name, part_name
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.field import NumberField, TextField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme

WAITS, AT_ONCE = "in_step", "least_delay"
RECORDING = (("", _("as it is")), ("on", _("a take begins")), ("off", _("the take ends")))
RECORDS: dict[str, bool | None] = {"": None, "on": True, "off": False}


class MomentPage(QWidget):
    """One moment at a time; which one is shown is not called up by that."""

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        self.theme, self.session = theme, studio.session
        self.moment = ""
        self.choice = Chips(theme, _("Moment"), (), self._choose)
        self.more = Button(theme, _("Add a moment"), "outline")
        self.up, self.down = Button(theme, _("Up"), "plain"), Button(theme, _("Down"), "plain")
        self.away = Button(theme, _("Remove"), "plain")
        self.name = TextField(theme, _("Name of the moment"))
        self.pauses = Button(theme, _("the song stands still"), "choice")
        self.plain = Button(theme, _("without chains"), "choice")
        self.still = Button(theme, _("without ducking"), "choice")
        self.recording = Chips(theme, _("Recording of takes"), RECORDING, self._record)
        self.crossfade = NumberField(theme, _("Within how many seconds its levels are reached"), 0, 10, "s")
        self.calls = Button(theme, _("Call it up"), "outline")
        self.was = Button(theme, _("Back to what was"), "plain")
        self.preview = Words(theme, "body", "mute")
        self.cells: dict[tuple[str, str], Button] = {}
        self.policies: dict[str, Button] = {}
        self._before = ""
        self._build()
        self.more.clicked.connect(self._add)
        self.up.clicked.connect(lambda: self._edit(_("moved"), moment_edits.move_moment, -1))
        self.down.clicked.connect(lambda: self._edit(_("moved"), moment_edits.move_moment, 1))
        self.away.clicked.connect(lambda: self._edit(_("removed"), moment_edits.remove_moment))
        self.name.entered.connect(lambda text: self._edit(_("name"), moment_edits.change_moment, name=text))
        self.pauses.clicked.connect(self._pause)
        self.plain.clicked.connect(lambda: self._flip(moment_edits.pass_chains, moment_edits.passes_chains))
        self.still.clicked.connect(lambda: self._flip(moment_edits.stop_ducking, moment_edits.stops_ducking))
        self.crossfade.entered.connect(lambda s: self._edit(_("crossfade"), moment_edits.change_moment, crossfade_s=s))
        self.calls.clicked.connect(self._call_up)
        self.was.clicked.connect(self._back)

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        tools = QWidget()
        flow = Flow(8, tools)
        for w in (self.more, self.up, self.down, self.away):
            flow.addWidget(w)
        column.addWidget(tools)
        column.addWidget(self.choice)
        card = Card(self.theme)
        name, grid = Words(self.theme, "small", "mute"), Words(self.theme, "small", "mute")
        name.say(_("Name"))
        grid.say(_("Who does not hear what in it, and whether they hear it in step or at once"))
        also = QWidget()
        choices = Flow(8, also)
        for choice in (self.pauses, self.plain, self.still):
            choices.addWidget(choice)
        within = Words(self.theme, "small", "mute", wraps=False)
        within.setText(_("Its levels are reached within"))
        takes = Words(self.theme, "small", "mute", wraps=False)
        takes.setText(_("Recording of takes"))
        for field in (name, self.name, also):
            card.column.addWidget(field)
        card.column.addLayout(row(within, self.crossfade))
        recording = row(takes, self.recording)
        recording.setStretch(1, 1)
        card.column.addLayout(recording)
        card.column.addWidget(grid)
        self.table = QGridLayout()
        self.table.setSpacing(6)
        card.column.addLayout(self.table)
        title = Words(self.theme, "small", "mute")
        title.say(_("If it were called up now"))
        acts = QWidget()
        line = Flow(8, acts)
        for act in (self.calls, self.was):
            line.addWidget(act)
        for said in (title, self.preview, acts):
            card.column.addWidget(said)
        self.card = card
        column.addWidget(card)
        column.addStretch(1)

    # What is shown

    @property
    def shown(self) -> Moment | None:
        return self.session.setup.moment(self.moment)

    def refresh(self) -> None:
        setup, live = self.session.setup, self.session.live
        if self.shown is None:
            self.moment = live.moment if setup.moment(live.moment) else next((m.id for m in setup.moments), "")
        self.choice.offer([(m.id, m.name) for m in setup.moments])
        self.choice.show_on(self.moment)
        moment = self.shown
        self.card.setVisible(moment is not None)
        for w in (self.up, self.down, self.away):
            w.setEnabled(moment is not None)
        self.was.setVisible(bool(self._before) and self._before != live.moment)
        if moment is not None:
            self.name.show_text(moment.name)
            self.pauses.setChecked(moment.pauses)
            self.plain.setChecked(moment_edits.passes_chains(moment))
            self.plain.setVisible(any(p.chain for p in setup.parts) or any(x.chain for x in setup.listeners))
            self.still.setChecked(moment_edits.stops_ducking(moment))
            self.still.setVisible(any(r.duck is not None for r in setup.routes))
            self.crossfade.show_value(moment.crossfade_s)
            self.recording.show_on(next(key for key, on in RECORDS.items() if on is moment.recording))
            self._show_table(setup, moment)
            self.preview.say(
                _("It is in force.") if moment.id == live.moment else changes_text(setup, live.moment, moment.id)
            )
            self.calls.setEnabled(moment.id != live.moment)

    def _show_table(self, setup: Setup, moment: Moment) -> None:
        routes = {(r.part, r.listener) for r in setup.routes if carries(r) and r.way == "engine"}
        parts = [p for p in setup.parts if p.kind != "picture" and any((p.id, x.id) in routes for x in setup.listeners)]
        heads = [x.id for x in setup.listeners if any((p.id, x.id) in routes for p in parts)]
        wanted = {(p.id, x) for p in parts for x in heads if (p.id, x) in routes}
        if set(self.cells) != wanted or set(self.policies) != set(heads):
            self._make_table(setup, [p.id for p in parts], heads, wanted)
        muted = {(r.part, r.listener) for r in moment.routes if r.mute}
        for cell, button in self.cells.items():
            button.setText(_("silent") if cell in muted else _("hears it"))
            button.setChecked(cell in muted)
            said = _("{listener}: {part}").format(
                listener=listener_name(setup, cell[1]), part=part_name(setup, cell[0])
            )
            button.setAccessibleName(f"{said}, {button.text()}")
        for listener, button in self.policies.items():
            at_once = moment.policy.get(listener) == AT_ONCE
            button.setText(_("at once") if at_once else _("in step"))
            button.setChecked(at_once)
            button.setAccessibleName(f"{listener_name(setup, listener)}, {button.text()}")

    def _make_table(self, setup: Setup, parts: list[str], heads: list[str], wanted: set[tuple[str, str]]) -> None:
        while self.table.count():
            item = self.table.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.cells, self.policies = {}, {}
        for column, listener in enumerate(heads, 1):
            head = Words(self.theme, "small strong", "mute")
            head.setText(listener_name(setup, listener))
            self.table.addWidget(head, 0, column)
            policy = self.policies[listener] = Button(self.theme, "", "choice")
            policy.clicked.connect(lambda _checked=False, x=listener: self._policy(x))
            self.table.addWidget(policy, len(parts) + 1, column)
        waits = Words(self.theme, "small strong", "mute")
        waits.setText(_("It comes"))
        self.table.addWidget(waits, len(parts) + 1, 0)
        for line, part in enumerate(parts, 1):
            title = Words(self.theme, "small strong", "ink")
            title.setText(part_name(setup, part))
            self.table.addWidget(title, line, 0)
            for column, listener in enumerate(heads, 1):
                if (part, listener) in wanted:
                    cell = self.cells[part, listener] = Button(self.theme, "", "choice")
                    cell.clicked.connect(lambda _checked=False, p=part, x=listener: self._mute(p, x))
                    self.table.addWidget(cell, line, column)

    # What is done

    def _choose(self, moment: str) -> None:
        self.moment = moment
        self.refresh()

    def _edit(self, what: str, edit: Callable[..., Setup], *more: object, **fields: object) -> None:
        moment = self.shown
        if moment is not None:
            after = edit(self.session.setup, moment.id, *more, **fields)
            self.session.edit(f"{moment.name}: {what}", after, "perform")
        self.refresh()

    def _add(self) -> None:
        after = moment_edits.add_moment(self.session.setup, _("Moment"), self.moment)
        if after != self.session.setup:
            self.moment = after.moments[-1].id
            self.session.edit(_("a moment added"), after, "perform")
        self.refresh()

    def _pause(self) -> None:
        moment = self.shown
        if moment is not None:
            self._edit(_("the song"), moment_edits.change_moment, pauses=not moment.pauses)

    def _record(self, key: str) -> None:
        self._edit(_("recording of takes"), moment_edits.change_moment, recording=RECORDS[key])

    def _flip(self, change: Callable[..., Setup], is_so: Callable[[Moment], bool]) -> None:
        if self.shown is not None:
            self._edit(_("what it leaves out"), change, not is_so(self.shown))

    def _mute(self, part: str, listener: str) -> None:
        moment = self.shown
        if moment is not None:
            muted = any(r.mute for r in moment.routes if (r.part, r.listener) == (part, listener))
            self._edit(_("who hears what"), moment_edits.set_mute, part, listener, not muted)

    def _policy(self, listener: str) -> None:
        moment = self.shown
        if moment is not None:
            now = moment.policy.get(listener, WAITS)
            self._edit(_("who waits"), moment_edits.set_policy, listener, WAITS if now == AT_ONCE else AT_ONCE)

    def _call_up(self) -> None:
        live = self.session.live
        if self.shown is not None and live.moment != self.moment:
            self._before = live.moment
            self.session.set_live(replace(live, moment=self.moment))

    def _back(self) -> None:
        if self._before:
            back, self._before = self._before, ""
            self.session.set_live(replace(self.session.live, moment=back))
