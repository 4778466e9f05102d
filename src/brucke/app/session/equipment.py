"""What the desk asks of the equipment of a setup, whoever stands for it: it never knows the stand-ins themselves."""

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts


class Equipment(Protocol):
    def facts_of(self, setup: Setup) -> Facts:
        """What it reports of itself before anything runs; nothing of what it does not know."""

    def world_command(
        self,
        setup_file: Path,
        folders: Sequence[Path],
        exact: bool = False,
        real: Sequence[str] = (),
        roomy: bool = False,
    ) -> list[str]:
        """The module and arguments of a process that stands for every device of the setup but the `real` ones."""
