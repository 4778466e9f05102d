"""Every change of the running order. Pure: Setup -> Setup."""

from typing import Any

from msgspec.structs import replace

from ..document.ranges import LENGTHS
from ..document.setup import LineKind, OrderLine, Part, Setup

MAX_LINES = LENGTHS["order"]


def backing_track(setup: Setup) -> Part | None:
    """The part whose files the songs are."""
    return next((p for p in setup.parts if p.kind == "lead" and p.tracks), None)


def track_index(setup: Setup, line: OrderLine) -> int:
    """Which of the backing tracks a line plays; −1 where it plays none, or that is gone."""
    part = backing_track(setup)
    files = [t.file for t in part.tracks] if part is not None else []
    return files.index(line.file) if line.kind == "song" and line.file in files else -1


def add_line(setup: Setup, kind: LineKind, name: str, at: int | None = None) -> Setup:
    """One more line behind `at`, else at the end. A song is the first backing track that no line plays yet; once it has
    ended, the moment without music is in force where there is one that pauses the song."""
    if len(setup.order) >= MAX_LINES:
        return setup
    part, talk = backing_track(setup), next((m.id for m in setup.moments if m.pauses), "")
    sings = next((m.id for m in setup.moments if not m.pauses), "")
    line = OrderLine(kind=kind, name=name, moment=sings if kind == "song" else talk)
    if kind == "song" and part is not None:
        taken = {x.file for x in setup.order}
        track = next((t for t in part.tracks if t.file not in taken), part.tracks[0])
        line = replace(line, file=track.file, after=talk)
    index = len(setup.order) if at is None else at + 1
    return replace(setup, order=(*setup.order[:index], line, *setup.order[index:]))


def every_track(setup: Setup, talk: str) -> Setup:
    """A first order: every backing track a song, with `talk` between."""
    part = backing_track(setup)
    for i, track in enumerate(part.tracks if part is not None else ()):
        if i:
            setup = add_line(setup, "talk", talk)
        setup = add_line(setup, "song", song_name(track.file))
    return setup


def song_name(file: str) -> str:
    """“night_ferry.flac” as “Night ferry”."""
    stem = file.rpartition("/")[2].rpartition(".")[0] or file
    text = stem.replace("_", " ").replace("-", " ").strip()
    return text[:1].upper() + text[1:]


def change_line(setup: Setup, at: int, **fields: Any) -> Setup:
    order = tuple(replace(x, **fields) if i == at else x for i, x in enumerate(setup.order))
    return replace(setup, order=order)


def move_line(setup: Setup, at: int, to: int) -> Setup:
    """The line `at` stands at `to` afterwards."""
    if not 0 <= at < len(setup.order):
        return setup
    order = list(setup.order)
    order.insert(min(max(to, 0), len(order) - 1), order.pop(at))
    return replace(setup, order=tuple(order))


def duplicate_line(setup: Setup, at: int) -> Setup:
    if len(setup.order) >= MAX_LINES or not 0 <= at < len(setup.order):
        return setup
    return replace(setup, order=(*setup.order[: at + 1], *setup.order[at:]))


def remove_line(setup: Setup, at: int) -> Setup:
    return replace(setup, order=(*setup.order[:at], *setup.order[at + 1 :]))
