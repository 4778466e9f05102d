"""A stretch of a recording as a recording of its own: the same files, everything else of it left out. Sounds and films
are linked, not copied; nothing of either ever changes them."""

import os
import shutil
from pathlib import Path

from msgspec.structs import replace

from ...takes.edits import Edits, Stretch, keep_only
from ...takes.take import load_take, save_take
from ...words.timing import clock_text
from .take_folders import file_name

KEPT_WHOLE = (".wav", ".mkv", ".mp4", ".webm", ".mov", ".avi")


def split_off(folder: Path, edits: Edits, stretch: Stretch, seconds: float) -> Path:
    """The new folder, beside `folder`, whole or not at all. Errors: OSError, shutil.Error, TakeError."""
    begin, end = (clock_text(s).replace(":", ".") for s in (stretch.begin_s, stretch.end_s))
    name = file_name(f"{folder.name}, {begin} to {end}") or "split"
    names = (f"{name}{f' {i}' if i > 1 else ''}" for i in range(1, 1000))
    target = next(p for n in names if not (p := folder.with_name(n)).exists())
    partly = target.with_name(f".{target.name}.part")
    try:
        shutil.copytree(folder, partly, copy_function=_linked)
        take = load_take(partly)
        save_take(partly, replace(take, edits=keep_only(edits, stretch, seconds), favourite=False, proof={}))
        partly.rename(target)
    finally:
        shutil.rmtree(partly, ignore_errors=True)
    return target


def _linked(source: str, target: str) -> str:
    """A second name where the disk can do that, else a copy."""
    if source.lower().endswith(KEPT_WHOLE):
        try:
            os.link(source, target)
            return target
        except OSError:
            pass
    return str(shutil.copy2(source, target))
