"""Gather's first page on this computer: the things at the ends, each found or one step away, and what will be heard."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ....app.documents.documents import Documents
from ....app.engine.live_engine import LiveEngine
from ....app.measuring.headphone_check import HeadphoneCheck
from ....app.presence.audience import heard
from ....app.sound_server.desktop import Desktop
from ....app.sound_server.stream_capture import call_of, lead_of, listens, part_of, with_program, with_song
from ....core.document.setup import Listener, Part
from ....core.edits.beginning_edits import with_camera, with_friends_call, with_instrument, with_song_files
from ....core.edits.route_edits import change_device
from ....engine.step.live import open_now
from ....ports.devices.server.names import choosing, chosen_ends, here, taken_program
from ....words.open_closed import chosen_text
from ....words.this_computer import choose_text, together_text
from ....words.timing import needs_you
from ....words.translation import _
from ...kit.button import Button
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.sound_files_dialog import ask_for_sounds
from ...theme.theme import Theme
from ..this_computer.cards import copy_name, microphone_name
from .cards import MOST, EndCard, Span, StepsCard

TONE = "tone"
# What can be added here: (what the button says, what it does).
MORE = {
    "instrument": (_("Add an instrument"), with_instrument),
    "camera": (_("A camera for the stream"), with_camera),
    "friends": (_("A friends' call beside it"), with_friends_call),
}


class EndsPage(QWidget):
    """`asks`: show it as a whole again; `acts`: do something by its action."""

    asks = pyqtSignal()
    acts = pyqtSignal(str)

    def __init__(
        self, theme: Theme, documents: Documents, running: LiveEngine, desktop: Desktop, check: HeadphoneCheck,
        edit: Edit
    ):  # fmt: skip
        super().__init__()
        self.session, self.running, self.desktop, self.edit = documents.session, running, desktop, edit
        self.documents, self.check = documents, check
        self.hint = Words(theme, "body", "mute")
        self.hint.setText(_("Each is found or one step away. Nobody hears anything before you let them."))
        self.voice = EndCard(theme, _("Your voice"), _("speak: the one that moves"), True, self._me)
        self.phones = EndCard(theme, _("Your headphones"), _("a soft tone, left then right"), False, self._in_these)
        self.song = EndCard(
            theme, _("The song"), _("play it: the one that moves"), True, self._the_song, _("Choose my song…")
        )
        self.call = EndCard(theme, _("Their call"), "", False, self._them_or_copy)
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
        self.more = {key: Button(theme, text, "outline") for key, (text, _add) in MORE.items()}
        more = Flow(8)
        for key, button in self.more.items():
            more.addWidget(button)
            button.clicked.connect(lambda _checked=False, key=key: self._add(key))
        column.addLayout(more)
        self.steps = StepsCard(theme)
        self.steps.hide()
        self.steps.chose.connect(self._step)
        self.song.also.clicked.connect(self._choose_song)
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
        self.steps.setVisible(self.isVisible())
        if not self.isVisible():
            return
        self._show_voice()
        self._show_phones()
        self._show_song()
        self._show_call()
        self._show_steps()
        programs = self.desktop.programs
        programs.traced = tuple(c.key for c in self.song.choices if c.key)
        programs.traced_nodes = tuple(c.key for c in self.voice.choices if c.key)

    @property
    def _cards(self) -> dict[str, EndCard]:
        return {"voice": self.voice, "phones": self.phones, "song": self.song, "call": self.call}

    def _show_steps(self) -> None:
        session, cards = self.session, self._cards
        setup, listeners = session.setup, session.timing.listeners
        done = {
            **{key: card.found for key, card in cards.items()},
            "start_stop": self.running.state == "running",
            "measure": session.measured,
            "everywhere": session.measured and not any(needs_you(t.verdict) for t in listeners),
            "on_air": session.live.on_air and self.running.state == "running",
        }
        hidden = [key for key, card in cards.items() if card.isHidden()]
        idle = [key for key, card in cards.items() if card.first is None]
        idle += ["start_stop"] * (self.running.state != "stopped") + ["on_air"] * done["on_air"]
        self.steps.show_steps(done, hidden, idle)
        there = {p.kind for p in setup.parts} | {x.kind for x in setup.listeners}
        self.more["camera"].setVisible("stream" in there and "picture" not in there)
        self.more["friends"].setVisible("stream" in there and "call" not in there)

    def _step(self, key: str) -> None:
        """To the first choice of an end; an act is done."""
        card = self._cards.get(key)
        if card is None:
            self.acts.emit(key)
        elif card.first is not None:
            card.first.setFocus()

    def _add(self, key: str) -> None:
        text, add = MORE[key]
        self.edit(text, add(self.session.setup))

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
        self.phones.choices[0].button.setAccessibleName(f"{self.phones.title.text()}: {_('Check them')}")

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
        bare = {program for program, _device in self.session.facts.bare}
        others = [
            (p.name, p.name)
            for p in self.desktop.programs.there
            if part_of(setup, p.name) is None and p.name not in bare and not listens(self.desktop.consumers, p.name)
        ]
        self.song.offer(others[:MOST], _("That is the song"))

    def _show_call(self) -> None:
        setup, live, listener = self.session.setup, self.session.live, self._call
        self.call.setVisible(listener is not None)
        mine, theirs = self._will_be_heard()
        self.mine.say(("small", _("you will hear"), "mute"), ("name", mine, "ink"))
        if listener is None:
            self.theirs.say(("small", _("they will hear"), "mute"), ("name", theirs, "ink"))
            return
        now = dict(heard(self.session, self.running, self.desktop)).get(listener.id)
        waits = (
            _("let hear; nothing reaches them yet") if open_now(setup, listener, live) else _("not before you let them")
        )
        self.theirs.say(
            ("small", _("they will hear"), "mute"), ("name", theirs, "ink"),
            ("strong", _("they hear it now") if now else waits, "water"),
        )  # fmt: skip
        programs = [e.program for e in self.desktop.consumers.get(listener.id, ())]
        name = microphone_name(setup, listener.id)
        self.call.show_end(bool(programs), chosen_text(programs) if programs else name, "part:4")
        self.call.hint.say(choose_text(setup, listener.device, name))
        them = [
            p
            for p in dict.fromkeys(programs)
            if p in self.desktop.playing and call_of(setup, self.desktop.consumers, p)
        ]
        them = [p for p in them if part_of(setup, p) is None]
        self.call.title.setText(_("Their call") if listener.kind == "call" else listener.name)
        self.call.offer([(name, ""), *((p, p) for p in them)], _("That is them"))
        self.call.choices[0].button.setText(_("Copy the name"))
        self.call.choices[0].button.setAccessibleName(f"{listener.name}: {_('Copy the name')}")

    def _will_be_heard(self) -> tuple[str, str]:
        """What I will hear, and what they will, by what is routed."""
        setup, listener, phones = self.session.setup, self._call, self._phones

        def routed_to(by: Listener | None) -> str:
            on = {r.part for r in setup.routes if by is not None and r.listener == by.id and r.on}
            names = [p.name for p in setup.parts if p.id in on and p.kind != "picture" and p.source != "count_in"]
            return together_text(names)

        return routed_to(phones), routed_to(listener)

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

    def _choose_song(self) -> None:
        """Files of one's own in place of what sets the beat now."""
        good, bad = self.documents.bring_in(ask_for_sounds(self, self.documents.settings))
        if bad:
            self.session.noticed.emit(_("Not taken. {why}.").format(why=bad[0]), "coral")
        if good:
            after = with_song_files(self.session.setup, good)
            self.edit(_("{file} is the song").format(file=good[0]), after)

    def _them_or_copy(self, key: str) -> None:
        """A program that has chosen the call's microphone and plays is the far end; else the microphone's name is
        copied."""
        setup = self.session.setup
        call = call_of(setup, self.desktop.consumers, key)
        if call:
            self.edit(_("{program} is the far end").format(program=key), with_program(setup, key, call))
        else:
            self._copy(key)

    def _copy(self, name: str) -> None:
        copy_name(name)
        self.session.noticed.emit(_("The name is copied. Choose it as the microphone in that program."), "water")


def _gone(chosen: str) -> str:
    return _("{name}, not there").format(name=chosen) if chosen else _("nothing that the desktop has chosen")
