"""Gather's second page, this computer: what sounds here and what of it is a part, who listens and whether it is
open."""

from collections import deque

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ....app.engine.live_engine import LiveEngine
from ....app.presence.audience import heard
from ....app.session.session import Session
from ....app.sound_server.desktop import Desktop
from ....app.sound_server.programs import EVERY_S, TRACE_S, in_their_order
from ....app.sound_server.stream_capture import call_of, heard_directly, part_of, with_program
from ....core.routing.audibility import heard_now
from ....engine.step.live import muted_now, open_now
from ....ports.devices.server.wiring import made
from ....words import this_computer as words
from ....words.open_closed import chosen_text
from ....words.translation import _
from ...kit.card import Card
from ...kit.edit import Edit
from ...kit.label import Words
from ...theme.theme import Theme
from .cards import HowCard, InTimeCard, ListenerCard, copy_name, microphone_name
from .rows import HereList

MOST = 10  # programs that stand there without a press; all that are parts do
POINTS = round(TRACE_S / EVERY_S)


class HerePage(QWidget):
    """`chosen` is “program/NAME” or “listener/ID”; `side` are the cards beside it. `asks`: show it as a whole again."""

    asks = pyqtSignal()

    def __init__(self, theme: Theme, session: Session, running: LiveEngine, desktop: Desktop, edit: Edit):
        super().__init__()
        self.session, self.running, self.desktop, self.edit = session, running, desktop, edit
        self.chosen = ""
        self.status = Words(theme, "body", "mute", wraps=False)
        self.sounds = HereList(theme, POINTS, self._take, words.EMPTY_SOUNDS)
        self.listens = HereList(theme, POINTS, self._copy, words.EMPTY_LISTENS)
        self._heard: dict[str, deque[float]] = {}
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(14)
        for title, about, rows in (
            (_("Sounds here"), _("the last ten seconds"), self.sounds),
            (_("Listens here"), _("who has chosen a Brucke microphone"), self.listens),
        ):
            columns.addLayout(_titled(theme, title, about, rows), 1)
        self.how, self.in_time, self.listener = HowCard(theme, edit), InTimeCard(theme), ListenerCard(theme)
        self.side: tuple[Card, ...] = (self.how, self.in_time, self.listener)
        self.sounds.chose.connect(lambda name: self.choose(f"program/{name}"))
        self.listens.chose.connect(lambda id: self.choose(f"listener/{id}"))
        desktop.traced.connect(self._traced)

    def choose(self, thing: str) -> None:
        self.chosen = thing
        self.asks.emit()

    def focus_row(self) -> None:
        rows = [*self.sounds.rows.values(), *self.listens.rows.values()]
        if rows:
            rows[0].over.setFocus()

    # Showing

    def showEvent(self, e: QShowEvent | None) -> None:
        super().showEvent(e)
        self.asks.emit()

    def hideEvent(self, e: QHideEvent | None) -> None:
        super().hideEvent(e)
        self.desktop.programs.traced = ()  # nobody looks

    def refresh(self) -> None:
        if not self.isVisible():
            for card in self.side:
                card.setVisible(False)
            return
        setup, there = self.session.setup, self.desktop.programs.there
        self.status.say(words.server_text(setup.rate_hz, setup.block_frames, self.running.cycle))
        order = in_their_order(there, setup, self.sounds.order, self.sounds.still)
        parts = sum(part_of(setup, name) is not None for name in order)
        self.sounds.show_keys(order, order[: max(MOST, parts)])
        visible = [name for name in order if not self.sounds.rows[name].isHidden()]
        self.desktop.programs.traced = tuple(visible)
        for name in order:
            self._show_program(name)
        listeners = tuple(m.of for m in made(setup) if not m.output and not m.step)
        self.listens.show_keys(listeners, listeners)
        for id in listeners:
            self._show_listener(id)
        self._show_side()

    def _show_program(self, name: str) -> None:
        row, setup = self.sounds.rows[name], self.session.setup
        part = part_of(setup, name)
        row.name.say(name[:40])
        row.what.say(words.part_text(part), f"part:{part.colour}" if part is not None else "mute")
        row.state.say(words.way_text(part, heard_directly(setup, name)))
        row.offer("" if part is not None else _("That is them") if self._call_of(name) else _("Use this sound"))
        row.show_chosen(self.chosen == f"program/{name}")
        row.over.setAccessibleName(f"{name}, {words.part_text(part)}")

    def _show_listener(self, id: str) -> None:
        row, setup, live = self.listens.rows[id], self.session.setup, self.session.live
        listener = setup.listener(id)
        is_open = open_now(setup, listener, live)
        programs = [e.program for e in self.desktop.consumers.get(id, ())]
        row.name.say(listener.name)
        now = dict(heard(self.session, self.running, self.desktop)).get(id)
        said = _("they hear you") if now else _("they may hear you") if is_open else _("they do not")
        row.state.say(said, "water" if is_open else "mute")
        row.what.say(chosen_text(programs), "water" if programs else "amber")
        would = [
            p for p in heard_now(setup, live.moment, muted_now(setup, live), id) if p not in self.session.facts.quiet
        ]
        row.more.say(words.hears_line(setup, now or would, bool(now)))
        row.offer("" if programs else _("Copy the name"))
        row.show_chosen(self.chosen == f"listener/{id}")
        row.over.setAccessibleName(f"{listener.name}, {row.state.text()}, {row.what.text()}")

    def _show_side(self) -> None:
        kind, _slash, id = self.chosen.partition("/")
        setup = self.session.setup
        for card in self.side:
            card.setVisible(False)
        if kind == "program" and id in self.sounds.rows:
            self.how.show_program(setup, id)
            part = part_of(setup, id)
            if part is not None:
                self.in_time.show_part(setup, self.session.timing, part.id)
        elif kind == "listener" and id in self.listens.rows:
            programs = tuple(e.program for e in self.desktop.consumers.get(id, ()))
            self.listener.show_listener(setup, setup.listener(id), programs)

    @property
    def title(self) -> tuple[str, str, str]:
        """(what is chosen, its tone, where it comes from) for the head of the side."""
        kind, _slash, id = self.chosen.partition("/")
        if kind == "program" and id in self.sounds.rows:
            part = part_of(self.session.setup, id)
            return (part.name, f"part:{part.colour}", id) if part is not None else (id[:40], "ink", "")
        if kind == "listener" and id in self.listens.rows:
            return self.session.setup.listener(id).name, "ink", ""
        return "", "ink", ""

    def _traced(self) -> None:
        if not self.isVisible():
            return
        for name, line in self.desktop.programs.traces.items():
            row = self.sounds.rows.get(name)
            part = part_of(self.session.setup, name)
            if row is not None:
                row.trace.show_levels(tuple(line), f"part:{part.colour}" if part is not None else "mute")
        peaks = self.running.out_peaks
        for i, x in enumerate(self.session.setup.listeners):
            row = self.listens.rows.get(x.id)
            if row is not None and i < len(peaks):
                heard = self._heard.setdefault(x.id, deque(maxlen=POINTS))
                heard.append(float(peaks[i].max()) if self.running.state == "running" else 0.0)
                row.trace.show_levels(tuple(heard), "ink")

    # Doing

    def _take(self, program: str) -> None:
        """One press makes it a part."""
        setup = self.session.setup
        after = with_program(setup, program, self._call_of(program))
        if after == setup:
            self.session.noticed.emit(_("64 parts are the most."), "amber")
            return
        self.chosen = f"program/{program}"
        self.edit(_("{program} through Brucke").format(program=program), after)

    def _call_of(self, program: str) -> str:
        """The call whose microphone a program has chosen, “” where it has chosen none: what it plays is the far end."""
        return call_of(self.session.setup, self.desktop.consumers, program)

    def _copy(self, listener: str) -> None:
        copy_name(microphone_name(self.session.setup, listener))
        self.session.noticed.emit(_("The name is copied. Choose it as the microphone in that program."), "water")


def _titled(theme: Theme, title: str, about: str, rows: QWidget) -> QVBoxLayout:
    column, line = QVBoxLayout(), QHBoxLayout()
    strong, small = Words(theme, "strong", wraps=False), Words(theme, "small", "mute", wraps=False)
    strong.setText(title)
    small.setText(about)
    line.setSpacing(16)
    line.addWidget(strong)
    line.addWidget(small, 1)
    card = Card(theme)
    card.column.addWidget(rows)
    column.addLayout(line)
    column.addWidget(card)
    column.addStretch(1)
    return column
