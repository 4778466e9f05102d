"""A recording in one line: what it is called, how long it is, how much room it takes."""

from pathlib import Path

from msgspec import Struct

from .sounds import track_frames
from .take import Take


class Summary(Struct, frozen=True, kw_only=True):
    """`size` in bytes of everything in its folder."""

    name: str
    date: str
    seconds: float
    size: int


def summary(folder: Path, take: Take) -> Summary:
    """As far as its files tell; what is not there counts as nothing."""
    frames = [track_frames(folder, name) for name in (*take.parts.values(), *take.listeners.values())]
    size = 0
    for file in folder.rglob("*"):
        try:
            size += file.stat().st_size if file.is_file() else 0
        except OSError:
            continue  # it has gone meanwhile
    longest = max((n / rate for n, rate in frames), default=0.0)
    return Summary(name=folder.name, date=take.date, seconds=longest, size=size)
