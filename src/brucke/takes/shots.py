"""The pictures and the sound around what was found in a film, small enough to be handed to a window: one file of plain
arrays."""

from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import numpy.typing as npt

from .take import TakeError

if TYPE_CHECKING:  # whoever only shows them needs no coders
    from .film import Judged

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
MOST = 12  # events that are shown
AROUND_S = 0.8


class Shots(msgspec.Struct, frozen=True):
    """`events_s` [E] is when each sounds; sound [E, frames] begins AROUND_S before it; pictures [m, height, width] at
    `times_s` [m]."""

    events_s: F64
    sound: F32
    rate_hz: int
    times_s: F64
    pictures: npt.NDArray[np.uint8]

    def near(self, event: int, count: int, later_s: float) -> list[int]:
        """The indices of so many pictures around when an event should be seen, in order."""
        at = self.events_s[event] + later_s
        first = int(np.searchsorted(self.times_s, at)) - count // 2 - 1
        return [
            i
            for i in range(first, first + count)
            if 0 <= i < len(self.times_s) and abs(self.times_s[i] - at) < 2 * AROUND_S
        ]


def shots_of(judged: "Judged") -> Shots:
    """Around the events that were found, else around what sounds sharply."""
    found = judged.found.offset
    events = (found.sounds_s if found is not None else judged.sharp_s)[:MOST]
    sound, rate = judged.sound.sound.mean(axis=0), judged.sound.rate_hz
    n = round(AROUND_S * rate)
    padded = np.pad(sound, n)
    at = [round((e - judged.sound.start_s) * rate) for e in events]
    pieces = [padded[max(0, a) : a + 2 * n] for a in at]
    whole = np.stack([np.pad(p, (0, 2 * n - len(p))) for p in pieces]) if pieces else np.zeros((0, 2 * n))
    seen = judged.seen
    return Shots(np.asarray(events, np.float64), whole.astype(np.float32), rate, seen.times_s[seen.which], seen.near)


def keep_shots(judged: "Judged", file: Path) -> None:
    """Errors: TakeError."""
    s = shots_of(judged)
    try:
        with file.open("wb") as f:
            np.savez(f, events_s=s.events_s, sound=s.sound, rate_hz=s.rate_hz, times_s=s.times_s, pictures=s.pictures)
    except OSError as e:
        raise TakeError(f"{file.name}: the file: {(e.strerror or str(e)).lower()}") from None


def read_shots(file: Path) -> Shots:
    """What `keep_shots` wrote. Errors: OSError, ValueError, KeyError."""
    with np.load(file, allow_pickle=False) as data:
        return Shots(data["events_s"], data["sound"], int(data["rate_hz"]), data["times_s"], data["pictures"])
