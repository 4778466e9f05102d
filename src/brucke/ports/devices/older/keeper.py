"""Outlives whoever made modules at the server: when that process has ended, however it ended, none of them is left, and what
played into one goes back to the desktop.

python -m brucke.ports.devices.older.keeper PID — its standard input ends with the process that started it.
"""

import contextlib
import sys

from ..kind import DeviceError
from .modules import connected, unload_of


def main() -> None:
    with contextlib.suppress(KeyboardInterrupt):
        sys.stdin.buffer.read()
    with contextlib.suppress(DeviceError), connected("brucke.keeper") as pulse:
        unload_of(pulse, {int(sys.argv[1])})


if __name__ == "__main__":
    main()
