"""To whom a running application is open, for other commands of the same user: a file that is its owner's alone."""

import contextlib
import os
from pathlib import Path
from typing import Any

import msgspec
from platformdirs import user_runtime_path

from ...core.files.process_alive import Who, is_alive, this_program
from ...core.files.safe_read import ReadProblem, decode_json, read_bytes

FILE, MOST = "brucke-peers.json", 65536


def open_file() -> Path:
    return user_runtime_path("brucke") / FILE


def write_open(told: list[dict[str, Any]]) -> None:
    """Taken away where there is nobody; a disk that does not take it is no matter."""
    file = open_file()
    with contextlib.suppress(OSError):
        if not told:
            file.unlink(missing_ok=True)
            return
        file.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as f:
            f.write(msgspec.json.encode({"who": this_program(), "open": told}))


def read_open() -> list[dict[str, Any]]:
    """Nothing where whoever wrote it has ended."""
    try:
        said = decode_json(read_bytes(open_file(), MOST, "it"))
        return list(said["open"]) if is_alive(msgspec.convert(said["who"], Who)) else []
    except (ReadProblem, ValueError, KeyError, TypeError):
        return []
