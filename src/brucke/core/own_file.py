"""Small files of our own that are kept and given away: one thing each, with a format and a version."""

from pathlib import Path
from typing import TypeVar

import msgspec

MAX_BYTES = 2**20
T = TypeVar("T")


class FileProblem(ValueError):
    """One sentence: file, place in it, reason."""


class _Head(msgspec.Struct, frozen=True, kw_only=True):
    format: str = ""
    version: int = 0


def write_own(path: Path, format: str, version: int, field: str, thing: object) -> None:
    """Errors: OSError."""
    body = msgspec.json.encode({"format": format, "version": version, field: thing})
    path.write_bytes(msgspec.json.format(body, indent=1))


def read_own(path: Path, format: str, version: int, field: str, kind: type[T]) -> T:
    """Errors: FileProblem."""
    what = format.removeprefix("brucke ")
    try:
        if path.stat().st_size > MAX_BYTES:
            raise FileProblem(
                f"{path.name}: the file: {path.stat().st_size} bytes, a {what} has at most {MAX_BYTES}"
            )  # fmt: skip
        body = path.read_bytes()
    except OSError as e:
        raise FileProblem(f"{path.name}: the file: {(e.strerror or str(e)).lower()}") from None
    try:
        head = msgspec.json.decode(body, type=_Head)
        raw = msgspec.json.decode(body)
    except (msgspec.DecodeError, UnicodeDecodeError) as e:
        raise FileProblem(f"{path.name}: the file: not a {what} ({e})") from None
    if head.format != format or head.version != version:
        raise FileProblem(
            f"{path.name}: format: {head.format[:64]!r} version {head.version} is not a {what} of ours"
        )  # fmt: skip
    try:
        return msgspec.convert(raw.get(field), kind)
    except msgspec.ValidationError as e:
        reason, _, place = str(e).partition(" - at `$")
        raise FileProblem(f"{path.name}: {field}{place.rstrip('`')}: not a {what} ({reason})") from None
