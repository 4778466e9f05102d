"""Asks which sound files are meant."""

from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog, QWidget

from ...words.translation import _


def ask_for_sounds(parent: QWidget, settings: QSettings) -> list[Path]:
    """Sound files somebody chooses, from where they did it last."""
    from ...ports.sounds.track import SUFFIXES

    folder = str(settings.value("tracks", str(Path.home())))
    kinds = " ".join(f"*.{s}" for s in SUFFIXES)
    names, _kind = QFileDialog.getOpenFileNames(
        parent, _("Backing tracks"), folder, _("Sound and video ({kinds})").format(kinds=kinds)
    )
    if names:
        settings.setValue("tracks", str(Path(names[0]).parent))
    return [Path(n) for n in names]
