"""Files that come to a take, and files that go out of it: each by a command of ours in a process of its own."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from ...takes.contents import Asked
from ...words.translation import _
from ..jobs.subprocess_job import SubprocessJob
from ..studio import Studio


class TakeFiles(QObject):
    """`doing`: “”, “placing” a film or “handing” something on; `lines` what came of the `last`, `files` what it
    wrote."""

    changed = pyqtSignal()

    def __init__(self, studio: Studio):
        super().__init__()
        self.taking, self.session = studio.taking, studio.session
        self.doing, self.lines, self.files = "", [], []  # type: str, list[str], list[Path]
        self.went_well = False
        self.last: str = ""
        self._folder, self._then = Path(), (lambda: None)  # type: Path, Callable[[], None]
        self.job = SubprocessJob()
        self.job.changed.connect(self.changed)
        self.job.ended.connect(self._ended)

    @property
    def placing(self) -> bool:
        return self.doing == "placing"

    def bring_film(self, folder: Path, film: Path) -> None:
        """The film is looked for in the take, and is the take's from then on where its place is found."""
        self._begin("placing", folder, ["place", str(folder), str(film), "--keep"], self._placed)

    def hand_on(self, folder: Path, home: Path, asked: Asked) -> None:
        """New files in `home`."""
        command = ["hand-on", str(folder), "--out", str(home), "--as", asked.use, "--mix", asked.mix]
        if asked.loudness_lufs is not None:
            command += ["--loudness", f"{asked.loudness_lufs:g}"]
        if not asked.far_ends:
            command.append("--without-far-ends")
        self._begin("handing", folder, command, self._handed)

    def stop(self) -> None:
        """Nothing is changed, nothing half written stays."""
        self.job.end()

    def close(self) -> None:
        self.job.close()

    def _begin(self, doing: str, folder: Path, command: list[str], then: Callable[[], None]) -> None:
        if self.doing:
            return
        self.doing, self._folder, self._then = doing, folder, then
        self.lines, self.files, self.went_well = [], [], False
        self.job.start(command)
        self.changed.emit()

    def _ended(self, done: bool) -> None:
        self.last, self.doing = self.doing, ""
        if done:
            self._then()
        else:
            stopped = self.job.said.endswith("stopped, nothing was written") or self.job.said == "stopped"
            self.lines = [_("Stopped. Nothing has changed.") if stopped else f"{self.job.said.rstrip('.')}."]
        self.changed.emit()

    def _placed(self) -> None:
        result = self.job.result
        self.lines, self.went_well = list(result["says"]), bool(result["match"])
        if self.went_well:
            self.taking.take_back(self._folder)

    def _handed(self) -> None:
        self.files = [Path(f["path"]) for f in self.job.result["files"]]
        self.lines, self.went_well = list(self.job.result["says"]), bool(self.files)
