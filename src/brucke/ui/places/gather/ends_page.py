"""Gather's first page on this computer: the things at the ends, each found or one step away, and what will be heard."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ....core.document.setup import Listener, Part
from ....core.edits.route_edits import change_device
from ....desk.desktop import Desktop
from ....desk.headphones import HeadphoneCheck
from ....desk.running import LiveEngine
from ....desk.session import Session
from ....desk.taking_over import lead_of, part_of, with_song
from ....engine.step.live import open_now
from ....ports.devices.server.names import choosing, chosen_ends, here, taken_program
from ....words.doors import chosen_text
from ....words.here import choose_text, together_text
from ....words.translation import _
from ...kit.edit import Edit
from ...kit.label import Words
from ...theme.theme import Theme
from .ends_cards import MOST, EndCard, Span, ThenCard
from .here_cards import copy_name, microphone_name

TONE = "tone"


class EndsPage(QWidget):
    """`asks`: show it as a whole again."""

    asks = pyqtSignal()

    def __init__(
        self, theme: Theme, session: Session, running: LiveEngine, desktop: Desktop, check: HeadphoneCheck, edit: Edit
    ):
        super().__init__()
        self.session, self.running, self.desktop, self.edit = session, running, desktop, edit
        self.check = check
        self.hint = Words(theme, "body", "mute")
        self.hint.setText(
            _("Four things, each found or one step away. Nothing leaves this computer before you open it.")
        )
        self.voice = EndCard(theme, _("Your voice"), _("speak: the one that moves"), True, self._me)
        self.phones = EndCard(theme, _("Your headphones"), _("a soft tone, left then right"), False, self._in_these)
        self.song = EndCard(theme, _("The song"), _("play it: the one that moves"), True, self._the_song)
        self.call = EndCard(theme, _("Their call"), "", False, self._copy)
        self.mine, self.theirs = Span(theme, "water"), Span(theme, "part:4")
        column, grid = QVBoxLayout(self), QGridLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.hint)
        for row, (left, span, right) in enumerate(
            ((self.voice, self.mine, self.phones), (self.song, self.theirs, self.call))
        ):
            grid.addWidget(left, row, 0)
            grid.addWidget(span, row, 1, Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(right, row, 2)
        for at, stretch in enumerate((5, 4, 5)):
            grid.setColumnStretch(at, stretch)
        grid.setSpacing(12)
        column.addLayout(grid)
        self.then = ThenCard(theme)
        self.then.hide()
        desktop.traced.connect(self._traced)

    # What stands at the ends

    @property
    def _voice(self) -> Part | None:
        setup = self.session.setup
        return next((p for p in setup.parts if p.source == "microphone" and here(setup.device(p.device))), None)

    @property
    def _phones(self) -> Listener | None:
        setup = self.session.setup
        return next((x for x in setup.listeners if x.kind == "monitor" and here(setup.device(x.device))), None)

    @property
    def _call(self) -> Listener | None:
        setup = self.session.setup
        return next((x for x in setup.listeners if microphone_name(setup, x.id)), None)

    def showEvent(self, e: QShowEvent | None) -> None:
        super().showEvent(e)
        self.asks.emit()

    def hideEvent(self, e: QHideEvent | None) -> None:
        super().hideEvent(e)
        self.desktop.programs.traced = self.desktop.programs.traced_nodes = ()

    def focus_row(self) -> None:
        for card in (self.voice, self.song, self.phones, self.call):
            first = next((c.button for c in card.choices if not c.isHidden()), None)
            if first is not None:
                first.setFocus()
                return

    def refresh(self) -> None:
        self.then.setVisible(self.isVisible())
        if not self.isVisible():
            return
        self._show_voice()
        self._show_phones()
        self._show_song()
        self._show_call()
        programs = self.desktop.programs
        programs.traced = tuple(c.key for c in self.song.choices if c.key)
        programs.traced_nodes = tuple(c.key for c in self.voice.choices if c.key)

    def _show_voice(self) -> None:
        part = self._voice
        self.voice.setVisible(part is not None)
        if part is None:
            return
        chosen, there = self._end_of(part.device, 0)
        self.voice.show_end(bool(there), there or _gone(chosen), f"part:{part.colour}")
        self.voice.offer([(k, v) for k, v in self.desktop.sources if k != chosen][:MOST], _("That is me"))

    def _show_phones(self) -> None:
        listener = self._phones
        self.phones.setVisible(listener is not None)
        if listener is None:
            return
        chosen, there = self._end_of(listener.device, 1)
        self.phones.show_end(self.check.heard and bool(there), there or _gone(chosen), "water")
        now = self.desktop.end_names.get(listener.device, ("", ""))[1]
        others = [(k, v) for k, v in self.desktop.sinks if k not in (chosen, now)][: MOST - 1]
        self.phones.offer([(TONE, _("a soft tone")), *others], _("Play here"))
        self.phones.choices[0].button.setText(_("Check them"))

    def _end_of(self, device: str, which: int) -> tuple[str, str]:
        """(what was chosen by name, what it records from (0) or plays to (1) now; “” where that is not there)."""
        chosen = chosen_ends(self.session.setup.device(device))
        return chosen[which], self.desktop.ends.get(device, ("", ""))[which]

    def _show_song(self) -> None:
        setup = self.session.setup
        lead = lead_of(setup)
        self.song.setVisible(lead is not None)
        if lead is None:
            return
        device = setup.device(lead.device)
        program = taken_program(device) if device.kind != "interface" else ""
        track = lead.tracks[lead.track].file if lead.tracks else ""
        what = program or track or _("nothing yet")
        self.song.show_end(bool(program or track), what, f"part:{lead.colour}")
        others = [(p.name, p.name) for p in self.desktop.programs.there if part_of(setup, p.name) is None]
        self.song.offer(others[:MOST], _("That is the song"))

    def _show_call(self) -> None:
        setup, live, listener = self.session.setup, self.session.live, self._call
        self.call.setVisible(listener is not None)
        mine, theirs = self._will_be_heard()
        self.mine.say(("small", _("you will hear"), "mute"), ("name", mine, "ink"))
        if listener is None:
            self.theirs.say(("small", _("they will hear"), "mute"), ("name", theirs, "ink"))
            return
        is_open = open_now(setup, listener, live)
        self.theirs.say(
            ("small", _("they will hear"), "mute"), ("name", theirs, "ink"),
            ("strong", _("open") if is_open else _("closed"), "water"),
        )  # fmt: skip
        programs = [e.program for e in self.desktop.ears.get(listener.id, ())]
        name = microphone_name(setup, listener.id)
        self.call.show_end(bool(programs), chosen_text(programs) if programs else name, "part:4")
        self.call.hint.say(choose_text(setup, listener.device, name))
        self.call.offer([(name, "")], _("Copy the name"))

    def _will_be_heard(self) -> tuple[str, str]:
        """What I will hear, and what they will, by what is routed."""
        setup, listener, phones = self.session.setup, self._call, self._phones

        def heard(by: Listener | None) -> str:
            on = {r.part for r in setup.routes if by is not None and r.listener == by.id and r.on}
            names = [p.name for p in setup.parts if p.id in on and p.kind != "picture" and p.source != "count_in"]
            return together_text(names)

        return heard(phones), heard(listener)

    def _traced(self) -> None:
        if not self.isVisible():
            return
        for card in (self.voice, self.song):
            for choice in card.choices:
                choice.trace.show_levels(tuple(self.desktop.programs.traces.get(choice.key, ())), "water")

    # Saying which

    def _me(self, source: str) -> None:
        part = self._voice
        if part is not None:
            device = self.session.setup.device(part.device)
            after = change_device(self.session.setup, device.id, card=choosing(source, chosen_ends(device)[1]))
            self.edit(_("records from {name}").format(name=source), after)

    def _in_these(self, sink: str) -> None:
        """The tone here; or other headphones, and the tone there."""
        listener = self._phones
        if sink != TONE and listener is not None:
            device = self.session.setup.device(listener.device)
            after = change_device(self.session.setup, device.id, card=choosing(chosen_ends(device)[0], sink))
            self.edit(_("plays to {name}").format(name=sink), after)
        self.check.begin()

    def _the_song(self, program: str) -> None:
        self.edit(_("{program} is the song").format(program=program), with_song(self.session.setup, program))

    def _copy(self, name: str) -> None:
        copy_name(name)
        self.session.noticed.emit(_("The name is copied. Choose it as the microphone in that program."), "water")


def _gone(chosen: str) -> str:
    return _("{name}, not there").format(name=chosen) if chosen else _("nothing that the desktop has chosen")
