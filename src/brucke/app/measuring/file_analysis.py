"""A recording looked at by a command of ours in a process of its own, which keeps beside its result what a window has
to show."""

import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...words.translation import _
from ..jobs.subprocess_job import SubprocessJob
from ..jobs.temporary_folders import temporary_folder


class Looking(QObject):
    """`state` is “failed” where it could not be looked at; what else there is is the subclass's, which reads what was
    kept."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.state = ""
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._kept = Path()
        self._run = SubprocessJob()
        self._run.ended.connect(self._ended)

    @property
    def result(self) -> dict[str, Any]:
        return self._run.result

    @property
    def busy(self) -> bool:
        return self._run.busy

    def look_with(self, command: Sequence[str], state: str) -> None:
        """Begin, and be in that `state`; whatever was looked at before is let go."""
        self._run.close()
        try:
            if self._folder is None:
                self._folder = temporary_folder("look")
        except OSError as e:
            self._run.said = _("there is no room to look at it ({what})").format(what=(e.strerror or str(e)).lower())
            self._set("failed")
            return
        self._kept = Path(self._folder.name) / "kept.npz"
        self._run.start([*command, "--keep", str(self._kept)])
        self._set(state)

    def stop(self) -> None:
        self._run.stop()

    def close(self) -> None:
        self._run.close()
        if self._folder is not None:
            self._folder.cleanup()

    def _ended(self, done: bool) -> None:
        if not done:
            self._set("failed")
            return
        try:
            state = self.read(self._kept)
        except (OSError, ValueError, KeyError) as e:
            self._run.said = _("what was kept of it cannot be shown ({why})").format(why=e)
            state = "failed"
        self._set(state)

    def read(self, kept: Path) -> str:
        """What was kept; the state after it. Errors: OSError, ValueError, KeyError."""
        raise AssertionError("a subclass reads")

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()
