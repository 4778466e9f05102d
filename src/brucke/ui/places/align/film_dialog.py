"""Sound against picture of a recording: its pictures over its sound, moved by hand, carried into the setup."""

from itertools import zip_longest
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ....desk.film_check import FilmCheck
from ....words.timing import listener_name
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.dialog import BesideWindow
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...kit.row import ends, row
from ...theme.theme import Theme
from .film_frames import FilmFrames

KINDS = "Films (*.mkv *.mp4 *.webm *.mov *.avi);;All files (*)"
EMPTY = (
    "Choose a recording with sound and picture: of a stream, or of a telephone before your screen. Clap a few times where both can be seen and heard, or play the film "
    "that brucke slate writes."
)  # fmt: skip


class FilmDialog(BesideWindow):
    def __init__(self, theme: Theme, check: FilmCheck, listener: str, parent: QWidget | None):
        super().__init__("Sound against picture of a recording", 980, 640, parent)
        self.check, self.listener = check, listener
        self.headline, self.more = Words(theme, "strong"), [Words(theme, "body", "mute") for _i in range(4)]
        self.frames = FilmFrames(theme)
        self.bar = progress_bar("Looking at the film")
        self.open, self.stop = Button(theme, "Another recording…"), Button(theme, "Cancel", "outline")
        self.before, self.after = Button(theme, "Event before", "plain"), Button(theme, "Event after", "plain")
        self.moves = [
            Button(theme, text, "outline")
            for text in ("Picture earlier", "1 ms earlier", "1 ms later", "Picture later")
        ]
        self.back, self.hear = Button(theme, "As found", "plain"), Button(theme, "Hear it", "outline")
        self.where = Chips(theme, "Carry it to", [], self._choose)
        self.carry = Button(theme, "Carry it into the setup", "primary")
        self.away = Button(theme, "Close", "plain", "Esc")
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
        column.addLayout(ends(self.carry, self.open, self.stop, right=self.away))
        self.open.clicked.connect(self.choose_file)
        self.stop.clicked.connect(self.check.stop)
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
        self.carry.clicked.connect(lambda: self.check.carry(self.listener))
        self.away.clicked.connect(self.reject)

    def choose_file(self) -> None:
        start = str(self.check.file.parent if self.check.file.name else Path.home())
        name, _kinds = QFileDialog.getOpenFileName(self, "A recording with sound and picture", start, KINDS)
        if name:
            self.check.look(Path(name))

    def _choose(self, listener: str) -> None:
        self.listener = listener
        self.refresh()

    def refresh(self) -> None:
        check, state = self.check, self.check.state
        looking, shown = state == "looking", state in ("found", "nothing")
        lines = [f"Looking at {check.file.name}."] if looking else check.said or [EMPTY]
        self.headline.say(lines[0].strip(), {"failed": "coral", "nothing": "amber"}.get(state, "ink"))
        for words, text in zip_longest(self.more, lines[1:5], fillvalue=""):
            words.say(text.strip())
        self.bar.setVisible(looking)
        self.stop.setVisible(looking)
        self.open.setText("Another recording…" if state else "Choose a recording…")
        self.frames.setVisible(shown)
        self.frames.show_shots(check.shots, check.event, check.later_s)
        several = shown and check.shots is not None and len(check.shots.events_s) > 1
        there = shown and check.shots is not None and len(check.shots.events_s) > 0
        self.before.setVisible(several)
        self.after.setVisible(several)
        for w in (*self.moves, self.hear):
            w.setVisible(there)
        self.back.setVisible(there and check.by_eye and state == "found")
        self._offer(there)

    def _offer(self, there: bool) -> None:
        setup = self.check.session.setup
        ends = list(dict.fromkeys(x for _p, x in self.check.pictures()))
        if self.listener not in ends and ends:
            self.listener = ends[0]
        self.where.offer([(x, listener_name(setup, x)) for x in ends])
        self.where.show_on(self.listener)
        self.where.setVisible(there and len(ends) > 1)
        self.carry.setVisible(there and bool(ends))
        self.carry.setText(f"Carry it to {listener_name(setup, self.listener)}" if ends else "Carry it")
        self.nowhere.say(
            ""
            if ends or not there
            else "This setup routes no picture with the sound it shows, so there is nobody to carry it to. Share does."
        )
