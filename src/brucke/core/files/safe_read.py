"""The one way into every file from outside: a regular file, of bounded size, decoded without ever raising anything
else."""

import os
import stat
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from ..errors import BruckeError

T = TypeVar("T")


class ReadProblem(BruckeError, ValueError):
    """Why a file cannot be read: its place in the file and the reason, without its name."""

    code = "read"


def regular_file(path: Path) -> int:
    """Its size in bytes. Errors: ReadProblem where it is none: nothing is opened that could wait for ever."""
    try:
        found = path.stat()
    except (OSError, ValueError) as e:
        raise ReadProblem(f"the file: {_reason(e)}") from None
    if not stat.S_ISREG(found.st_mode):
        raise ReadProblem("the file: not a file that can be read")
    return found.st_size


def read_bytes(path: Path, most: int, what: str) -> bytes:
    """The whole file. `what` names it in the sentence. Errors: ReadProblem."""
    size = regular_file(path)
    if size > most:
        raise ReadProblem(f"the file: {size} bytes, {what} has at most {most}")
    try:
        # Not blocking: it may have become something else meanwhile.
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(handle, "rb") as f:
            if not stat.S_ISREG(os.fstat(f.fileno()).st_mode):
                raise ReadProblem("the file: not a file that can be read")
            data = f.read(most + 1)
    except (OSError, MemoryError) as e:
        raise ReadProblem(f"the file: {_reason(e)}") from None
    if len(data) > most:
        raise ReadProblem(f"the file: {what} has at most {most} bytes")
    return data


def _reason(e: BaseException) -> str:
    return (getattr(e, "strerror", None) or str(e) or type(e).__name__).lower()


def decode_json(data: bytes) -> Any:
    """Errors: ReadProblem, also for what is nested too deeply or holds a number that nothing can hold."""
    try:
        return msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError) as e:
        raise ReadProblem(f"{_where(data, str(e))} is not JSON") from None
    except (RecursionError, MemoryError, OverflowError):
        raise ReadProblem("the file: nested too deeply, or with numbers that are too large") from None


def convert(raw: Any, kind: type[T], top: str = "at the top") -> T:
    """Plain data as a struct. Errors: ReadProblem with the place."""
    try:
        return msgspec.convert(raw, kind)
    except msgspec.ValidationError as e:
        said = "".join(c if c.isprintable() else "�" for c in str(e)[:400])
        reason, _, place = said.partition(" - at `$")
        place = place.rstrip("`").lstrip(".") or top
        raise ReadProblem(f"{place}: {reason[:1].lower()}{reason[1:]}") from None
    except (RecursionError, MemoryError, OverflowError):
        raise ReadProblem(f"{top}: nested too deeply, or with numbers that are too large") from None


def _where(data: bytes, message: str) -> str:
    """“line 3, column 14”, from the byte that the decoder names."""
    digits = "".join(c for c in message.rpartition("byte ")[2] if c.isdigit())
    at = min(int(digits), len(data)) if digits else len(data)
    line, column = data.count(b"\n", 0, at) + 1, at - data.rfind(b"\n", 0, at)
    return f"line {line}, column {column}"
