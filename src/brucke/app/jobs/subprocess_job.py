"""A command of ours in a process of its own: neither the window nor the sound notices, a bad file cannot harm them, and
it can be stopped."""

import sys
from collections.abc import Sequence
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, QProcess, QProcessEnvironment, pyqtSignal

from ...words.detail import PLAIN, in_numbers
from ...words.translation import _


class SubprocessJob(QObject):
    """`share` is how much is done and `seen` whether it told that yet, `said` the last that it said of why not;
    `ended(done)` once, and `result` is then what it printed as JSON."""

    changed = pyqtSignal()
    ended = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.share, self.said, self.seen = 0.0, "", False
        self.result: dict[str, Any] = {}
        self._process: QProcess | None = None

    @property
    def busy(self) -> bool:
        return self._process is not None

    def start(self, command: Sequence[str]) -> None:
        self.share, self.said, self.seen, self.result = 0.0, "", False, {}
        self._process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
            environment.insert(name, "1")
        if not in_numbers():
            environment.insert(PLAIN, "1")
        self._process.setProcessEnvironment(environment)
        self._process.readyReadStandardError.connect(self._read)
        self._process.finished.connect(self._finished)
        self._process.errorOccurred.connect(self._failed)
        self._process.start("nice", ["-n", "15", sys.executable, "-m", "brucke", *command, "--json"])

    def stop(self) -> None:
        """Nothing is changed by it."""
        if self._process is not None:
            self.said = "stopped"
            self._process.kill()

    def end(self) -> None:
        """It takes back what it has begun, and ends by itself."""
        if self._process is not None:
            self.said = "stopped"
            self._process.terminate()

    def close(self) -> None:
        """Nobody waits for it any more."""
        if self._process is not None:
            self._process.finished.disconnect(self._finished)
            self._process.errorOccurred.disconnect(self._failed)
            self._process.terminate()  # what writes files takes back what it has begun
            if not self._process.waitForFinished(2000):
                self._process.kill()
                self._process.waitForFinished(2000)
            self._process = None

    def _read(self) -> None:
        if self._process is None:
            return
        for line in bytes(self._process.readAllStandardError().data()).decode(errors="replace").splitlines():
            word, _other, rest = line.partition(" ")
            if word == "progress":
                self.share, self.seen = float(rest.split()[0]), True
            elif word == "brucke:":
                self.said = rest
        self.changed.emit()

    def _failed(self, error: QProcess.ProcessError) -> None:
        if error == QProcess.ProcessError.FailedToStart:
            self.said = _("the measuring could not be started")
            self._finished(2, QProcess.ExitStatus.CrashExit)

    def _finished(self, code: int, status: QProcess.ExitStatus) -> None:
        self._read()
        process, self._process = self._process, None
        done = code in (0, 1) and status == QProcess.ExitStatus.NormalExit
        if process is not None and done:
            try:
                self.result = msgspec.json.decode(process.readAllStandardOutput().data())
            except msgspec.DecodeError:
                done = False
        if not done and not self.said:
            self.said = _("the measuring ended unexpectedly")
        self.ended.emit(done)
