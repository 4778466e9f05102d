"""A take is measured in a process of its own, so that the window and the sound do not notice."""

import sys
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, QProcessEnvironment, pyqtSignal


class ProofRun(QObject):
    """`share` is how much is done, `said` the last that it said; `ended(measured)` once."""

    changed = pyqtSignal()
    ended = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.share, self.said = 0.0, ""
        self._process: QProcess | None = None

    def start(self, folder: Path, sounds: Sequence[Path]) -> None:
        self.share, self.said = 0.0, ""
        self._process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
            environment.insert(name, "1")
        self._process.setProcessEnvironment(environment)
        self._process.readyReadStandardError.connect(self._read)
        self._process.finished.connect(self._finished)
        self._process.errorOccurred.connect(self._failed)
        command = [sys.executable, "-m", "brucke", "prove", str(folder)]
        for one in sounds:
            command += ["--sounds", str(one)]
        self._process.start("nice", ["-n", "15", *command, "--json"])

    def stop(self) -> None:
        """The take is kept as it is."""
        if self._process is not None:
            self.said = "stopped"
            self._process.kill()

    def close(self) -> None:
        """Nobody waits for it any more."""
        if self._process is not None:
            self._process.finished.disconnect(self._finished)
            self._process.errorOccurred.disconnect(self._failed)
            self._process.kill()
            self._process.waitForFinished(2000)

    def _read(self) -> None:
        if self._process is None:
            return
        for line in bytes(self._process.readAllStandardError().data()).decode(errors="replace").splitlines():
            word, _, rest = line.partition(" ")
            if word == "progress":
                self.share = float(rest.split()[0])
            elif word == "brucke:":
                self.said = rest
        self.changed.emit()

    def _failed(self, error: QProcess.ProcessError) -> None:
        if error == QProcess.ProcessError.FailedToStart:
            self.said = "the measuring could not be started"
            self._finished(2, QProcess.ExitStatus.CrashExit)

    def _finished(self, code: int, status: QProcess.ExitStatus) -> None:
        self._read()
        self._process = None
        self.ended.emit(code in (0, 1) and status == QProcess.ExitStatus.NormalExit)
