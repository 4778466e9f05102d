"""A take is measured in a process of its own, so that the window and the sound do not notice."""

from collections.abc import Sequence
from pathlib import Path

from .command_run import CommandRun


class ProofRun(CommandRun):
    """The take is kept as it is where it is stopped."""

    def prove(self, folder: Path, sounds: Sequence[Path]) -> None:
        command = ["prove", str(folder)]
        for one in sounds:
            command += ["--sounds", str(one)]
        self.start(command)
