"""Sound against picture of a recording: its pictures over its sound, moved by hand, carried into the setup."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ...app.measuring.film_check import FilmCheck
from ...words.timing import listener_name
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.chips import Chips
from ..kit.dialog import BesideWindow
from ..kit.label import Words
from ..kit.progress import progress_bar
from ..kit.row import ends, row
from ..theme.theme import Theme
from .film_frames import FilmFrames
from .tool import Tool, ToolHost

KINDS = _("Films (*.mkv *.mp4 *.webm *.mov *.avi);;All files (*)")
EMPTY = (
    _("Choose a recording with sound and picture: of a stream, or of a telephone before your screen. Clap a few times "
      "where both can be seen and heard, or play a test film.")
)  # fmt: skip


class FilmDialog(BesideWindow):
    """`tests`: asked for a test film, `flashes` for a square that flashes here, `enters` for what to enter there."""

    tests, flashes, enters = pyqtSignal(), pyqtSignal(), pyqtSignal()

    def __init__(self, theme: Theme, check: FilmCheck, listener: str, parent: QWidget | None):
        super().__init__(_("Do picture and sound meet?"), 980, 640, parent)
        self.check, self.listener, self.carried = check, listener, False
        self.headline, self.more = Words(theme, "strong"), [Words(theme, "body", "mute") for _i in range(4)]
        self.frames = FilmFrames(theme)
        self.bar = progress_bar(_("Looking at the film"))
        self.another, self.stop = Button(theme, _("Another recording…")), Button(theme, _("Cancel"), "outline")
        self.before, self.after = Button(theme, _("Event before"), "plain"), Button(theme, _("Event after"), "plain")
        self.moves = [
            Button(theme, text, "outline")
            for text in (_("Picture earlier"), _("1 ms earlier"), _("1 ms later"), _("Picture later"))
        ]
        self.back, self.hear = Button(theme, _("As found"), "plain"), Button(theme, _("Hear it"), "outline")
        self.where = Chips(theme, _("Carry it to"), [], self._choose)
        self.carry = Button(theme, _("Carry it into the setup"), "primary")
        self.write, self.flash = Button(theme, _("Write a test film…")), Button(theme, _("Flash for a camera here…"))
        self.enter = Button(theme, _("What to enter there…"))
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self.nowhere = Words(theme, "small", "amber")
        self._build()
        self.follow(check.changed, self.refresh)
        self.refresh()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, *self.more, self.bar, self.frames):
            column.addWidget(w, 1 if w is self.frames else 0)
        events = row(self.before, self.after)
        events.addStretch(1)
        for w in (*self.moves, self.back, self.hear):
            events.addWidget(w)
        column.addLayout(events)
        column.addWidget(self.where)
        column.addWidget(self.nowhere)
        column.addLayout(ends(self.carry, self.enter, self.another, self.write, self.flash, self.stop, right=self.away))
        self.another.clicked.connect(self.choose_file)
        self.stop.clicked.connect(self.check.stop)
        for button, signal in ((self.write, self.tests), (self.flash, self.flashes), (self.enter, self.enters)):
            button.clicked.connect(signal)
        self.before.clicked.connect(lambda: self.check.choose_event(-1))
        self.after.clicked.connect(lambda: self.check.choose_event(1))
        steps = (
            lambda: self.check.nudge_pictures(-1),
            lambda: self.check.nudge(-1e-3),
            lambda: self.check.nudge(1e-3),
            lambda: self.check.nudge_pictures(1),
        )
        for button, step in zip(self.moves, steps, strict=True):
            button.clicked.connect(step)
        self.back.clicked.connect(self.check.back_to_found)
        self.hear.clicked.connect(self.check.hear)
        self.carry.clicked.connect(self._carry)
        self.away.clicked.connect(self.reject)

    def choose_file(self) -> None:
        start = str(self.check.file.parent if self.check.file.name else Path.home())
        name, _kinds = QFileDialog.getOpenFileName(self, _("A recording with sound and picture"), start, KINDS)
        if name:
            self.carried = False  # this was of another recording
            self.check.look(Path(name))

    def _carry(self) -> None:
        """What it means for the program there stands one press away."""
        self.carried = self.check.carry(self.listener)
        self.refresh()

    def _choose(self, listener: str) -> None:
        self.listener = listener
        self.refresh()

    def refresh(self) -> None:
        check, state = self.check, self.check.state
        looking, shown = state == "looking", state in ("found", "nothing")
        lines = [_("Looking at {name}.").format(name=check.file.name)] if looking else check.said or [EMPTY]
        self.headline.say(lines[0].strip(), {"failed": "coral", "nothing": "amber"}.get(state, "ink"))
        for words, text in zip(self.more, [*lines[1:5], *[""] * 4], strict=False):
            words.say(text.strip())
        self.bar.setVisible(looking)
        self.stop.setVisible(looking)
        self.another.setText(_("Another recording…") if state else _("Choose a recording…"))
        self.frames.setVisible(shown)
        self.frames.show_shots(check.shots, check.index, check.later_s)
        several = shown and check.shots is not None and len(check.shots.events_s) > 1
        there = shown and check.shots is not None and len(check.shots.events_s) > 0
        self.before.setVisible(several)
        self.after.setVisible(several)
        for w in (*self.moves, self.hear):
            w.setVisible(there)
        self.back.setVisible(there and check.by_eye and state == "found")
        for w in (self.write, self.flash):
            w.setVisible(not shown and not looking)
        self._offer(there)

    def _offer(self, there: bool) -> None:
        setup = self.check.session.setup
        ends = list(dict.fromkeys(x for _p, x in self.check.pictures()))
        if self.listener not in ends and ends:
            self.listener = ends[0]
        self.enter.setVisible(there and self.carried)
        self.enter.set_kind("primary" if self.carried else "outline")
        self.carry.set_kind("outline" if self.carried else "primary")
        self.where.offer([(x, listener_name(setup, x)) for x in ends])
        self.where.show_on(self.listener)
        self.where.setVisible(there and len(ends) > 1)
        self.carry.setVisible(there and bool(ends) and self.check.tells)
        self.carry.setText(
            _("Carry it to {listener}").format(listener=listener_name(setup, self.listener)) if ends else _("Carry it")
        )
        self.nowhere.say(
            ""
            if ends or not there
            else _(
                "This setup routes no picture with the sound it shows, so there is nobody to carry it to. Share does."
            )
        )


def open_film(host: ToolHost, anew: bool = False) -> None:
    """What was found last stays shown, unless a film is chosen `anew`."""
    film = host.studio.service(FilmCheck)
    dialog = FilmDialog(host.theme, film, host.listener, host.parent)
    dialog.tests.connect(lambda: host.open("slate"))
    dialog.flashes.connect(lambda: host.open("camera"))
    dialog.enters.connect(lambda: host.open("hand_off"))
    host.show(dialog)
    if anew or not film.state:
        dialog.choose_file()


FILM = Tool(Action("film", _("Sound against picture of a recording…")), "picture", _("Look at a recording…"), open_film)
