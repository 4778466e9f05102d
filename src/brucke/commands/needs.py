"""What a command needs of this computer, said before anything else fails for want of it."""

import ctypes
import os

from .output import CannotDo

WITHOUT = ("offscreen", "minimal", "vnc", "linuxfb", "eglfs")


def need_screen() -> None:
    """Errors: CannotDo where there is no display, or none that answers."""
    if os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0] in WITHOUT or os.environ.get("WAYLAND_DISPLAY"):
        return
    instead = "./run makes a virtual one, and “live SETUP” sounds without any"
    name = os.environ.get("DISPLAY", "")
    if not name:
        raise CannotDo(f"the window needs a display, and there is none (DISPLAY, WAYLAND_DISPLAY); {instead}")
    if not _answers(name):
        raise CannotDo(f"the window needs a display, and {name} does not answer (DISPLAY); {instead}")


def _answers(display: str) -> bool:
    """Whether a screen can be reached there; where nobody can ask, the window finds out."""
    try:
        xcb = ctypes.CDLL("libxcb.so.1")
    except OSError:
        return True
    xcb.xcb_connect.restype = ctypes.c_void_p
    connection = ctypes.c_void_p(xcb.xcb_connect(display.encode(), None))
    failed = xcb.xcb_connection_has_error(connection)
    xcb.xcb_disconnect(connection)
    return not failed
