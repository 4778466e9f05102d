"""Voice and music of a recording, small enough to be handed to a window that shows and plays them: one file of plain
arrays."""

from pathlib import Path

import msgspec
import numpy as np
import numpy.typing as npt

from .take import TakeError

F32 = npt.NDArray[np.float32]
LONGEST_S = 180.0


class TwoSounds(msgspec.Struct, frozen=True):
    """voice, music [frames], at most the first three minutes; `phrases_s` [n, 2] is where something is sung."""

    voice: F32
    music: F32
    rate_hz: int
    phrases_s: npt.NDArray[np.float64]


def keep_two(voice: F32, music: F32, rate_hz: int, phrases: list[tuple[float, float]], file: Path) -> None:
    """Errors: TakeError."""
    most = round(LONGEST_S * rate_hz)
    inside = [p for p in phrases if p[1] <= LONGEST_S]
    try:
        with file.open("wb") as f:
            np.savez(f, voice=voice[:most], music=music[:most], rate_hz=rate_hz, phrases_s=np.reshape(inside, (-1, 2)))
    except OSError as e:
        raise TakeError(f"{file.name}: the file: {(e.strerror or str(e)).lower()}") from None


def read_two(file: Path) -> TwoSounds:
    """What `keep_two` wrote. Errors: OSError, ValueError, KeyError."""
    with np.load(file, allow_pickle=False) as data:
        return TwoSounds(data["voice"], data["music"], int(data["rate_hz"]), data["phrases_s"])
