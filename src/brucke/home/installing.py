"""Puts our files into the user's own folders and takes them out again, nothing else: what was made is written down."""

import contextlib
import json
import os
import shutil
import subprocess
from collections.abc import Iterable
from pathlib import Path

from ..core.errors import BruckeError
from .autostart import autostart_file
from .files import APP_ID, Homes, Told, wanted
from .writing import put_file

LIST = f"{APP_ID}.installed.json"
UPDATE_S = 60.0


class InstallError(BruckeError, ValueError):
    """Why something could not be put, or taken out, in one sentence that names it."""

    code = "install"


def homes() -> Homes:
    """By the Base Directory specification; there is no folder of programs in it but by custom."""
    home = Path.home()
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local/share")
    config = Path(os.environ.get("XDG_CONFIG_HOME") or home / ".config")
    return Homes(data, config, home / ".local/bin")


def install(where: Homes, launcher: Path, commands: tuple[Told, ...]) -> list[Path]:
    """What was put. What an earlier installation put and this one does not is taken out. Errors: InstallError, and
    nothing of it is left half done: every file is whole, and the list says which."""
    before = _listed(where)
    files = wanted(where, launcher, commands)
    for file in files:
        if file.exists() and file not in before[0]:
            raise InstallError(f"{file}: there is one already that is not ours; move it away, then install again")
    folders = [*before[1], *_missing_folders([*files, where.data / LIST])]
    try:
        (where.data / LIST).parent.mkdir(parents=True, exist_ok=True)
        _note(where, sorted({*before[0], *files}), folders)
        for file in [f for f in before[0] if f not in files]:
            file.unlink(missing_ok=True)
        for file, (text, runs) in files.items():
            put_file(file, text, runs)
    except OSError as e:
        raise InstallError(f"{e.filename}: cannot be written ({(e.strerror or str(e)).lower()})") from None
    there = _all(_caches(where))
    _update(where)
    made = sorted(_all(_caches(where)) - there)
    _note(where, sorted(files), folders, [*before[2], *made])
    return sorted(files)


def uninstall(where: Homes) -> list[Path]:
    """What was taken out. Errors: InstallError where nothing was put, or something cannot be removed."""
    files, folders, made = _listed(where)
    files += [f for f in (autostart_file(where),) if f.exists()]  # switched on since, in the window
    if not files:
        raise InstallError(f"{where.data / LIST}: not there, so nothing of ours is installed for this user")
    try:
        for file in files:
            file.unlink(missing_ok=True)
        _update(where)
        for file in made:  # what the desktop's own tools made of our files alone
            if not _shared(where, file):
                file.unlink(missing_ok=True)
        (where.data / LIST).unlink(missing_ok=True)
    except OSError as e:
        raise InstallError(f"{e.filename}: cannot be removed ({(e.strerror or str(e)).lower()})") from None
    for folder in sorted({*folders, *(f.parent for f in made)}, key=lambda f: len(f.parts), reverse=True):
        with contextlib.suppress(OSError):  # somebody else has put something there since
            folder.rmdir()
    return files


def _caches(where: Homes) -> tuple[Path, ...]:
    return where.data / "applications", where.data / "mime", where.data / "icons/hicolor"


def _all(folders: Iterable[Path]) -> set[Path]:
    return {p for folder in folders for p in folder.rglob("*") if p.is_file() and not p.is_symlink()}


def _shared(where: Homes, made: Path) -> bool:
    """Whether somebody else has something there that the desktop's tools keep account of as well."""
    if made.is_relative_to(where.data / "mime"):
        return any((where.data / "mime/packages").glob("*.xml"))
    return any((where.data / "applications").glob("*.desktop"))


def _update(where: Homes) -> None:
    """The desktop's own tools look again, those that are here."""
    for command in (
        ["update-mime-database", str(where.data / "mime")],
        ["update-desktop-database", str(where.data / "applications")],
    ):
        if shutil.which(command[0]) and Path(command[1]).is_dir():
            with contextlib.suppress(OSError, subprocess.TimeoutExpired):
                subprocess.run(command, capture_output=True, timeout=UPDATE_S, check=False)


def _missing_folders(files: Iterable[Path]) -> list[Path]:
    return sorted({p for f in files for p in f.parents if not p.exists()})


def _note(where: Homes, files: list[Path], folders: list[Path], made: Iterable[Path] = ()) -> None:
    told = {"files": [*map(str, files)], "folders": [*map(str, dict.fromkeys(folders))], "made": [*map(str, made)]}
    (where.data / LIST).write_text(json.dumps(told, indent=1), encoding="utf-8")


def _listed(where: Homes) -> tuple[list[Path], list[Path], list[Path]]:
    """(our files, folders that were not there before us, what the desktop's tools made), as written down; but whatever
    the list says, only what could be ours is touched."""
    try:
        told = json.loads((where.data / LIST).read_text(encoding="utf-8"))
        found = [[Path(p) for p in told[key] if isinstance(p, str)] for key in ("files", "folders", "made")]
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return [], [], []
    roots = (where.data, where.config, where.programs)
    files = [p for p in found[0] if _within(p, roots) and "brucke" in p.name.lower()]
    folders = [p for p in found[1] if _within(p, roots) or any(r.is_relative_to(p) for r in roots)]
    return files, folders, [p for p in found[2] if _within(p, _caches(where))]


def _within(path: Path, roots: tuple[Path, ...]) -> bool:
    return ".." not in path.parts and any(path.is_relative_to(root) for root in roots)
