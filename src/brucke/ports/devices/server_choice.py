"""Which of the desktop's two protocols is spoken here: the newer one where both are."""

import time
from typing import Literal

from .kind import DeviceError

Spoken = Literal["newer", "older", ""]
AGAIN_S = 2.0
_found: Spoken = ""
_looked = -AGAIN_S


def spoken(anew: bool = False) -> Spoken:
    """Looked for until one was found, not all the time, and `anew` where asked for; “” where there is none. What was
    found once stays: a server of the newer protocol that is gone for a moment does not make the other one the right
    one."""
    global _found, _looked
    if anew or (not _found and time.monotonic() - _looked > AGAIN_S):
        _found, _looked = _look(), time.monotonic()
    return _found


def _look() -> Spoken:
    try:
        reach()
        return "newer"
    except DeviceError:
        pass
    try:
        from .older.connection import reach as reach_older

        reach_older()
        return "older"
    except DeviceError:
        return ""


def reach() -> None:
    """Errors: DeviceError where the newer protocol's server cannot be reached."""
    from .server.connection import Connection  # not before it is asked for: reading the definitions takes a moment

    Connection("brucke.check").close()
