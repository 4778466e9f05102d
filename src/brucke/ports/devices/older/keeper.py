"""Outlives whoever made modules at the server: when that process has ended, however it ended, none of them is left, and
what played into one goes back to the desktop. A microphone that a program has chosen stays, silent, until that program
lets it go or a Brucke is back.

python -m brucke.ports.devices.older.keeper PID — its standard input ends with the process that started it.
"""

import contextlib
import sys
import time

from ..kind import DeviceError
from ..server.microphone_lock import MicrophoneLock
from .modules import connected, unload_of

LOOK_S = 0.3


def main() -> None:
    with contextlib.suppress(KeyboardInterrupt):
        sys.stdin.buffer.read()
    charge = MicrophoneLock(alone=True)
    with contextlib.suppress(DeviceError), connected("brucke.keeper") as pulse:
        unload_of(pulse, {int(sys.argv[1])})
        while charge.take() and unload_of(pulse):
            charge.leave()
            time.sleep(LOOK_S)


if __name__ == "__main__":
    main()
