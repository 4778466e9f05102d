"""Presets from a menu: our own, those that were saved, and files to share."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QInputDialog,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.document import presets
from ....core.document.own_file import FileProblem
from ....core.document.presets import OWN, PRESET_SUFFIX, Shelf, apply_preset, preset_of
from ....core.edits.chain_edits import Chain
from ....desk.session import Session
from ....words.shape import PRESET_NAMES
from ....words.translation import _


class Presets:
    """`owner()` is whose chain; everything said goes through the session's notice."""

    def __init__(self, parent: QWidget, session: Session, shelf: Shelf, owner: Callable[[], str]):
        self.parent, self.session, self.shelf, self.owner = parent, session, shelf, owner

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
        name, kept = QInputDialog.getText(self.parent, _("Save a preset"), _("Name"))
        if not kept or not name.strip():
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
        ShelfDialog(self.shelf, self._complain, self.parent).exec()

    def _complain(self, text: str) -> None:
        self.session.noticed.emit(text, "coral")


class ShelfDialog(QDialog):
    """Saved presets by name: rename one, or forget it."""

    def __init__(self, shelf: Shelf, complain: Callable[[str], None], parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Saved presets"))
        self.shelf, self.complain = shelf, complain
        self.list = QListWidget()
        self.list.setAccessibleName(_("Saved presets"))
        self.rename, self.forget = QPushButton(_("Rename…")), QPushButton(_("Forget"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        column = QVBoxLayout(self)
        for w in (self.list, self.rename, self.forget, buttons):
            column.addWidget(w)
        self.rename.clicked.connect(self._rename)
        self.forget.clicked.connect(self._forget)
        buttons.rejected.connect(self.reject)
        self._show()

    def _show(self) -> None:
        self.list.clear()
        self.list.addItems([p.name for p in self.shelf.presets()])
        self.list.setCurrentRow(0)
        for b in (self.rename, self.forget):
            b.setEnabled(self.list.count() > 0)

    def _chosen(self) -> str:
        item = self.list.currentItem()
        return item.text() if item is not None else ""

    def _rename(self) -> None:
        old = self._chosen()
        new, kept = QInputDialog.getText(self, _("Rename a preset"), _("Name"), text=old)
        if kept and new.strip() and new.strip() != old:
            try:
                self.shelf.rename(old, new)
            except (FileProblem, OSError) as e:
                self.complain(_("Not renamed: {why}.").format(why=e))
        self._show()

    def _forget(self) -> None:
        self.shelf.forget(self._chosen())
        self._show()
