"""What happened while a take was recorded, on its own time: `marks.json` in its folder."""

from pathlib import Path

import msgspec

from ..core.files.safe_read import ReadProblem, convert, decode_json, read_bytes

FILE = "marks.json"
FORMAT, VERSION = "brucke marks", 1
MAX_BYTES = 4 * 2**20
MOST = 5000


class Mark(msgspec.Struct, frozen=True, kw_only=True):
    """`at_s` seconds after the take began, and what happened, in words."""

    at_s: float
    says: str


class Marks(msgspec.Struct, frozen=True, kw_only=True):
    format: str = FORMAT
    version: int = VERSION
    marks: tuple[Mark, ...] = ()


def save_marks(folder: Path, marks: tuple[Mark, ...]) -> None:
    """Readable by its owner alone, as the take is. Errors: OSError."""
    file = folder / FILE
    partly = file.with_name(f".{FILE}.part")
    partly.touch(mode=0o600)
    partly.write_bytes(msgspec.json.format(msgspec.json.encode(Marks(marks=marks[:MOST])), indent=2))
    partly.replace(file)


def read_marks(folder: Path) -> tuple[Mark, ...]:
    """Of a take's folder, in their order; none where there are none, or they cannot be read."""
    try:
        found = convert(decode_json(read_bytes(folder / FILE, MAX_BYTES, "marks")), Marks)
    except (OSError, ReadProblem):
        return ()
    if (found.format, found.version) != (FORMAT, VERSION):
        return ()
    return tuple(sorted((m for m in found.marks if 0 <= m.at_s < 1e6), key=lambda m: m.at_s))[:MOST]
