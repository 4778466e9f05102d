"""A small file of the user's, written whole or not at all."""

import contextlib
from pathlib import Path


def put_file(file: Path, text: str, runs: bool = False) -> None:
    """`runs`: it can be started. Errors: OSError, and nothing half written stays."""
    beside = file.with_name(f".{file.name}.new")
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        beside.write_text(text, encoding="utf-8")
        beside.chmod(0o755 if runs else 0o644)
        beside.replace(file)
    except OSError:
        with contextlib.suppress(OSError):
            beside.unlink(missing_ok=True)
        raise
