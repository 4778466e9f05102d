"""A file that nobody sees before it is whole: it has no name until then, so that a killed program leaves nothing
behind."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

NAMELESS = "/proc/self/fd/"  # how what has no name is reached; errors say where it would stand


@contextmanager
def whole_file(target: Path) -> Iterator[Path]:
    """Where to write what is to stand at `target`, which is not there yet; it stands there once the block has ended
    well. Where the disk knows no files without a name, a hidden one stands beside it meanwhile. Errors: OSError."""
    try:
        handle = os.open(target.parent, os.O_TMPFILE | os.O_RDWR, 0o666)
    except OSError:
        with _hidden_file(target) as path:
            yield path
        return
    root = -1
    try:
        path = Path(f"{NAMELESS}{handle}")
        yield path
        root = os.open("/", os.O_PATH)
        # With a folder's handle Python asks for what the link leads to, linkat(2); without one for the link itself.
        try:
            os.link(path, target, src_dir_fd=root, follow_symlinks=True)
        except FileNotFoundError:
            raise FileNotFoundError(errno.ENOENT, "the folder is gone", str(target.parent)) from None
    finally:
        os.close(handle)
        if root >= 0:
            os.close(root)


@contextmanager
def _hidden_file(target: Path) -> Iterator[Path]:
    hidden = target.with_name(f".{target.name}.part")
    try:
        yield hidden
        os.replace(hidden, target)
    finally:
        hidden.unlink(missing_ok=True)
