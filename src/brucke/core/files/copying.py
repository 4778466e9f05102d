"""Copies that are whole or not there at all."""

import os
import shutil
import tempfile
from pathlib import Path


def copy_whole(source: Path, target: Path) -> None:
    """`source` as `target`, on the disk when this returns. Errors: OSError, and then no `target` and no litter."""
    handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name[:100]}.")
    try:
        with os.fdopen(handle, "wb") as out, source.open("rb") as data:
            shutil.copyfileobj(data, out, 2**20)
            out.flush()
            os.fsync(out.fileno())
        shutil.copystat(source, temporary)
        os.replace(temporary, target)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
