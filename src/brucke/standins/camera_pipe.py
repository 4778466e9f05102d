"""The pictures of a stand-in's camera, through a pipe as a driver would give them: each as late as the camera takes,
until nobody reads any more. YUV4MPEG2, in colour."""

import contextlib
import os
import queue
import threading
import time
from pathlib import Path

import numpy as np
import numpy.typing as npt

U8 = npt.NDArray[np.uint8]
WAITING = 30


class CameraPipe:
    """`open` until nobody reads; opening waits for the reader, and writing for nobody but this thread."""

    def __init__(self, pictures: Path, pictures_per_s: float):
        self.open = True
        self._waiting: queue.Queue[tuple[float, U8] | None] = queue.Queue(WAITING)
        threading.Thread(target=self._give, args=(pictures, pictures_per_s), daemon=True).start()

    def take(self, due_s: float, picture: U8) -> None:
        """It is there at this monotonic time; lost where nobody has taken the ones before."""
        with contextlib.suppress(queue.Full):
            self._waiting.put_nowait((due_s, picture))

    def close(self) -> None:
        self.open = False
        with contextlib.suppress(queue.Full):
            self._waiting.put_nowait(None)

    def _give(self, path: Path, pictures_per_s: float) -> None:
        with contextlib.suppress(OSError), path.open("wb", buffering=0) as out:
            rate, begun = f"{round(pictures_per_s * 1000)}:1000", False
            while self.open and (item := self._waiting.get()) is not None:
                due, picture = item
                if not begun:
                    high, wide = picture.shape[:2]
                    out.write(f"YUV4MPEG2 W{wide} H{high} F{rate} Ip A1:1 C444\n".encode())
                    begun = True
                time.sleep(max(0.0, due - time.monotonic()))
                _write_all(out.fileno(), b"FRAME\n" + _planes(picture))
        self.open = False


def _write_all(handle: int, data: bytes) -> None:
    view = memoryview(data)
    while view:
        view = view[os.write(handle, view) :]


def _planes(picture: U8) -> bytes:
    """[height, width, 3] red, green, blue as Y, Cb, Cr, each whole (ITU-R BT.601, as YUV4MPEG2 is read; value from
    memory)."""
    rgb = picture.astype(np.float32)
    r, g, b = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    y = 16 + 0.257 * r + 0.504 * g + 0.098 * b
    cb = 128 - 0.148 * r - 0.291 * g + 0.439 * b
    cr = 128 + 0.439 * r - 0.368 * g - 0.071 * b
    return bytes(np.stack([y, cb, cr]).round().astype(np.uint8).tobytes())
