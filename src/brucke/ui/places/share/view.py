"""Share: who hears what."""

from functools import partial
from itertools import zip_longest

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.document.setup import Route, Setup
from ....core.edits import listener_edits, route_edits
from ....core.findings import Finding
from ....core.routing.feedback_loops import own_return
from ....words import timing
from ....words.documents import LISTENER_MENU, LISTENER_WORDS
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import paint_card
from ...kit.field import NumberField
from ...kit.finding_card import FindingCard
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.menu import open_menu
from ...kit.place import Place, PlaceFrame
from ...theme.theme import Theme
from .duck_card import DuckCard
from .grid import Grid
from .model import cell_findings, listener_findings, share_data
from .route_cards import ArrivesCard, CarriedCard, ChannelsCard, GainCard, ListenerCard, RouteCard, SwitchCard

MOST_FINDINGS = 3


class GridCard(QWidget):
    """The grid on a card."""

    def __init__(self, theme: Theme, grid: Grid):
        super().__init__()
        self._theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(grid)
        self.setMinimumSize(320, 260)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        paint_card(QPainter(self), self._theme, self.rect().toRectF())


# What this place can show and mend in its own cells.
SHARE_CODES = (
    "loop", "doubled", "own_return", "hears_nothing", "player_missing", "second_track", "sum_clips", "faint",
    "lead_not_heard", "does_not_hear_itself",
)  # fmt: skip


class ShareView(Place):
    """`thing` in this place is “PART/LISTENER”."""

    id = "share"

    shows = pyqtSignal(str)
    in_align = pyqtSignal(str, str)
    by_hand = pyqtSignal(str)

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.running, self.checking = studio.session, studio.running, studio.checking
        self._clipboard: list[tuple[int, int, Route]] = []
        self.grid = Grid(theme)
        self.entry = NumberField(theme, _("Gain of the chosen routes"), -60, 12, "dB")
        self.entry.setParent(self.grid)
        self.entry.hide()
        self._build_head()
        self._build_side()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, GridCard(theme, self.grid), self._side))
        self._connect()
        self.refresh()

    def _build_head(self) -> None:
        theme = self.theme
        title = Words(theme, "title", wraps=False)
        title.setText(_("Who hears what"))
        self.hint = Words(theme, "small", "mute", wraps=False)
        self.hint.setText(_("space: on or off   ·   + and −: gain   ·   type a number   ·   drag: move"))
        self.add = Button(theme, _("Add a listener"), "outline")
        self._head = QWidget()
        flow = Flow(16, self._head)
        for w in (title, self.hint, self.add):
            flow.addWidget(w)
        flow.pushed = self.add

    def _build_side(self) -> None:
        theme = self.theme
        self.title = Words(theme, "title", wraps=False)
        self.to = Words(theme, "body", "mute")
        self.findings = [FindingCard(theme, self.mend) for _other in range(MOST_FINDINGS)]
        self.switch = SwitchCard(theme, self._edit)
        self.switch.column.insertWidget(0, self.switch.title)
        self.gain = GainCard(theme, self._edit, self.grid.cells)
        self.arrives = ArrivesCard(theme, self._edit, self.in_align.emit)
        self.cards: tuple[RouteCard, ...] = (
            self.switch, self.gain, CarriedCard(theme, self._edit), ChannelsCard(theme, self._edit),
            DuckCard(theme, self._edit), self.arrives,
        )  # fmt: skip
        self.listener_card = ListenerCard(theme, self._edit)
        self._side = QWidget()
        column = QVBoxLayout(self._side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for w in (self.title, self.to, *self.findings, *self.cards, self.listener_card):
            column.addWidget(w)
        column.addStretch(1)

    def _connect(self) -> None:
        grid = self.grid
        self.add.clicked.connect(self.add_menu)
        grid.went.connect(self._went)
        grid.toggled.connect(self.toggle)
        grid.nudged.connect(self.nudge)
        grid.asked.connect(self._ask)
        grid.cleared.connect(self.clear)
        grid.copied.connect(self.copy)
        grid.pasted.connect(self.paste)
        grid.moved.connect(self._move)
        self.entry.editingFinished.connect(self._entered)
        self.session.changed.connect(self.refresh)
        self.checking.changed.connect(self.refresh)
        self.running.levels.connect(self._levels)

    # Showing

    @property
    def part(self) -> str:
        return self.grid.cell()[0]

    @property
    def listener(self) -> str:  # type: ignore[override]
        return self.grid.cell()[1]

    def refresh(self) -> None:
        setup = self.session.setup
        self.grid.show_data(share_data(setup, self.session.timing, self.checking.results))
        if not self.grid.currentIndex().isValid() and setup.parts and setup.listeners:
            self.grid.choose(setup.parts[0].id, setup.listeners[0].id)
        self._show_side()

    def _went(self) -> None:
        self._show_side()
        if self.listener:
            self.shows.emit(self.listener)

    def _show_side(self) -> None:
        setup = self.session.setup
        id, to = self.grid.cell()
        part = next((p for p in setup.parts if p.id == id), None)
        listener = next((x for x in setup.listeners if x.id == to), None)
        if part is None or listener is None:
            for w in (*self.cards, *self.findings, self.listener_card):
                w.setVisible(False)
        if part is None:
            self.title.say("")
            self.to.say(_("Nothing is here yet. Add parts in Gather, and listeners here.") if not setup.parts else "")
            return
        self.title.say(part.name, f"part:{part.colour}")
        if listener is None:
            mine = self.grid.currentIndex().column() == 0
            who = _("you hear it") if mine else _("they hear it")
            heard = listener_edits.heard_by(setup, part.id, mine)
            self.to.say(_("{who}: {heard}. Space changes it.").format(who=who, heard=heard))
            return
        self.to.say(f"to {listener.name}")
        found = cell_findings(self.checking.results, id, to) + listener_findings(self.checking.results, to)
        for card, f in zip_longest(self.findings, found[:MOST_FINDINGS]):
            card.setVisible(f is not None)
            if f is not None:
                card.show_finding(self.session.situation, f)
        for card in self.cards:
            card.show_route(setup, part, listener, self.session.timing)
        self.listener_card.setVisible(True)
        self.listener_card.show_listener(setup, listener)

    def _levels(self) -> None:
        if not self.isVisible():
            return
        peaks = self.running.part_peaks
        for i, part in enumerate(self.session.setup.parts):
            if i < len(peaks):
                self.grid.feed(part.id, i, 20 * float(np.log10(max(float(peaks[i].max()), 1e-6))))

    def go_to(self, thing: str) -> None:
        """Show what an undo touched."""
        part, _other, listener = thing.partition("/")
        setup = self.session.setup
        if any(p.id == part for p in setup.parts) and any(x.id == listener for x in setup.listeners):
            self.grid.choose(part, listener)

    def choose_listener(self, id: str) -> bool:
        if id != self.listener:
            self.grid.choose(self.part, id)
        return True

    def next_listener(self) -> bool:
        ids = [x.id for x in self.session.setup.listeners]
        if ids:
            at = ids.index(self.listener) if self.listener in ids else -1
            self.choose_listener(ids[(at + 1) % len(ids)])
        return True

    def status(self) -> tuple[str, str]:
        wrong = sum(f.code in SHARE_CODES for f in self.checking.findings)
        routes = sum(r.on for r in self.session.setup.routes)
        return (
            (_("{wrong} to mend").format(wrong=wrong), "coral") if wrong else (timing.counted(routes, "route"), "mute")
        )

    def enter(self) -> None:
        self.grid.setFocus()

    # Doing

    def _edit(self, label: str, after: Setup, field: str = "") -> None:
        thing = "/".join(self.grid.cell())
        self.session.edit(label, after, "share", thing, key=f"{thing} {field}" if field else "")

    def _chosen(self) -> list[tuple[str, str]]:
        cells = self.grid.cells()
        part, listener = self.grid.cell()
        return cells or ([(part, listener)] if listener else [])

    def _named(self, cells: list[tuple[str, str]]) -> str:
        return timing.route_name(self.session.setup, *cells[0]) if len(cells) == 1 else f"{len(cells)} routes"

    def toggle(self) -> None:
        """The chosen routes on or off, all alike; or one of the two questions answered the other way."""
        setup, at = self.session.setup, self.grid.currentIndex()
        if at.isValid() and at.column() < 2:
            self.hear(at.column() == 0)
            return
        cells = self._chosen()
        if not cells:
            return
        current = setup.route(*self.grid.cell())
        on = not (current is not None and current.on)
        after = route_edits.switch(setup, cells, on)
        if after == setup and on and own_return(setup.part(cells[0][0]), cells[0][1]):
            name = timing.listener_name(setup, cells[0][1])
            text = _(
                "{name} never gets its own far end back; they would hear themselves late. On the right it can be "
                "asked for."
            ).format(name=name)
            self.session.noticed.emit(text, "amber")
            return
        self._edit(f"{self._named(cells)} {'on' if on else 'off'}", after)

    def hear(self, mine: bool) -> None:
        """Do I hear it, do they hear it: all or none."""
        setup, part = self.session.setup, self.part
        if not part:
            return
        after = listener_edits.toggle_heard(setup, part, mine)
        heard = listener_edits.heard_by(after, part, mine)
        self._edit(f"{timing.part_name(setup, part)}, {'I hear it' if mine else 'they hear it'}: {heard}", after)

    def nudge(self, by: float) -> None:
        cells = [c for c in self._chosen() if (r := self.session.setup.route(*c)) is not None and r.on]
        if cells:
            self._edit(
                f"{self._named(cells)} gain {by:+g} dB", route_edits.nudge_gains(self.session.setup, cells, by), "gain"
            )

    def clear(self) -> None:
        cells = self._chosen()
        if cells:
            self._edit(f"{self._named(cells)} off", route_edits.switch(self.session.setup, cells, False))

    def _ask(self, typed: str) -> None:
        """A number for the gain of the chosen routes, typed where they are."""
        part, listener = self.grid.cell()
        if not listener:
            return
        route = self.session.setup.route(part, listener)
        rect = self.grid.visualRect(self.grid.currentIndex())
        view = self.grid.viewport()
        assert view is not None
        at = view.mapTo(self.grid, rect.topLeft())
        self.entry.blockSignals(True)
        self.entry.setValue(max(-60.0, route.gain_db) if route is not None else 0.0)
        self.entry.blockSignals(False)
        self.entry.setGeometry(at.x() + 4, at.y() + 4, max(100, rect.width() - 8), 36)
        self.entry.show()
        self.entry.setFocus()
        line = self.entry.lineEdit()
        assert line is not None
        if typed:
            line.setText(typed)
        else:
            line.selectAll()

    def _entered(self) -> None:
        if self.entry.isHidden():
            return
        value, cells = self.entry.value(), self._chosen()
        self.entry.hide()
        self.grid.setFocus()
        after = route_edits.switch(route_edits.set_gains(self.session.setup, cells, value), cells, True)
        self._edit(f"{self._named(cells)} to {timing.db_text(value)}", after)

    def copy(self) -> None:
        """The chosen routes, where they stand to one another: cells, a row, a column."""
        setup, cells = self.session.setup, self._chosen()
        rows, columns = [p.id for p in setup.parts], [x.id for x in setup.listeners]
        at = [(rows.index(p), columns.index(x)) for p, x in cells]
        if not at:
            return
        top, left = min(r for r, _other in at), min(c for _other, c in at)
        self._clipboard = [
            (r - top, c - left, setup.route(p, x) or Route(part=p, listener=x, on=False))
            for (r, c), (p, x) in zip(at, cells, strict=True)
        ]
        text = self._named(cells)
        self.session.noticed.emit(_("{text} copied. Choose where, and paste (Ctrl+V).").format(text=text), "water")

    def paste(self) -> None:
        setup = self.session.setup
        part, listener = self.grid.cell()
        if not self._clipboard or not listener:
            self.session.noticed.emit(_("Nothing was copied yet (Ctrl+C)."), "amber")
            return
        rows, columns = [p.id for p in setup.parts], [x.id for x in setup.listeners]
        height = max(copied[0] for copied in self._clipboard) + 1
        width = max(copied[1] for copied in self._clipboard) + 1
        # A whole row or column goes where its own beginning is, wherever in the row the cursor stands.
        top = 0 if height == len(rows) else rows.index(part)
        left = 0 if width == len(columns) else columns.index(listener)
        routes = [
            replace(route, part=rows[top + r], listener=columns[left + c])
            for r, c, route in self._clipboard
            if top + r < len(rows) and left + c < len(columns)
        ]
        self._edit(_("{what} routes pasted").format(what=len(routes)), route_edits.paste(setup, routes))

    def _move(self, row: int, column: int, to_row: int, to_column: int, copy: bool) -> None:
        setup = self.session.setup
        source = setup.parts[row].id, setup.listeners[column].id
        target = setup.parts[to_row].id, setup.listeners[to_column].id
        if copy:
            route = setup.route(*source)
            assert route is not None
            after = route_edits.paste(setup, [replace(route, part=target[0], listener=target[1])])
        else:
            after = route_edits.move_route(setup, source, target)
        verb = "copied" if copy else "moved"
        text = f"{timing.route_name(setup, *source)} {verb} to {timing.route_name(setup, *target)}"
        self.session.edit(text, after, "share", "/".join(target))
        self.grid.choose(*target)

    def add_menu(self) -> bool:
        kinds = LISTENER_WORDS.items()
        self.menu = open_menu(
            self.add, ((f"{name}  –  {LISTENER_MENU[k]}", partial(self.add_listener, k)) for k, (name, _other) in kinds)
        )
        return True

    def add_listener(self, kind: str) -> None:
        name, device = LISTENER_WORDS[kind]
        before = {x.id for x in self.session.setup.listeners}
        after = listener_edits.add_listener(self.session.setup, kind, name, device)  # type: ignore[arg-type]
        if after == self.session.setup:
            self.session.noticed.emit(_("16 listeners are the most."), "amber")
            return
        self._edit(f"{name} added", after)
        new = next((x.id for x in self.session.setup.listeners if x.id not in before), "")
        if new and self.part:
            self.grid.choose(self.part, new)

    def mend(self, f: Finding) -> None:
        done = self.checking.mend(f)
        if done != "edit":
            self.by_hand.emit(done)
        QTimer.singleShot(0, self.grid.setFocus)
