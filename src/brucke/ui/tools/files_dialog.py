"""What two recordings tell of one another: a path's sound before and after, two clocks. Chosen, measured in a process
of its own, said in words."""

from pathlib import Path

import msgspec
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ...app.jobs.subprocess_job import SubprocessJob
from ...words.translation import _
from ..kit.button import Button
from ..kit.dialog import BesideWindow
from ..kit.label import Words
from ..kit.progress import progress_bar
from ..kit.row import ends, row
from ..theme.theme import Theme

SOUNDS = _("Sounds (*.wav *.flac *.ogg *.aiff *.w64 *.caf);;All files (*)")
MOST_LINES = 8


class Asked(msgspec.Struct, frozen=True):
    """`command` of the command line, the title, what it is for, and what its files are called; one that Brucke `writes`
    may be the first."""

    command: str
    title: str
    about: str
    files: tuple[str, str]
    writes: str = ""  # the text of the button that writes the first of them


class FilesDialog(BesideWindow):
    def __init__(self, theme: Theme, asked: Asked, parent: QWidget | None):
        super().__init__(asked.title, 700, 300, parent)
        self.asked = asked
        self.files: list[Path | None] = [None, None]
        self.run = SubprocessJob()
        self.headline = Words(theme, "strong")
        self.lines = [Words(theme, "body", "mute") for _i in range(MOST_LINES)]
        self.bar = progress_bar(_("Measuring"))
        self.choose = [Button(theme, text, "outline") for text in asked.files]
        self.write = Button(theme, asked.writes, "plain")
        self.measure, self.stop = Button(theme, _("Measure"), "primary"), Button(theme, _("Cancel"), "outline")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self.column = column = QVBoxLayout(self)
        column.setSpacing(8)
        for w in (self.headline, *self.lines, self.bar):
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(row(*self.choose, self.write))
        column.addLayout(ends(self.measure, self.stop, right=self.away))
        for i, button in enumerate(self.choose):
            button.clicked.connect(lambda _on=False, i=i: self._choose(i))
        self.write.clicked.connect(self._write)
        self.write.setVisible(bool(asked.writes))
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
        if "file" in result:  # the sound to send was written
            said = [
                _("Written: {names}. Play it into the test call, record what comes back, and choose that.").format(
                    names=names[0]
                )
            ]
        self.headline.say(_("Listening to both.") if busy else said[0] if said else self.asked.about, self._tone())
        for words, text in zip(self.lines, [*said[1:], *[""] * MOST_LINES], strict=False):
            words.say("" if busy else text)

    def _tone(self) -> str:
        if self.run.said:
            return "coral"
        result = self.run.result
        good = result.get("match", result.get("verdict") == "clean")
        return "ink" if not result or self.run.busy or good else "amber"
