"""New, open, save, duplicate, export, import: the dialogs around the document, and what they say when it fails."""

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from ...app.documents.documents import Documents
from ...app.session.session import Session
from ...core.document.setup import Setup
from ...core.edits.route_edits import rename, set_notes
from ...core.storage.bundle import BUNDLE_SUFFIX
from ...core.storage.setup_file import SUFFIX, SetupError
from ...demo import FOLDER
from ...words.translation import _
from ..kit.button import Button
from ..kit.field import TextField
from ..kit.file_work import FileWork
from ..kit.row import ends
from ..theme.theme import Theme
from .notice import Notice
from .questions import whether_saved


class DocumentDialogs:
    def __init__(self, window: QWidget, theme: Theme, session: Session, documents: Documents, notice: Notice):
        self.window, self.theme, self.session = window, theme, session
        self.documents, self.notice = documents, notice
        self.settings = documents.settings
        self.work = FileWork(window, lambda said: notice.say(said, "mute"))

    def folder(self) -> str:
        return str(self.settings.value("folder", str(Path.home())))

    # Losing nothing

    def free_to_leave(self, no_take: bool) -> bool:
        """Another document only where nothing goes out and nothing is being recorded."""
        if self.session.live.on_air:
            self.notice.say(_("They hear you: no other setup is opened. F9 first."), "heard")
            return False
        if not no_take:
            self.notice.say(_("You are recording. End that first (R), then open another setup."), "amber")
        return no_take

    def may_leave(self) -> bool:
        """Ask where something is not saved; whether the document may be left."""
        if not self.session.unsaved:
            return True
        answer = whether_saved(self.window, self.theme, self.session.setup.name)
        return self.save() if answer == "save" else answer == "discard"

    # New and open

    def _nothing_under_way(self) -> bool:
        """What is being written would be taken for another document's."""
        if self.work.busy:
            self.notice.say(
                _("{busy} is not done yet. Open another setup when it is.").format(busy=self.work.busy), "amber"
            )
        return not self.work.busy

    def new(self) -> bool:
        if not self._nothing_under_way() or not self.may_leave():
            return False
        self.notice.clear()
        self.session.replace(Setup())
        return True

    def open(self) -> bool:
        name, _other = QFileDialog.getOpenFileName(
            self.window, _("Open a setup"), self.folder(), f"Setups (*{SUFFIX} *.json *{BUNDLE_SUFFIX})"
        )
        return bool(name) and self.open_file(Path(name))

    def open_file(self, path: Path) -> bool:
        """Replace the document; on an error the open one stays."""
        if not self._nothing_under_way() or not self.may_leave():
            return False
        self.notice.clear()
        try:
            self.documents.read(path)
        except SetupError as e:
            self.notice.say(_("Not opened. {why}.").format(why=e), "coral")
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
        return self.save_to(self.session.path)

    def save_as(self) -> bool:
        start = str(Path(self.folder()) / f"{self.session.setup.name}{SUFFIX}")
        name, _other = QFileDialog.getSaveFileName(self.window, _("Save the setup"), start, f"Setups (*{SUFFIX})")
        return bool(name) and self.save_to(Path(name))

    def save_to(self, path: Path) -> bool:
        try:
            self.session.save_as(path, lambda write: self.work.do(_("Saving"), write))
        except OSError as e:
            reason = (e.strerror or str(e)).lower()
            self.notice.say(
                _("Not saved. {name}: {reason}. The open setup is unchanged.").format(name=path.name, reason=reason),
                "coral",
            )
            return False
        self._remember()
        assert self.session.path is not None
        self.notice.say(_("Saved as {name}.").format(name=self.session.path.name), "water")
        return True

    def double(self) -> None:
        """The same setup once more, under a name of its own, not saved yet."""
        s = self.session
        folders = s.folders
        s.replace(replace(s.setup, name=f"{s.setup.name} copy"), s.knowledge, None, folders, saved=False)
        self.notice.say(_("This is a copy; the one it was made from is as it was saved."), "water")

    # One file

    def export(self) -> None:
        start = str(Path(self.folder()) / f"{self.session.setup.name}{BUNDLE_SUFFIX}")
        name, _other = QFileDialog.getSaveFileName(
            self.window,
            _("Export with its sounds"),
            start,
            _("Exported setups (*{suffix})").format(suffix=BUNDLE_SUFFIX),
        )
        if not name:
            return
        path = Path(name if name.endswith(".zip") else name + BUNDLE_SUFFIX)
        try:
            self.documents.export(path, lambda write: self.work.do(_("Exporting"), write))
        except (SetupError, OSError) as e:
            self.notice.say(_("Not exported. {why}.").format(why=e), "coral")
            return
        self.notice.say(_("Exported as {name}.").format(name=path.name), "water")

    def import_(self) -> bool:
        name, _other = QFileDialog.getOpenFileName(
            self.window,
            _("Import an exported setup"),
            self.folder(),
            _("Exported setups (*{suffix} *.zip)").format(suffix=BUNDLE_SUFFIX),
        )
        return bool(name) and self.open_file(Path(name))

    # Name and notes

    def name(self) -> None:
        dialog = NotesDialog(self.theme, self.session.setup, self.window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            setup = set_notes(rename(self.session.setup, dialog.name.text()), dialog.notes.toPlainText())
            self.session.edit(_("name and notes"), setup, "gather")


class NotesDialog(QDialog):
    """The name of the setup, and what to remember for the hour."""

    def __init__(self, theme: Theme, setup: Setup, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Name and notes"))
        self.resize(520, 360)
        self.name = TextField(theme, _("Name of the setup"))
        self.name.setText(setup.name)
        self.notes = QPlainTextEdit(setup.notes)
        self.notes.setAccessibleName(_("Notes"))
        self.notes.setPlaceholderText(_("What to remember for the hour: cables, keys, who sings when"))
        self.keep, self.leave = Button(theme, _("Keep"), "primary"), Button(theme, _("Cancel"), "plain", "Esc")
        column = QVBoxLayout(self)
        for w in (self.name, self.notes):
            column.addWidget(w)
        column.addLayout(ends(self.keep, right=self.leave))
        self.keep.clicked.connect(self.accept)
        self.leave.clicked.connect(self.reject)
        self.name.setFocus()
