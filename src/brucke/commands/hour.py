"""The log of an hour, as it was written while it went."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.files.safe_read import ReadProblem, read_bytes
from .command_line import CommandLine
from .output import CannotDo, emit

FORMAT, VERSION = "brucke hour", 1
MAX_BYTES = 20_000_000


def log(args: argparse.Namespace) -> int:
    """What happened when; a last line that a crash cut off is left out."""
    try:
        lines = read_bytes(args.hour, MAX_BYTES, "the log of an hour").decode("utf-8", "replace").splitlines()
    except ReadProblem as e:
        raise CannotDo(f"{args.hour.name}: {e}") from None
    found = [_read(args.hour, i, line, i == len(lines)) for i, line in enumerate(lines, 1) if line.strip()]
    events = [e for e in found if e is not None]
    head = events[0] if events else {}
    if head.get("format") != FORMAT or head.get("version") != VERSION:
        raise CannotDo(f"{args.hour.name}: the file: not the log of an hour that this Brucke writes")
    result = {"setup": head.get("setup", ""), "events": events[1:]}
    emit(args, result, lambda: [_said(e) for e in events[1:]] or ["nothing was noted"])
    return 0


def _read(path: Path, number: int, line: str, last: bool) -> dict[str, Any] | None:
    try:
        event = json.loads(line)
    except ValueError:
        event = None
    if isinstance(event, dict):
        return event
    if last:
        return None
    raise CannotDo(f"{path.name}: line {number}: not an event")


def _said(event: dict[str, Any]) -> str:
    rest = ", ".join(str(v) for k, v in event.items() if k not in ("at", "what") and v != "")
    return f"{str(event.get('at', ''))[11:19]}  {event.get('what', '')}  {rest}".rstrip()


def add_commands(to: CommandLine) -> None:
    to.add("log", log, "what happened in an hour, line by line").add_argument("hour", type=Path)
