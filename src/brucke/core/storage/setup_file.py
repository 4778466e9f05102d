"""Setups on disk: open JSON with a version, a published schema and errors that name file, place and reason."""

import os
import stat
import tempfile
from pathlib import Path
from typing import Any

import msgspec

from ..document.setup import Setup
from ..errors import BruckeError
from ..files.safe_read import ReadProblem, convert, decode_json, read_bytes
from ..knowledge.evidence import Knowledge
from .setup_problems import knowledge_problems, problems

FORMAT = "brucke setup"
VERSION = 1
SUFFIX = ".brucke.json"
MAX_BYTES = 16 * 2**20


class SetupError(BruckeError, ValueError):
    """One sentence: file, place in it, reason."""

    code = "setup"


# The setup's own fields stand at the top of the file, so that it reads as one document.
_OWN = {"format", "version", "knowledge"}


def schema() -> dict[str, Any]:
    """JSON Schema of the file."""
    parts = msgspec.json.schema_components([Setup, Knowledge], ref_template="#/$defs/{name}")[1]
    top = dict(parts["Setup"])
    top["title"] = FORMAT
    top["properties"] = {
        "format": {"const": FORMAT},
        "version": {"const": VERSION},
        **top["properties"],
        "knowledge": {"$ref": "#/$defs/Knowledge"},
    }
    top["required"] = ["format", "version"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **top, "$defs": parts}


def encode(setup: Setup, knowledge: Knowledge) -> bytes:
    body: dict[str, Any] = {"format": FORMAT, "version": VERSION}
    body.update(msgspec.to_builtins(setup))
    if knowledge != Knowledge():
        body["knowledge"] = msgspec.to_builtins(knowledge)
    return msgspec.json.format(msgspec.json.encode(body), indent=2) + b"\n"


def decode(data: bytes, name: str = "setup") -> tuple[Setup, Knowledge]:
    """Setup and knowledge from the bytes of a file; SetupError with one sentence."""
    try:
        return from_raw(decode_json(data), name)
    except ReadProblem as e:
        raise SetupError(f"{name}: {e}") from None


def from_raw(raw: Any, name: str) -> tuple[Setup, Knowledge]:
    """Setup and knowledge from what a file holds. Errors: SetupError, ReadProblem without the name."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise SetupError(f"{name}: at the top: “format” is not “{FORMAT}”, so this is not a setup")
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise SetupError(f"{name}: version: expected a whole number from 1 to {VERSION}")
    if version > VERSION:
        raise SetupError(
            f"{name}: version: {version} is newer than this program reads ({VERSION}); open it with a newer Brucke"
        )
    setup = convert({k: v for k, v in raw.items() if k not in _OWN}, Setup)
    knowledge = convert(raw.get("knowledge", {}), Knowledge)
    for place, reason in (*problems(setup), *knowledge_problems(knowledge)):
        raise SetupError(f"{name}: {place}: {reason}")
    return setup, knowledge.numbered()


def load(path: Path) -> tuple[Setup, Knowledge]:
    """Setup and knowledge from a file; SetupError with one sentence."""
    try:
        return decode(read_bytes(path, MAX_BYTES, "a setup"), path.name)
    except ReadProblem as e:
        raise SetupError(f"{path.name}: {e}") from None


def save(path: Path, setup: Setup, knowledge: Knowledge) -> None:
    """Write beside and rename, so that a crash leaves the old file whole; its mode is kept, and a link stays one.

    Errors: OSError."""
    data = encode(setup, knowledge)
    path = path.resolve()
    try:
        mode = stat.S_IMODE(path.stat().st_mode)
    except OSError:
        mode = 0o666 & ~_umask()
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name[:100]}.")
    try:
        with os.fdopen(handle, "wb") as f:
            f.write(data)
            f.flush()
            os.fchmod(f.fileno(), mode)
            os.fsync(f.fileno())
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


def _umask() -> int:
    found = os.umask(0o077)
    os.umask(found)
    return found
