"""The network's streaming library of the distribution, GStreamer, through cffi by its binary interface. Nothing of it
is loaded before it is needed.

Layouts are those of x86-64 and of version 1.22 and later of the same series.
"""

from functools import cache
from typing import Any

import cffi
import numpy as np
import numpy.typing as npt

from ...core.errors import BruckeError

FILES = ("libgstreamer-1.0.so.0", "libgstapp-1.0.so.0", "libgobject-2.0.so.0")
# Each element that is needed, and the package of the distribution that has it.
ELEMENTS = {
    "appsrc": "gstreamer1.0-plugins-base", "audioconvert": "gstreamer1.0-plugins-base",
    "udpsrc": "gstreamer1.0-plugins-good", "udpsink": "gstreamer1.0-plugins-good",
    "rtpL24pay": "gstreamer1.0-plugins-good", "rtpL16pay": "gstreamer1.0-plugins-good",
    "srtpenc": "gstreamer1.0-plugins-bad", "srtpdec": "gstreamer1.0-plugins-bad",
}  # fmt: skip
DEFINITIONS = """
typedef struct { unsigned long type; int refcount; int lockstate; unsigned int flags; void *copy; void *dispose;
                 void *free; unsigned int priv_uint; void *priv_pointer; } GstMiniObject;
typedef struct { GstMiniObject mini_object; void *pool; uint64_t pts; uint64_t dts; uint64_t duration;
                 uint64_t offset; uint64_t offset_end; } GstBuffer;
typedef struct { unsigned int domain; int code; char *message; } GError;
int gst_init_check(int *argc, char ***argv, GError **error);
void gst_version(unsigned int *major, unsigned int *minor, unsigned int *micro, unsigned int *nano);
void *gst_element_factory_find(const char *name);
void *gst_parse_launch(const char *description, GError **error);
int gst_element_set_state(void *element, int state);
int gst_element_get_state(void *element, int *state, int *pending, uint64_t timeout);
void *gst_bin_get_by_name(void *bin, const char *name);
void *gst_element_get_bus(void *element);
void *gst_bus_pop_filtered(void *bus, int types);
void gst_message_parse_error(void *message, GError **error, char **debug);
void gst_object_unref(void *object);
void gst_mini_object_unref(void *object);
GstBuffer *gst_buffer_new_memdup(const void *data, size_t size);
int gst_app_src_push_buffer(void *appsrc, GstBuffer *buffer);
void g_object_get(void *object, const char *name, ...);
void g_error_free(GError *error);
void g_free(void *memory);
"""
NULL_STATE, PLAYING = 1, 4
ERROR_MESSAGE = 2


class GStreamerError(BruckeError, OSError):
    """Why nothing goes through it, in one sentence."""

    code = "gstreamer"


class _Library:
    """All functions of `DEFINITIONS`, from whichever of the files has each."""

    def __init__(self) -> None:
        self.ffi = ffi = cffi.FFI()
        ffi.cdef(DEFINITIONS)
        try:
            self._files = [ffi.dlopen(name) for name in FILES]
        except OSError as e:
            raise GStreamerError("there is no GStreamer on this computer: install libgstreamer1.0-0") from e
        error: Any = ffi.new("GError **")
        if not self.gst_init_check(ffi.NULL, ffi.NULL, error):
            raise GStreamerError("GStreamer did not start")

    def __getattr__(self, name: str) -> Any:
        for file in self._files:
            try:
                found = getattr(file, name)
            except AttributeError:
                continue
            setattr(self, name, found)
            return found
        raise AttributeError(name)


@cache
def library() -> _Library:
    """Errors: GStreamerError where it is not there."""
    return _Library()


def missing_packages() -> tuple[str, ...]:
    """The distribution's packages without which there is no sound between computers; none where all is there."""
    try:
        lib = library()
    except GStreamerError:
        return ("libgstreamer1.0-0", *dict.fromkeys(ELEMENTS.values()))
    found: dict[str, None] = {}
    for element, package in ELEMENTS.items():
        factory = lib.gst_element_factory_find(element.encode())
        if factory == lib.ffi.NULL:
            found[package] = None
        else:
            lib.gst_object_unref(factory)
    return tuple(found)


class Chain:
    """One running chain of elements, made from its description; `ends` are the names of those that are spoken to."""

    def __init__(self, description: str, ends: tuple[str, ...]):
        self._lib = lib = library()
        error: Any = lib.ffi.new("GError **")
        self._chain = lib.gst_parse_launch(description.encode(), error)
        if error[0] != lib.ffi.NULL:
            why = _text(lib, error[0].message)
            lib.g_error_free(error[0])
            if self._chain != lib.ffi.NULL:
                lib.gst_object_unref(self._chain)
            raise GStreamerError(f"GStreamer does not make its chain: {why}")
        self._ends = {name: lib.gst_bin_get_by_name(self._chain, name.encode()) for name in ends}
        self._bus = lib.gst_element_get_bus(self._chain)

    def start(self) -> None:
        """Errors: GStreamerError where a socket cannot be opened."""
        if self._lib.gst_element_set_state(self._chain, PLAYING) == 0:
            raise GStreamerError(self.trouble() or "GStreamer does not start its chain")

    def port(self, end: str) -> int:
        """The one a receiving end listens on."""
        port: Any = self._lib.ffi.new("int *")
        self._lib.g_object_get(self._ends[end], b"port", port, self._lib.ffi.NULL)
        return int(port[0])

    def push(self, end: str, sound: npt.NDArray[np.float32], begins_ns: int, lasts_ns: int) -> bool:
        """False where nobody takes it."""
        lib = self._lib
        data = lib.ffi.from_buffer(sound)
        buffer = lib.gst_buffer_new_memdup(data, sound.nbytes)
        buffer.pts, buffer.duration = begins_ns, lasts_ns
        return bool(lib.gst_app_src_push_buffer(self._ends[end], buffer) == 0)

    def trouble(self) -> str:
        """What its elements say has gone wrong since it was last asked; “” nothing."""
        lib = self._lib
        message = lib.gst_bus_pop_filtered(self._bus, ERROR_MESSAGE)
        if message == lib.ffi.NULL:
            return ""
        error, debug = lib.ffi.new("GError **"), lib.ffi.new("char **")
        lib.gst_message_parse_error(message, error, debug)
        why = _text(lib, error[0].message)
        lib.g_error_free(error[0])
        lib.g_free(debug[0])
        lib.gst_mini_object_unref(message)
        return why or "it stopped"

    def stop(self) -> None:
        """At once, its sockets closed."""
        lib = self._lib
        lib.gst_element_set_state(self._chain, NULL_STATE)
        for end in self._ends.values():
            lib.gst_object_unref(end)
        lib.gst_object_unref(self._bus)
        lib.gst_object_unref(self._chain)
        self._ends = {}


def _text(lib: _Library, text: Any) -> str:
    return lib.ffi.string(text).decode(errors="replace") if text != lib.ffi.NULL else ""
