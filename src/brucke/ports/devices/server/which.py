"""Which of the desktop's two protocols is spoken here: the newer one where both are."""

from typing import Literal

from ..kind import DeviceError

Spoken = Literal["newer", "older", ""]
_found: Spoken = ""


def spoken(anew: bool = False) -> Spoken:
    """Looked for until one was found, and `anew` where asked for; “” where there is none."""
    global _found
    if anew or not _found:
        _found = _look()
    return _found


def _look() -> Spoken:
    try:
        reach()
        return "newer"
    except DeviceError:
        pass
    try:
        from ..older.connection import reach as reach_older

        reach_older()
        return "older"
    except DeviceError:
        return ""


def reach() -> None:
    """Errors: DeviceError where the newer protocol's server cannot be reached."""
    from .connection import Connection  # not before it is asked for: reading the definitions takes a moment

    Connection("brucke.check").close()
