"""Presets from a menu: our own, those that were saved, and files to share."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from ....app.session.session import Session
from ....core.edits.chain_edits import Chain
from ....core.storage import presets
from ....core.storage.presets import OWN, PRESET_SUFFIX, Shelf, apply_preset, preset_of
from ....core.storage.small_files import FileProblem
from ....words.shape import PRESET_NAMES
from ....words.translation import _
from ...kit.question import ask_name
from ...theme.theme import Theme
from .shelf_dialog import ShelfDialog


class Presets:
    """`owner()` is whose chain; everything said goes through the session's notice."""

    def __init__(self, theme: Theme, parent: QWidget, session: Session, shelf: Shelf, owner: Callable[[], str]):
        self.theme, self.parent, self.session, self.shelf, self.owner = theme, parent, session, shelf, owner

    def lines(self) -> list[tuple[str, Callable[[], None]]]:
        """What the menu offers: (what it says, what it does)."""
        found: list[tuple[str, Callable[[], None]]] = [
            (PRESET_NAMES[code].capitalize(), partial(self.apply, PRESET_NAMES[code], chain))
            for code, chain in OWN.items()
        ]
        found += [(f"“{p.name}”", partial(self.apply, p.name, p.chain)) for p in self.shelf.presets()]
        found.append((_("Save this chain as a preset…"), self.save))
        found.append((_("From a file…"), self.from_file))
        found.append((_("To a file…"), self.to_file))
        if self.shelf.presets():
            found.append((_("Rename or forget presets…"), self.manage))
        return found

    def apply(self, name: str, chain: Chain) -> None:
        after = apply_preset(self.session.setup, self.owner(), chain)
        self.session.edit(_("{name} chosen").format(name=name), after, "shape", f"{self.owner()}/0")

    def save(self) -> None:
        name = ask_name(self.parent, self.theme, _("Save this chain as a preset."), _("Save"))
        if not name:
            return
        try:
            self.shelf.keep(preset_of(self.session.setup, self.owner(), name))
        except OSError as e:
            self._complain(_("Not saved. {why}.").format(why=(e.strerror or str(e)).lower()))
            return
        self.session.noticed.emit(_("Saved as “{name}”.").format(name=name.strip()), "water")

    def to_file(self) -> None:
        start = str(Path.home() / f"{_('chain')}{PRESET_SUFFIX}")
        file, _kind = QFileDialog.getSaveFileName(self.parent, _("Share this chain"), start, f"(*{PRESET_SUFFIX})")
        if not file:
            return
        path = Path(file if file.endswith(".json") else file + PRESET_SUFFIX)
        try:
            name = path.name.removesuffix(".json").removesuffix(".chain") or _("chain")
            presets.save_preset(path, preset_of(self.session.setup, self.owner(), name))
        except OSError as e:
            self._complain(
                _("Not shared. {file}: {why}.").format(file=path.name, why=(e.strerror or str(e)).lower())
            )  # fmt: skip
            return
        self.session.noticed.emit(_("Shared as {file}.").format(file=path.name), "water")

    def from_file(self) -> None:
        file, _kind = QFileDialog.getOpenFileName(self.parent, _("Take a chain"), str(Path.home()), "(*.json)")
        if not file:
            return
        try:
            preset = presets.load_preset(Path(file))
        except FileProblem as e:
            self._complain(_("Not taken. {why}.").format(why=e))
            return
        self.apply(preset.name, preset.chain)

    def manage(self) -> None:
        ShelfDialog(self.theme, self.shelf, self.parent).exec()

    def _complain(self, text: str) -> None:
        self.session.noticed.emit(text, "coral")
