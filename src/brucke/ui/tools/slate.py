"""A film of flashes and beeps that belong together, written where somebody wants it."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from ...words.translation import _
from ..kit.action import Action
from .tool import Tool, ToolHost


def _write(host: ToolHost) -> None:
    from ...takes.slate import SUFFIXES, write_slate  # FFmpeg's libraries: not before they are needed
    from ...takes.take import TakeError

    noticed = host.studio.session.noticed
    start = str(Path.home() / "test film.mkv")
    name, _kinds = QFileDialog.getSaveFileName(
        host.parent, _("Write a test film"), start, f"{_('Films')} (*{' *'.join(SUFFIXES)})"
    )
    if not name:
        return
    path = Path(name if Path(name).suffix else f"{name}.mkv")
    try:
        host.write_file(_("Writing {file}").format(file=path.name), lambda: write_slate(path))
    except (TakeError, OSError) as e:
        noticed.emit(_("Not written. {why}.").format(why=e), "coral")
        return
    said = _(
        "{file} is written. Play it where your picture comes from, record what arrives, and look at that recording."
    )
    noticed.emit(said.format(file=path.name), "water")


SLATE = Tool(Action("slate", _("A test film for picture and sound…")), "picture", _("Write a test film…"), _write)
