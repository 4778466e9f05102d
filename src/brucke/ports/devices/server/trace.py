"""How loud a program is, some times a second: a stream of ours that the server itself thins to peaks.

Its samples come in the library's own thread, never in the one that carries sound.
"""

from typing import Any

import numpy as np

from .connection import Connection, keep, let_go
from .library import Dict, ffi
from .names import OURS
from .pods import sound_format

PEAKS_HZ = 25
EVERY = 2400  # frames between two looks
MAP_BUFFERS, INPUT, ANY = 4, 0, 0xFFFFFFFF
NODE = f"{OURS}trace"


class Trace:
    """Of one node, once somebody links it to `node`; `peaks` since they were last taken, linear. Ends with `end`."""

    def __init__(self, connection: Connection, of: int):
        self.connection, self.of, self.node = connection, of, f"{NODE}.{of}"
        self._peaks: list[float] = []
        lib = connection.lib

        @ffi.callback("void(void *)", onerror=_quiet)
        def process(_data: Any) -> None:
            given = lib.pw_stream_dequeue_buffer(self._stream)
            if given == ffi.NULL:
                return
            data = given.buffer.datas[0]
            count = data.chunk.size // 4
            if count and data.data != ffi.NULL:
                sound = np.frombuffer(
                    ffi.buffer(ffi.cast("char *", data.data) + data.chunk.offset, 4 * count), np.float32
                )
                self._peaks.append(float(np.max(np.abs(np.nan_to_num(sound)))))
                del self._peaks[:-PEAKS_HZ]
            lib.pw_stream_queue_buffer(self._stream, given)

        properties = Dict(
            {
                "node.name": self.node, "node.description": "Brucke", "media.type": "Audio", "media.category":
                "Capture",
                "stream.monitor": "true", "resample.peaks": "true", "node.autoconnect": "false", "node.passive": "true",
                "node.latency": f"{EVERY}/48000",
            }
        )  # fmt: skip
        events = ffi.new("struct pw_stream_events *", {"version": 2, "process": process})
        hook = ffi.new("struct spa_hook *")
        pod = ffi.from_buffer(bytearray(sound_format(PEAKS_HZ, 1)))
        with connection:
            given = lib.pw_properties_new_dict(properties.c)
            self._stream = lib.pw_stream_new(connection.core, b"brucke trace", given)
            keep(process, events, hook, pod, of=self._stream)
            lib.pw_stream_add_listener(self._stream, hook, events, ffi.NULL)
            formats = ffi.new("const void *[1]", [ffi.cast("const void *", pod)])
            lib.pw_stream_connect(self._stream, INPUT, ANY, MAP_BUFFERS, formats, 1)

    def take(self) -> float | None:
        """The loudest since the last time; None where nothing came."""
        peaks, self._peaks = self._peaks, []
        return max(peaks) if peaks else None

    def end(self) -> None:
        with self.connection:
            if self.connection.alive:
                self.connection.lib.pw_stream_destroy(self._stream)
                let_go(self._stream)


def _quiet(kind: type[BaseException], error: BaseException, trace: object) -> None:
    """A trace that fails stands still."""
