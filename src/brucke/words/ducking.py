"""Ducking, in words: what goes down under whom, and by how much it is down now."""

from collections.abc import Mapping

from ..core.document.setup import Setup
from .detail import choose
from .timing import part_name
from .translation import _

NOBODY = _("nobody")
SHORT = {"depth_db": _("by"), "threshold_db": _("above"), "release_ms": _("back within")}
SAID_FROM_DB = 3.0  # what is less is hardly heard as softer


def down_text(setup: Setup, less_db: Mapping[str, float]) -> str:
    """Parts that are held down at one listener now, “” where none is: {part: dB}."""
    down = [(part_name(setup, p).lower(), db) for p, db in less_db.items() if db >= SAID_FROM_DB]
    said = choose(_("{part} down"), _("{part} {db:.0f} dB down"))
    return ", ".join(said.format(part=part, db=db) for part, db in down)
