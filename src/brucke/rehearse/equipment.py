"""What the equipment of a setup says of itself, and the command that brings it up. Here: the stand-ins."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from ..core.document.setup import Setup
from ..core.knowledge.evidence import Facts
from ..standins.options import Options
from ..standins.truth import invent, reports

WORLD_MODULE = "brucke.standins.live"
SEED = 1


def facts_of(setup: Setup) -> Facts:
    return Facts(reported_s=reports(setup, invent(setup, SEED, True)))


def world_command(
    setup_file: Path, folders: Sequence[Path], exact: bool = False, real: Sequence[str] = (), roomy: bool = False
) -> list[str]:
    options = Options(str(setup_file), tuple(str(f) for f in folders), SEED, exact, tuple(real), roomy)
    return [WORLD_MODULE, msgspec.json.encode(options).decode()]
