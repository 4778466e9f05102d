"""Where takes are kept, and how a recording in its folder becomes a take. All of it touches the disk, and may be held
by one."""

import atexit
import os
import tempfile
from functools import cache
from pathlib import Path

from msgspec.structs import replace
from platformdirs import user_data_path

from ...ports.devices.computer import recordings_home
from ...ports.sounds.segments import Segment, gaps, read_segments, read_track
from ...takes.take import Take, far_ends_in, load_take, save_take
from ...words.timing import clock_text
from ...words.translation import _
from ..jobs.temporary_folders import temporary_folder
from ..session.session import Session

GONE = _("the folder is gone")


def own_folder(home: Path, name: str) -> Path:
    """A new folder in `home` that was not there, for its owner alone. Errors: OSError."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    for i in range(1, 1000):
        folder = home / (name if i == 1 else f"{name} {i}")
        try:
            folder.mkdir(mode=0o700)
        except FileExistsError:
            continue
        return folder
    raise OSError(f"{home}: too many folders named {name}")


def can_write(folder: Path) -> str:
    """Why nothing can be written there, empty where something can."""
    try:
        if not folder.is_dir():
            return GONE
        handle, name = tempfile.mkstemp(dir=folder, prefix=".try.")
        try:
            os.write(handle, b"\0" * 4096)
        finally:
            os.close(handle)
            os.unlink(name)
    except OSError as e:
        return (e.strerror or str(e)).lower()
    return ""


def file_name(text: str, most: int = 80) -> str:
    """A text as a name of a file, readable by whoever looks for it; empty where nothing is left of it."""
    fit = "".join(c if c.isalnum() or c in " .,-_()’'&+" else "-" for c in text)
    return " ".join(fit.split()).strip(" .-")[:most].strip(" .-")


def takes_folder(session: Session) -> Path:
    """Of the open setup, among the user's music; those of the demo go with it."""
    name = file_name(session.setup.name) or "untitled"
    return (of_the_demo() if session.is_demo else recordings_home()) / name


def folders_of(session: Session) -> list[Path]:
    """Where takes of the open setup may stand: those of before are where they were."""
    old = "".join(c if c.isalnum() else "-" for c in session.setup.name).strip("-")[:80] or "untitled"
    older = [] if session.is_demo else [user_data_path("brucke") / "takes" / old]
    return [takes_folder(session), *older]


@cache
def of_the_demo() -> Path:
    folder = temporary_folder("demo")
    atexit.register(folder.cleanup)
    return Path(folder.name)


def _at_home() -> Path:
    home = Path.home() / "Brucke takes"
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    return home


@cache
def _temporary() -> Path:
    """Nobody else's: in the shared folder a fixed name could be anybody's."""
    return Path(tempfile.mkdtemp(prefix="brucke-takes-"))


def keep(folder: Path, missing: list[str], left_out: int = 0) -> Take:
    """A recording becomes a take: with its far ends, what the track did, and what is missing, of `left_out` frames that
    were given by nobody in all. Errors: TakeError, OSError."""
    take = load_take(folder)
    segments = read_segments(folder)
    lost = sum(s.lost_frames for s in segments) / take.setup.rate_hz
    if lost:
        missing.append(_("{lost:.2f} s were overrun and are silent").format(lost=lost))
    missing += gap_texts(segments, take.setup.rate_hz)
    short_s = (left_out - sum(gap[1] for gap in gaps(segments))) / take.setup.rate_hz
    if short_s > 0.001:
        missing.append(
            _("{short_s:.3f} s in breaks too short for a line of their own: silence").format(short_s=short_s)
        )
    if not segments:
        missing.append(_("nothing was written"))
    take = replace(take, far_ends=far_ends_in(folder, take.setup), track=read_track(folder), missing=tuple(missing))
    from ...takes.camera_film import with_camera_film  # FFmpeg's libraries, which no window waits for

    save_take(folder, with_camera_film(folder, take, segments))
    return load_take(folder)


WHY_MISSING = {"engine": _("the engine was replaced"), "still": _("everything stood still")}


def gap_texts(segments: list[Segment], rate_hz: int) -> list[str]:
    """What is not there, how much, where and why; silence stands in its place."""
    return [
        f"{frames / rate_hz:.2f} s at {clock_text(at / rate_hz)} ({WHY_MISSING.get(why, 'the recorder was replaced')})"
        for at, frames, why in gaps(segments)
    ]


def elsewhere(folder: Path) -> Path | None:
    """Another place for takes than that of `folder` that takes something, None where there is none."""
    for make in (_at_home, _temporary):
        try:
            home = make()
        except OSError:
            continue
        if not can_write(home) and home not in folder.parents:
            return home
    return None
