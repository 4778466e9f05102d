"""Ending a running engine: its watcher, its processes, then the folder of what it was given."""

import tempfile

from ...engine.processes.link import EngineLink
from ...engine.processes.supervisor import Supervisor


def end_engine(
    link: EngineLink, folder: "tempfile.TemporaryDirectory[str] | None", supervisor: Supervisor | None
) -> None:
    """Takes up to three seconds: whoever calls it does so aside."""
    if supervisor is not None:
        supervisor.stop()
    link.close()
    if folder is not None:
        folder.cleanup()
