"""What keeps the newest edits through a crash: the open document with where it belongs, in one file per program run."""

import os
import tempfile
from pathlib import Path
from typing import Any

import msgspec

from ..document.setup import Setup
from ..files.process_alive import Who, is_alive
from ..files.safe_read import ReadProblem, convert, decode_json, read_bytes
from ..knowledge.evidence import Knowledge
from .setup_file import MAX_BYTES, SetupError, encode, from_raw

SUFFIX = ".recovery.json"
MOST_FILES = 200


class Recovery(msgspec.Struct, frozen=True, kw_only=True):
    """`path` is where the document was saved last, “” for one that never was; `folders` where its sounds stand; `who`
    wrote it."""

    setup: Setup
    knowledge: Knowledge
    path: str
    folders: tuple[str, ...]
    who: Who


class _Note(msgspec.Struct, frozen=True, kw_only=True):
    path: str
    folders: tuple[str, ...]
    pid: int
    document: Any
    started: int = 0
    boot: str = ""


def recovery_file(home: Path, who: Who) -> Path:
    return home / f"{who.pid}-{who.started}{SUFFIX}"


def write_recovery(home: Path, r: Recovery) -> None:
    """Whole or not at all, and on the disk when this returns; for its owner alone. Errors: OSError, and no litter."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    document = msgspec.Raw(encode(r.setup, r.knowledge))
    body = msgspec.json.encode(
        {
            "path": r.path, "folders": r.folders, "pid": r.who.pid, "started": r.who.started, "boot": r.who.boot,
            "document": document,
        }
    )  # fmt: skip
    handle, temporary = tempfile.mkstemp(dir=home, prefix=".recovery.")
    try:
        with os.fdopen(handle, "wb") as f:
            f.write(body)
            f.flush()
            os.fsync(f.fileno())
        os.replace(temporary, recovery_file(home, r.who))
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


def _age(file: Path) -> float:
    try:
        return file.stat().st_mtime
    except OSError:
        return 0.0


def read_recovery(file: Path) -> Recovery:
    """Errors: SetupError."""
    try:
        note = convert(decode_json(read_bytes(file, MAX_BYTES + 2**20, "a recovery")), _Note)
        setup, knowledge = from_raw(note.document, file.name)
    except ReadProblem as e:
        raise SetupError(f"{file.name}: {e}") from None
    who = Who(pid=note.pid, started=note.started, boot=note.boot)
    return Recovery(setup=setup, knowledge=knowledge, path=note.path, folders=note.folders, who=who)


def find_recoveries(home: Path) -> list[tuple[Path, Recovery]]:
    """What programs that are gone left behind, newest first. What cannot be read is passed over."""
    found = []
    files = sorted(home.glob(f"*{SUFFIX}"), key=_age, reverse=True) if home.is_dir() else []
    for file in files[:MOST_FILES]:
        try:
            r = read_recovery(file)
        except SetupError:
            continue
        if not is_alive(r.who):
            found.append((file, r))
    return found
