"""The process that looks after our microphones once this one has ended, see `ports/devices/server/keeper.py`."""

import contextlib
import os
import subprocess
import sys

from ..jobs.background import in_background


class Keeper:
    """Started at once, in a session of its own; begins its work when this process ends or `leave` is called. Nobody
    waits for it."""

    def __init__(self) -> None:
        read, self._write = os.pipe()

        def start() -> None:
            try:
                subprocess.Popen(
                    [sys.executable, "-m", "brucke.ports.devices.server.keeper"],
                    stdin=read, stdout=subprocess.DEVNULL, start_new_session=True,
                )  # fmt: skip
            finally:
                os.close(read)

        self._started = in_background("keeper", start)

    def leave(self) -> None:
        with contextlib.suppress(OSError):
            os.close(self._write)
