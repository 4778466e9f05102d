"""Who looks after our microphones at the sound server: a Brucke while one runs, else the keeper.

A file in the runtime folder is locked shared by every Brucke that is connected, and for itself by the keeper while it
takes anything away. The kernel lets go of either with the process.
"""

import contextlib
import fcntl
import os
from pathlib import Path

NAME = "brucke-microphones.lock"


def _file() -> Path:
    folder = os.environ.get("XDG_RUNTIME_DIR") or f"/run/user/{os.getuid()}"
    return Path(folder) / NAME


class MicrophoneLock:
    """`alone` for the keeper."""

    def __init__(self, alone: bool = False):
        self._how = fcntl.LOCK_EX if alone else fcntl.LOCK_SH
        self._handle = -1

    def take(self) -> bool:
        """Whether it is ours now; nobody waits. True where there is no such folder: then nobody else can know of it
        either."""
        if self._handle >= 0:
            return True
        try:
            handle = os.open(_file(), os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        except OSError:
            return True
        try:
            fcntl.flock(handle, self._how | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            return False
        self._handle = handle
        return True

    def leave(self) -> None:
        handle, self._handle = self._handle, -1
        if handle >= 0:
            with contextlib.suppress(OSError):
                os.close(handle)
