"""What keeps the newest edits through a crash: the open document with where it belongs, in one file per program run."""

import os
import tempfile
from pathlib import Path
from typing import Any

import msgspec

from .evidence import Knowledge
from .setup import Setup
from .setup_file import SetupError, decode, encode

SUFFIX = ".recovery.json"


class Recovery(msgspec.Struct, frozen=True, kw_only=True):
    """`path` is where the document was saved last, “” for one that never was; `folders` where its sounds stand."""

    setup: Setup
    knowledge: Knowledge
    path: str
    folders: tuple[str, ...]
    pid: int


def recovery_file(home: Path, pid: int) -> Path:
    return home / f"{pid}{SUFFIX}"


def write_recovery(home: Path, r: Recovery) -> None:
    """Whole or not at all, and on the disk when this returns. Errors: OSError."""
    home.mkdir(parents=True, exist_ok=True)
    document = msgspec.Raw(encode(r.setup, r.knowledge))
    body = msgspec.json.encode({"path": r.path, "folders": r.folders, "pid": r.pid, "document": document})
    handle, temporary = tempfile.mkstemp(dir=home, prefix=".recovery.")
    with os.fdopen(handle, "wb") as f:
        f.write(body)
        f.flush()
        os.fsync(f.fileno())
    os.replace(temporary, recovery_file(home, r.pid))


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def find_recoveries(home: Path) -> list[tuple[Path, Recovery]]:
    """What programs that are gone left behind, newest first. What cannot be read is passed over."""
    found = []
    files = sorted(home.glob(f"*{SUFFIX}"), key=lambda p: p.stat().st_mtime, reverse=True) if home.is_dir() else []
    for file in files:
        try:
            raw: dict[str, Any] = msgspec.json.decode(file.read_bytes())
            pid = int(raw["pid"])
            if _alive(pid):
                continue
            setup, knowledge = decode(msgspec.json.encode(raw["document"]), file.name)
            folders = tuple(str(f) for f in raw["folders"])
            found.append(
                (file, Recovery(setup=setup, knowledge=knowledge, path=str(raw["path"]), folders=folders, pid=pid))
            )
        except (OSError, SetupError, msgspec.DecodeError, KeyError, TypeError, ValueError):
            continue
    return found
