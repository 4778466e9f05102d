"""Cameras of this computer: which there are, who holds them, and what they see, picture by picture as it comes.

Video4Linux devices are opened through FFmpeg's libraries; so is a pipe that carries pictures.
"""

import contextlib
import math
import os
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.errors import BruckeError

U8 = npt.NDArray[np.uint8]
DEVICES, NAMES, PROCESSES = Path("/dev"), Path("/sys/class/video4linux"), Path("/proc")

SMALL = 160
DRIVER_S = 1.0  # what a driver says is older than that is of another clock


class CameraError(BruckeError, RuntimeError):
    """Why nothing is seen, in one sentence."""

    code = "camera"

    def __init__(self, said: str, busy: bool = False):
        super().__init__(said)
        self.busy = busy  # another program has it


class Camera(msgspec.Struct, frozen=True):
    """`held_by` are programs that have it open."""

    path: Path
    name: str
    held_by: tuple[str, ...] = ()


def cameras(devices: Path = DEVICES, names: Path = NAMES, processes: Path = PROCESSES) -> list[Camera]:
    """Those that give pictures; a driver's further nodes, for what it knows of them, are left out."""
    found = []
    for node in sorted(names.glob("video*")):
        with contextlib.suppress(OSError, ValueError):
            if int((node / "index").read_text()) == 0 and (devices / node.name).exists():
                path = devices / node.name
                found.append(
                    Camera(path, (node / "name").read_text().strip()[:60] or node.name, holders(path, processes))
                )
    return found


def holders(path: Path, processes: Path = PROCESSES) -> tuple[str, ...]:
    """Programs of this user that have `path` open, but this one."""
    found = []
    for process in processes.iterdir():
        if not process.name.isdigit() or int(process.name) == os.getpid():
            continue
        with contextlib.suppress(OSError):
            if any(os.path.realpath(fd) == str(path) for fd in (process / "fd").iterdir()):
                found.append((process / "comm").read_text().strip())
    return tuple(dict.fromkeys(found))


def pictures(path: Path, asked: Mapping[str, str] | None = None) -> Iterator[tuple[float, Any]]:
    """(monotonic time when it was there, picture of PyAV) until nothing more comes. A driver tells that time itself; a
    pipe has none, so it is when the picture was read. `asked` is what the driver is asked for, where it can. Errors:
    CameraError."""
    import av

    device = path.is_char_device()
    try:
        with _opened(path, device, dict(asked or {})) as opened:
            for frame in opened.decode(opened.streams.video[0]):
                now = time.monotonic()
                told = float(frame.time) if device and frame.time is not None else now
                yield (told if 0.0 <= now - told < DRIVER_S else now), frame
    except (av.FFmpegError, OSError, IndexError, ValueError, MemoryError) as e:
        said = (getattr(e, "strerror", None) or str(e)).lower()
        busy = "busy" in said
        raise CameraError(
            f"{path.name}: another program has the camera" if busy else f"{path.name}: the camera: {said[:80]}", busy
        ) from None


def _opened(path: Path, device: bool, asked: dict[str, str]) -> Any:
    import av

    if not device:
        options = {"fflags": "nobuffer", "probesize": "32", "analyzeduration": "0"}
        return av.open(str(path), format="yuv4mpegpipe", options=options)
    try:
        return av.open(str(path), format="v4l2", options=asked)
    except (av.FFmpegError, OSError, ValueError):
        if not asked:
            raise
        return av.open(str(path), format="v4l2")


def looked(path: Path, seconds: float) -> Iterator[tuple[float, U8]]:
    """(monotonic time when it came, small grey picture) until the time is over or nothing more comes. Errors:
    CameraError."""
    until = math.inf
    try:
        for _there, frame in pictures(path):
            now = time.monotonic()
            until = min(until, now + seconds)
            wide, high = frame.width, frame.height
            share = min(1.0, SMALL / max(wide, high))
            small = frame.reformat(max(16, int(wide * share) // 2 * 2), max(9, int(high * share) // 2 * 2), "gray")
            yield now, np.asarray(small.to_ndarray(), np.uint8)
            if now >= until:
                return
    except CameraError as e:
        if e.busy:
            raise CameraError(f"{e}; film the square there, and open that recording", True) from None
        raise
