"""What two recordings tell of one another: voice against music, a path's sound before and after, two clocks. Chosen, measured in a process of its own, said in words."""

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QProgressBar, QVBoxLayout, QWidget

from ....desk.command_run import CommandRun
from ...kit.button import Button
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme

SOUNDS = "Sounds (*.wav *.flac *.ogg *.aiff *.w64 *.caf);;All files (*)"
MOST_LINES = 8


@dataclass(frozen=True)
class Asked:
    """`command` of the command line, the title, what it is for, and what its files are called; a `lone` file holds both."""

    command: str
    title: str
    about: str
    files: tuple[str, str]
    lone: str = ""


VOICE = Asked(
    "take-offset", "Voice against music of a recording",
    "Two recordings that begin together, or one with the voice left and the music right. Found phrase by phrase, so that what the singer does is told from what the path does.",
    ("The voice…", "The music…"), "One file, voice left, music right…",
)  # fmt: skip
PATH = Asked(
    "clean", "Is the path clean?",
    "What was sent through a path, and what came back. Only in a call made for testing, with nobody at the other side: brucke passage writes the sound to send, and Brucke never "
    "sends it by itself.",
    ("What was sent…", "What came back…"),
)  # fmt: skip
CLOCKS = Asked(
    "drift", "Two clocks against one another",
    "The same sound, recorded twice for ten minutes or longer: how one slides against the other, and where it jumps.",
    ("The one…", "The other…"),
)  # fmt: skip


class FilesDialog(QDialog):
    def __init__(self, theme: Theme, asked: Asked, parent: QWidget | None):
        super().__init__(parent)
        self.setWindowTitle(asked.title)
        self.resize(700, 420)
        self.asked = asked
        self.files: list[Path | None] = [None, None]
        self.run = CommandRun()
        self.headline = Words(theme, "strong")
        self.lines = [Words(theme, "body", "mute") for _i in range(MOST_LINES)]
        self.bar = QProgressBar()
        self.bar.setRange(0, 0)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Measuring")
        self.choose = [Button(theme, text, "outline") for text in asked.files]
        self.lone = Button(theme, asked.lone, "plain")
        self.measure, self.stop = Button(theme, "Measure", "primary"), Button(theme, "Cancel", "outline")
        self.away = Button(theme, "Close", "plain", "Esc")
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, *self.lines, self.bar):
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(row(*self.choose, self.lone))
        ends = row(self.measure, self.stop)
        ends.addStretch(1)
        ends.addWidget(self.away)
        column.addLayout(ends)
        for i, button in enumerate(self.choose):
            button.clicked.connect(lambda _on=False, i=i: self._choose(i))
        self.lone.clicked.connect(self._choose_lone)
        self.lone.setVisible(bool(asked.lone))
        self.measure.clicked.connect(self._measure)
        self.stop.clicked.connect(self.run.stop)
        self.away.clicked.connect(self.reject)
        self.run.ended.connect(lambda _done: self.refresh())
        self.finished.connect(lambda _code: self.run.close())
        self.refresh()

    def _ask(self, title: str) -> Path | None:
        last = next((f for f in self.files if f is not None), None)
        name, _kinds = QFileDialog.getOpenFileName(
            self, title.rstrip("…"), str(last.parent if last else Path.home()), SOUNDS
        )
        return Path(name) if name else None

    def _choose(self, i: int) -> None:
        file = self._ask(self.asked.files[i])
        if file is not None:
            self.take(i, file)

    def _choose_lone(self) -> None:
        file = self._ask(self.asked.lone)
        if file is not None:
            self.files = [file, None]
            self._measure()

    def take(self, i: int, file: Path) -> None:
        """The file of one of the two buttons; both there, and it is measured."""
        self.files[i] = file
        if all(self.files):
            self._measure()
        self.refresh()

    def _measure(self) -> None:
        files = [str(f) for f in self.files if f is not None]
        if files and not self.run.busy:
            self.run.start([self.asked.command, *files])
            self.refresh()

    def refresh(self) -> None:
        busy, result = self.run.busy, self.run.result
        names = [f.name if f is not None else text for f, text in zip(self.files, self.asked.files, strict=True)]
        for button, name in zip(self.choose, names, strict=True):
            button.setText(name)
            button.setEnabled(not busy)
        self.bar.setVisible(busy)
        self.stop.setVisible(busy)
        self.measure.setVisible(not busy and all(self.files))
        said = [self.run.said] if self.run.said and not busy else [line.strip() for line in result.get("says", [])]
        self.headline.say("Listening to both." if busy else said[0] if said else self.asked.about, self._tone())
        for words, text in zip(self.lines, [*said[1:], *[""] * MOST_LINES], strict=False):
            words.say("" if busy else text)

    def _tone(self) -> str:
        if self.run.said:
            return "coral"
        result = self.run.result
        good = result.get("match", result.get("verdict") == "clean")
        return "ink" if not result or self.run.busy or good else "amber"
