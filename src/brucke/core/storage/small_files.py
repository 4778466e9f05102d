"""Small files of our own that are kept and given away: one thing each, with a format and a version."""

import os
import tempfile
from pathlib import Path
from typing import TypeVar

import msgspec

from ..document.ranges import printable, range_problems
from ..errors import BruckeError
from ..files.safe_read import ReadProblem, convert, decode_json, read_bytes

MAX_BYTES = 2**20
T = TypeVar("T")


class FileProblem(BruckeError, ValueError):
    """One sentence: file, place in it, reason."""

    code = "file"


def write_own(path: Path, format: str, version: int, field: str, thing: object) -> None:
    """Whole or not at all. Errors: OSError."""
    body = msgspec.json.format(msgspec.json.encode({"format": format, "version": version, field: thing}), indent=1)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:100]}.")
    try:
        with os.fdopen(handle, "wb") as f:
            f.write(body)
            os.fchmod(f.fileno(), 0o644)
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


def read_own(path: Path, format: str, version: int, field: str, kind: type[T]) -> T:
    """Errors: FileProblem."""
    what = f"a {format.removeprefix('brucke ')}"
    try:
        raw = decode_json(read_bytes(path, MAX_BYTES, what))
        if not isinstance(raw, dict) or raw.get("format") != format or raw.get("version") != version:
            said = raw if isinstance(raw, dict) else {}
            found = f"“{printable(str(said.get('format', '')))}” version {printable(str(said.get('version', '')))}"
            raise ReadProblem(f"format: {found} is not {what} of ours")
        thing = convert(raw.get(field), kind, field)
    except ReadProblem as e:
        raise FileProblem(f"{path.name}: {e}") from None
    for place, reason in range_problems(thing, field):
        raise FileProblem(f"{path.name}: {place}: {reason}")
    return thing
