"""A take's folder: one file per part and per listener, what the far ends gave back, and take.json."""

import os
from collections.abc import Mapping
from pathlib import Path

import msgspec

from ..core.evidence import Knowledge
from ..core.measure.played import TrackMark
from ..core.setup import Setup
from ..core.take_verdict import ListenerProof
from ..ports.recording import read_track

FORMAT = "brucke take"
VERSION = 1
MAX_BYTES = 64 * 2**20


class TakeError(ValueError):
    """One sentence: file, place in it, reason."""


class Take(msgspec.Struct, frozen=True, kw_only=True):
    """`parts` and `listeners` name files below the folder; `far_ends` what a listener really got; `track` is what the
    track did in it, on the take's own frames. `missing` says what is not there that should be."""

    format: str = FORMAT
    version: int = VERSION
    date: str
    setup: Setup
    knowledge: Knowledge = Knowledge()
    moment: str = ""
    parts: dict[str, str] = {}
    listeners: dict[str, str] = {}
    far_ends: dict[str, str] = {}
    track: tuple[TrackMark, ...] = ()
    missing: tuple[str, ...] = ()
    proof: dict[str, ListenerProof] = {}


def far_ends_in(folder: Path, setup: Setup) -> dict[str, str]:
    """By listener, the files that the far ends gave back."""
    found = {}
    for listener in setup.listeners:
        names = [f"far_ends/{listener.device}{ending}" for ending in (".wav", ".mkv")]
        there = next((n for n in names if (folder / n).is_file()), None)
        if there is not None:
            found[listener.id] = there
    return found


def save_take(folder: Path, take: Take) -> None:
    """Write beside and rename."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "take.json"
    temporary = folder / ".take.json.part"
    temporary.write_bytes(msgspec.json.format(msgspec.json.encode(take), indent=2))
    os.replace(temporary, path)


def load_take(folder: Path) -> Take:
    """TakeError where the folder holds no take this program reads."""
    path = folder / "take.json"
    try:
        if path.stat().st_size > MAX_BYTES:
            raise TakeError(f"{path.name}: the file: too large for a take")
        take = msgspec.json.decode(path.read_bytes(), type=Take)
    except OSError as e:
        raise TakeError(f"{folder.name}/take.json: the file: {(e.strerror or str(e)).lower()}") from None
    except msgspec.DecodeError as e:
        raise TakeError(f"{folder.name}/take.json: {e}") from None
    if take.format != FORMAT or take.version > VERSION:
        raise TakeError(f"{folder.name}/take.json: format: not a take this program reads")
    for files in (take.parts, take.listeners, take.far_ends):
        _inside(folder, files)
    if not take.far_ends:  # whoever made it did not come to its end
        take = msgspec.structs.replace(take, far_ends=far_ends_in(folder, take.setup), track=read_track(folder))
    return take


def _inside(folder: Path, files: Mapping[str, str]) -> None:
    for name in files.values():
        if not (folder / name).resolve().is_relative_to(folder.resolve()):
            raise TakeError(f"{folder.name}/take.json: “{name}” leads outside the take")
