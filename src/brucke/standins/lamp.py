"""A camera that looks at one light: pictures at its own pace, each given away as late as the truth has it, through a
pipe as any camera's driver would.

The light is a file with a line each time it changes: the monotonic time, and “1” where it went on. The pictures are
YUV4MPEG2, grey.
"""

import contextlib
import threading
import time
from collections import deque
from pathlib import Path

import numpy as np

SIZE = (160, 120)
DARK, BRIGHT, LAMP = 40, 230, (slice(40, 80), slice(60, 100))


def film(light: Path, pictures: Path, pictures_per_s: float, transfer_s: float, seconds: float) -> None:
    """Until the time is over or nobody looks any more."""
    rng = np.random.default_rng(5)
    with contextlib.suppress(OSError), pictures.open("wb", buffering=0) as out:
        out.write(f"YUV4MPEG2 W{SIZE[0]} H{SIZE[1]} F{pictures_per_s:g}:1 Ip A1:1 Cmono\n".encode())
        begin = time.monotonic() + float(rng.uniform(0, 1 / pictures_per_s))
        waiting: deque[float] = deque()  # when each that was taken was exposed
        taken, end = 0, begin + seconds
        while taken < seconds * pictures_per_s or waiting:
            exposes = begin + taken / pictures_per_s
            given = waiting[0] + transfer_s if waiting else float("inf")
            time.sleep(max(0.0, min(exposes if exposes < end else float("inf"), given) - time.monotonic()))
            now = time.monotonic()
            if now >= exposes and exposes < end:
                waiting.append(exposes)
                taken += 1
            while waiting and waiting[0] + transfer_s <= now:
                out.write(b"FRAME\n" + _picture(_lit(light, waiting.popleft()), rng))


def _lit(light: Path, at: float) -> bool:
    """As it was at that time, however late anybody looks."""
    changes = (line.split() for line in light.read_text().splitlines() if line.count(" ") == 1)
    return next((on == "1" for when, on in reversed(list(changes)) if float(when) <= at), False)


def _picture(lit: bool, rng: np.random.Generator) -> bytes:
    picture = DARK + 2.0 * rng.standard_normal((SIZE[1], SIZE[0]), np.float32)
    if lit:
        picture[LAMP] = BRIGHT
    return bytes(np.clip(picture, 0, 255).astype(np.uint8).tobytes())


def film_aside(light: Path, pictures: Path, pictures_per_s: float, transfer_s: float, seconds: float) -> None:
    """The same in a thread of its own."""
    threading.Thread(target=film, args=(light, pictures, pictures_per_s, transfer_s, seconds), daemon=True).start()
