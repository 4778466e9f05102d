"""A take is measured in a process of its own, so that the window and the sound do not notice."""

from collections.abc import Sequence
from pathlib import Path

from ..jobs.subprocess_job import SubprocessJob


class ProofRun(SubprocessJob):
    """The take is kept as it is where it is stopped."""

    def prove(self, folder: Path, sounds: Sequence[Path]) -> None:
        command = ["prove", str(folder)]
        for one in sounds:
            command += ["--sounds", str(one)]
        self.start(command)
