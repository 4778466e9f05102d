"""New, open, save, duplicate, export, import: the dialogs around the document, and what they say when it fails."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QMessageBox,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from ...core.document.bundle import BUNDLE_SUFFIX
from ...core.document.setup import Setup
from ...core.document.setup_file import SUFFIX, SetupError
from ...core.edits.route_edits import rename, set_notes
from ...demo import FOLDER
from ...desk.documents import Documents
from ...desk.session import Session
from ..kit.field import TextField
from ..theme.theme import Theme
from .notice import Notice


class Filing:
    def __init__(self, window: QWidget, theme: Theme, session: Session, documents: Documents, notice: Notice):
        self.window, self.theme, self.session = window, theme, session
        self.documents, self.notice = documents, notice
        self.settings = documents.settings

    def folder(self) -> str:
        return str(self.settings.value("folder", str(Path.home())))

    # Losing nothing

    def may_leave(self) -> bool:
        """Ask where something is not saved; whether the document may be left."""
        if not self.session.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self.window, "Brucke", f"“{self.session.setup.name}” has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel, buttons.Save,
        )  # fmt: skip
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    # New and open

    def new(self) -> bool:
        if not self.may_leave():
            return False
        self.notice.clear()
        self.session.replace(Setup())
        return True

    def open(self) -> bool:
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Open a setup", self.folder(), f"Setups (*{SUFFIX} *.json *{BUNDLE_SUFFIX})"
        )
        return bool(name) and self.open_file(Path(name))

    def open_file(self, path: Path) -> bool:
        """Replace the document; on an error the open one stays."""
        if not self.may_leave():
            return False
        self.notice.clear()
        try:
            self.documents.read(path)
        except SetupError as e:
            self.notice.say(f"Not opened. {e}.", "coral")
            return False
        self._remember()
        return True

    def _remember(self) -> None:
        if self.session.path is not None and self.writable(self.session.path):
            self.documents.remember(self.session.path)
            self.settings.setValue("folder", str(self.session.path.parent))

    # Save

    def writable(self, path: Path) -> bool:
        """The demo's own file is never written over."""
        return path.parent != FOLDER

    def save(self) -> bool:
        if self.session.path is None or not self.writable(self.session.path):
            return self.save_as()
        return self._save_to(self.session.path)

    def save_as(self) -> bool:
        start = str(Path(self.folder()) / f"{self.session.setup.name}{SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the setup", start, f"Setups (*{SUFFIX})")
        return bool(name) and self._save_to(Path(name))

    def _save_to(self, path: Path) -> bool:
        try:
            self.session.save_as(path)
        except OSError as e:
            reason = (e.strerror or str(e)).lower()
            self.notice.say(f"Not saved. {path.name}: {reason}. The open setup is unchanged.", "coral")
            return False
        self._remember()
        assert self.session.path is not None
        self.notice.say(f"Saved as {self.session.path.name}.", "water")
        return True

    def double(self) -> None:
        """The same setup once more, under a name of its own, not saved yet."""
        s = self.session
        folders = s.folders
        s.replace(replace(s.setup, name=f"{s.setup.name} copy"), s.knowledge, None, folders, saved=False)
        self.notice.say("This is a copy; the one it was made from is as it was saved.", "water")

    # One file

    def export(self) -> None:
        start = str(Path(self.folder()) / f"{self.session.setup.name}{BUNDLE_SUFFIX}")
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Export with its sounds", start, f"Exported setups (*{BUNDLE_SUFFIX})"
        )
        if not name:
            return
        path = Path(name if name.endswith(".zip") else name + BUNDLE_SUFFIX)
        try:
            self.documents.export(path)
        except (SetupError, OSError) as e:
            self.notice.say(f"Not exported. {e}.", "coral")
            return
        self.notice.say(f"Exported as {path.name}.", "water")

    def import_(self) -> bool:
        name, _ = QFileDialog.getOpenFileName(
            self.window, "Import an exported setup", self.folder(), f"Exported setups (*{BUNDLE_SUFFIX} *.zip)"
        )
        return bool(name) and self.open_file(Path(name))

    # Name and notes

    def name(self) -> None:
        dialog = NotesDialog(self.theme, self.session.setup, self.window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            setup = set_notes(rename(self.session.setup, dialog.name.text()), dialog.notes.toPlainText())
            self.session.edit("name and notes", setup, "gather")


class NotesDialog(QDialog):
    """The name of the setup, and what to remember for the hour."""

    def __init__(self, theme: Theme, setup: Setup, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle("Name and notes")
        self.resize(520, 360)
        self.name = TextField(theme, "Name of the setup")
        self.name.setText(setup.name)
        self.notes = QPlainTextEdit(setup.notes)
        self.notes.setAccessibleName("Notes")
        self.notes.setPlaceholderText("What to remember for the hour: cables, keys, who sings when")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        column = QVBoxLayout(self)
        for w in (self.name, self.notes, buttons):
            column.addWidget(w)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self.name.setFocus()
