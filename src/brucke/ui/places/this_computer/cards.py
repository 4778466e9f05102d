"""Beside this computer: how a program is heard, when, and what a listener has to be told."""

from PyQt6.QtWidgets import QApplication

from ....app.sound_server.stream_capture import directly, heard_directly, part_of, without_program
from ....core.document.setup import Listener, Setup
from ....core.timing.arrivals import Timing
from ....core.timing.paths import path_latency
from ....ports.devices.server.wiring import made
from ....words import this_computer as words
from ....words import timing as said
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.label import Words
from ...theme.theme import Theme


class HowCard(Card):
    """Taken over or also directly; and that it is no part any more."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.edit, self._setup, self._program = edit, Setup(), ""
        title = Words(theme, "strong", wraps=False)
        title.setText(_("How it is heard"))
        self.how = Chips(theme, _("How it is heard"), list(zip(("over", "direct"), words.HOW, strict=True)), self._pick)
        self.text = Words(theme, "body", "mute")
        self.next = Words(theme, "body", "mute")
        self.release = Button(theme, _("No longer this part"), "outline")
        self.release.clicked.connect(self._release)
        for w in (title, self.how, self.text, self.next, self.release):
            self.column.addWidget(w)

    def show_program(self, setup: Setup, program: str) -> None:
        self._setup, self._program = setup, program
        part = part_of(setup, program)
        self.setVisible(part is not None)
        if part is None:
            return
        direct = heard_directly(setup, program)
        self.how.setVisible(part.kind != "far_end")
        self.how.show_on("direct" if direct else "over")
        self.text.say("" if part.kind == "far_end" else words.HOW_TEXT[direct])
        self.next.say(words.NEXT_TIME.format(program=program[:40]))

    def _pick(self, key: str) -> None:
        what = _("{program} also directly") if key == "direct" else _("{program} through Brucke")
        self.edit(what.format(program=self._program), directly(self._setup, self._program, key == "direct"))

    def _release(self) -> None:
        self.edit(_("{program} is no part").format(program=self._program), without_program(self._setup, self._program))


class InTimeCard(Card):
    """When what comes from here is with whom."""

    def __init__(self, theme: Theme):
        super().__init__(theme)
        title = Words(theme, "strong", wraps=False)
        title.setText(_("In time"))
        self.lines = Words(theme, "body")
        self.column.addWidget(title)
        self.column.addWidget(self.lines)

    def show_part(self, setup: Setup, timing: Timing, part: str) -> None:
        lines = []
        for x in setup.listeners:
            route = setup.route(part, x.id)
            if route is None or not route.on:
                continue
            found = timing.of(x.id).route(part)
            if found is None:
                continue
            if found.outside:
                lines.append(_("to {listener}: past Brucke, not known").format(listener=x.name))
                continue
            if found.unknown:
                lines.append(_("to {listener}: not known").format(listener=x.name))
                continue
            evidence = words.route_evidence_text(found)
            took = said.ms_text(path_latency(found.stages).value)
            lines.append(_("to {listener}: {ms}, {how}").format(listener=x.name, ms=took, how=evidence))
        self.setVisible(bool(lines))
        self.lines.say("\n".join(lines))


class ListenerCard(Card):
    """What whoever listens here chooses in their own program, and what is not known of it."""

    def __init__(self, theme: Theme):
        super().__init__(theme)
        self.what = Words(theme, "body")
        self.unknown = Words(theme, "body", "mute")
        self.copy = Button(theme, _("Copy the name"), "outline")
        self.copy.clicked.connect(lambda: copy_name(self._name))
        self._name = ""
        for w in (self.what, self.copy, self.unknown):
            self.column.addWidget(w)

    def show_listener(self, setup: Setup, listener: Listener, programs: tuple[str, ...]) -> None:
        self._name = microphone_name(setup, listener.id)
        self.setVisible(bool(self._name))
        self.what.say(words.choose_text(setup, listener.device, self._name) if self._name else "")
        self.unknown.say(words.NOT_KNOWN.format(program=programs[0]) if programs else "")


def microphone_name(setup: Setup, listener: str) -> str:
    """What others see of a listener of ours, “” where they see nothing."""
    return next((m.shown for m in made(setup) if not m.output and m.of == listener), "")


def copy_name(name: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(name)
