"""Folders of ours in the shared temporary folder: each its owner's alone, and taken away by the next start where a
process that was killed left one behind."""

import contextlib
import os
import shutil
import tempfile
from pathlib import Path

import msgspec

from ...core.files.process_alive import Who, is_alive, this_program

PREFIX, NOTE = "brucke-", ".who.json"
MAX_NOTE = 1000


def temporary_folder(what: str) -> "tempfile.TemporaryDirectory[str]":
    """A new one, gone with `cleanup`. Errors: OSError."""
    folder = tempfile.TemporaryDirectory(prefix=f"{PREFIX}{what}-", ignore_cleanup_errors=True)
    (Path(folder.name) / NOTE).write_bytes(msgspec.json.encode(this_program()))
    return folder


def sweep() -> int:
    """Those whose process has ended are taken away; how many. What is somebody else's, or no note says whose it is,
    stays."""
    gone = 0
    for folder in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        with contextlib.suppress(OSError, msgspec.DecodeError, msgspec.ValidationError):
            if folder.is_symlink() or not folder.is_dir() or folder.stat().st_uid != os.getuid():
                continue
            with open(folder / NOTE, "rb") as note:
                who = msgspec.json.decode(note.read(MAX_NOTE), type=Who)
            if not is_alive(who):
                shutil.rmtree(folder, ignore_errors=True)
                gone += 1
    return gone
