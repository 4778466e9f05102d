"""What two recordings tell of one another: voice against music, a path's sound before and after, two clocks. Chosen, measured in a process of its own, said in words."""

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QVBoxLayout, QWidget

from ....core.edits.found_edits import follower_at, note_offset
from ....desk.command_run import CommandRun
from ....desk.session import Session
from ....words.timing import listener_name, ms_text, part_name
from ...kit.button import Button
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...kit.row import ends, row
from ...theme.theme import Theme

SOUNDS = "Sounds (*.wav *.flac *.ogg *.aiff *.w64 *.caf);;All files (*)"
MOST_LINES = 8


@dataclass(frozen=True)
class Asked:
    """`command` of the command line, the title, what it is for, and what its files are called; a `lone` file holds both, and one that Brucke `writes` may be the first."""

    command: str
    title: str
    about: str
    files: tuple[str, str]
    lone: str = ""
    writes: str = ""  # the text of the button that writes the first of them


VOICE = Asked(
    "take-offset", "Voice against music of a recording",
    "Two recordings that begin together, or one with the voice left and the music right. Found phrase by phrase, so that what the singer does is told from what the path does.",
    ("The voice…", "The music…"), "One file, voice left, music right…",
)  # fmt: skip
PATH = Asked(
    "clean", "Is the path clean?",
    "What was sent through a path, and what came back. Only in a call made for testing, with nobody at the other side: write the sound to send, play it into the call, and record what comes "
    "back. Brucke never sends it by itself.",
    ("What was sent…", "What came back…"), writes="Write the sound to send…",
)  # fmt: skip
CLOCKS = Asked(
    "drift", "Two clocks against one another",
    "The same sound, recorded twice for ten minutes or longer: how one slides against the other, and where it jumps.",
    ("The one…", "The other…"),
)  # fmt: skip


class FilesDialog(QDialog):
    """Of the `listener` that is looked at, what was found can be noted."""

    def __init__(self, theme: Theme, asked: Asked, session: Session, listener: str, parent: QWidget | None):
        super().__init__(parent)
        self.setWindowTitle(asked.title)
        self.resize(700, 300)
        self.asked, self.session, self.listener = asked, session, listener
        self.files: list[Path | None] = [None, None]
        self.run = CommandRun()
        self.headline = Words(theme, "strong")
        self.lines = [Words(theme, "body", "mute") for _i in range(MOST_LINES)]
        self.bar = progress_bar("Measuring")
        self.choose = [Button(theme, text, "outline") for text in asked.files]
        self.lone = Button(theme, asked.lone or asked.writes, "plain")
        self.note = Button(theme, "Note it", "primary")
        self.measure, self.stop = Button(theme, "Measure", "primary"), Button(theme, "Cancel", "outline")
        self.away = Button(theme, "Close", "plain", "Esc")
        column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, *self.lines, self.bar):
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(row(*self.choose, self.lone))
        column.addLayout(ends(self.note, self.measure, self.stop, right=self.away))
        for i, button in enumerate(self.choose):
            button.clicked.connect(lambda _on=False, i=i: self._choose(i))
        self.lone.clicked.connect(self._choose_lone if asked.lone else self._write)
        self.lone.setVisible(bool(asked.lone or asked.writes))
        self.note.clicked.connect(self._note)
        self.measure.clicked.connect(self._measure)
        self.stop.clicked.connect(self.run.stop)
        self.away.clicked.connect(self.reject)
        self.run.ended.connect(self._ended)
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

    def _write(self) -> None:
        """The sound to send, which is then what was sent."""
        name, _kinds = QFileDialog.getSaveFileName(
            self, self.asked.writes.rstrip("…"), str(Path.home() / "passage.wav"), "Sounds (*.wav)"
        )
        if name and not self.run.busy:
            self.run.start(["passage", name])
            self.refresh()

    def _ended(self, done: bool) -> None:
        if done and "file" in self.run.result:  # what was written is what will have been sent
            self.files[0] = Path(self.run.result["file"])
        self.refresh()

    @property
    def pair(self) -> tuple[str, str] | None:
        return follower_at(self.session.setup, self.listener)

    def _note(self) -> None:
        """What is more, or less, than was thought of them until now is entered as a step."""
        result, pair, setup = self.run.result, self.pair, self.session.setup
        if pair is None or not result.get("match"):
            return
        offset, doubt = result["offset_ms"], result["plus_minus_ms"]
        after = note_offset(setup, self.session.timing.of(self.listener), *pair, offset, doubt)
        if after is None:
            self.session.noticed.emit("Nobody knows when these two arrive there, so nothing can be noted.", "amber")
            return
        way, where = "late" if offset > 0 else "early", listener_name(setup, self.listener)
        label = f"{part_name(setup, pair[0])} {ms_text(abs(offset) / 1e3)} {way} at {where}"
        self.session.edit(label, after, "align", f"{self.listener}/{pair[0]}")
        self.accept()

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
        found = self.asked is VOICE and bool(result.get("match")) and not busy
        self.note.setVisible(found and self.pair is not None)
        if found and self.pair is not None:
            setup = self.session.setup
            self.note.setText(f"Note it for {part_name(setup, self.pair[0])} at {listener_name(setup, self.listener)}")
        said = [self.run.said] if self.run.said and not busy else [line.strip() for line in result.get("says", [])]
        if "file" in result:  # the sound to send was written
            said = [f"Written: {names[0]}. Play it into the test call, record what comes back, and choose that."]
        self.headline.say("Listening to both." if busy else said[0] if said else self.asked.about, self._tone())
        for words, text in zip(self.lines, [*said[1:], *[""] * MOST_LINES], strict=False):
            words.say("" if busy else text)

    def _tone(self) -> str:
        if self.run.said:
            return "coral"
        result = self.run.result
        good = result.get("match", result.get("verdict") == "clean")
        return "ink" if not result or self.run.busy or good else "amber"
