"""The recording that is shown, as something that belongs to somebody: where it stands, and what its owner does with
it."""

import os
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QFile, QMimeData, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from ....app.recording.take_editing import TakeEditing
from ....app.recording.take_files import TakeFiles
from ....app.recording.take_folders import file_name
from ....app.studio import Studio
from ....takes.take import TakeError
from ....words.recordings import agreed_text, given_name, kept_at_text, label_text
from ....words.timing import listener_name
from ....words.translation import _
from ...kit.button import Button
from ...kit.file_work import FileWork
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.question import Line, Question
from ...theme.theme import Theme
from .hand_on_dialog import HandOnDialog
from .score_dialog import open_score

FILMS = _("Films (*.mkv *.mp4 *.webm *.mov *.avi);;All files (*)")
DELETED = _("{name} is in the wastebasket.")


class KeptLine(QWidget):
    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        session, taking, playback = studio.session, studio.taking, studio.playback
        self.studio, self.theme, self.session, self.taking, self.playback = studio, theme, session, taking, playback
        self.listener = ""
        self._files: TakeFiles | None = None
        self._gone: tuple[Path, Path] | None = None  # where it was, where it is now
        self._work = FileWork(self, lambda said: session.noticed.emit(said, "mute"))
        self.name = Words(theme, "strong", wraps=False)
        self.where = Words(theme, "small", "mute", wraps=False)
        self.agreed = Words(theme, "small", "mute", wraps=False)
        self.show_it = Button(theme, _("Show"), "plain")
        self.rename = Button(theme, _("Rename"), "plain")
        self.give = Button(theme, _("Give"), "plain")
        self.no_film = Button(theme, _("Without its film"), "plain")
        self.film, self.hand_on = Button(theme, _("Bring a film…"), "plain"), Button(theme, _("Hand on…"), "plain")
        self.edit = Button(theme, _("Edit…"), "plain")
        self.delete = Button(theme, _("Delete"), "plain")
        self.put_back = Button(theme, _("Put back"), "plain")
        flow = Flow(parent=self)
        for words in (self.name, self.where, self.agreed):
            flow.addWidget(words)
        for button, act in (
            (self.show_it, self._show), (self.rename, self._rename), (self.give, self._give),
            (self.film, self.bring_film), (self.no_film, self._leave_film), (self.edit, self.open_score),
            (self.hand_on, self.open_hand_on),
            (self.delete, self._delete), (self.put_back, self._put_back),
        ):  # fmt: skip
            flow.addWidget(button)
            button.clicked.connect(act)
        session.replaced.connect(self._forget_gone)

    def refresh(self) -> None:
        taking, take = self.taking, self.taking.take
        idle = taking.state == "idle"
        self.setVisible(take is not None or self._gone is not None)
        for b in (self.show_it, self.rename, self.give, self.film, self.edit, self.hand_on, self.delete):
            b.setVisible(take is not None)
        for b in (self.rename, self.give, self.film, self.edit, self.hand_on, self.delete):
            b.setEnabled(idle)
        self.no_film.setVisible(take is not None and take.film is not None)
        placing = self._files is not None and self._files.placing
        another = take is not None and take.film is not None
        self.film.setText(_("Stop looking") if placing else _("Another film…") if another else _("Bring a film…"))
        for b in (self.rename, self.delete, self.no_film):
            b.setEnabled(idle and not placing)
        self.put_back.setVisible(self._gone is not None)
        if take is None:
            self.name.say(DELETED.format(name=_("The recording")) if self._gone is not None else "")
            self.where.say("")
            self.agreed.say("")
            return
        folder, _other = taking.takes[taking.chosen]
        self.name.say(label_text(take.date, taking.name_of(taking.chosen)))
        self.where.say(kept_at_text(folder, self.session.is_demo))
        self.agreed.say(agreed_text(take.setup, take.knowledge, take.parts))

    def _forget_gone(self) -> None:
        self._gone = None

    def _chosen(self) -> Path:
        return self.taking.takes[self.taking.chosen][0]

    def _failed(self, what: str, e: Exception) -> None:
        why = (getattr(e, "strerror", None) or str(e)).rstrip(".")
        self.session.noticed.emit(_("{what}: {why}. The recording is as it was.").format(what=what, why=why), "coral")

    def _show(self) -> None:
        """Its folder, in whatever shows folders here."""
        folder = self._chosen()
        if not QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder))):
            self.session.noticed.emit(_("Nothing here shows folders. It is {folder}.").format(folder=folder), "amber")

    def _rename(self) -> None:
        taking = self.taking
        folder, take = taking.takes[taking.chosen]
        question = Question(
            self, self.theme, _("What shall this recording be called?"), ((_("Rename"), "rename"),),
            line=Line(_("Name of the recording"), taking.name_of(taking.chosen) or given_name(take.date,
            take.setup.name)),
        )  # fmt: skip
        question.exec()
        index = next((i for i, (f, _other) in enumerate(taking.takes) if f == folder), -1)
        if question.answer and index >= 0 and taking.state == "idle":
            self.playback.stop()
            try:
                taking.rename(index, question.typed)
            except OSError as e:
                self._failed(_("Not renamed"), e)

    def _give(self) -> None:
        """What the chosen listener got, as one file beside the recordings, ready to be pasted into a letter."""
        from ....takes.give import give_away  # libsndfile: not before it is needed

        taking = self.taking
        folder, take = taking.takes[taking.chosen]
        listener = self.listener
        called = taking.name_of(taking.chosen) or given_name(take.date, take.setup.name)
        name = file_name(f"{called}, {listener_name(take.setup, listener)}") if listener in take.listeners else ""
        try:
            file = self._work.do(_("Writing the file"), lambda: give_away(folder, take, listener, folder.parent, name))
        except (TakeError, OSError) as e:
            self._failed(_("Not written"), e)
            return
        data, clipboard = QMimeData(), QGuiApplication.clipboard()
        data.setUrls([QUrl.fromLocalFile(str(file))])
        if clipboard is not None:
            clipboard.setMimeData(data)
        self.session.noticed.emit(
            _("{name} is copied: paste it into a letter or a folder. It is in {parent}.").format(
                name=file.name, parent=file.parent
            ),
            "water",
        )

    @property
    def files(self) -> TakeFiles:
        """What comes to this recording, and goes out of it."""
        files = self.studio.service(TakeFiles)
        if self._files is None:
            self._files = files
            files.changed.connect(self._say_placed)
        return files

    def bring_film(self) -> None:
        """A film of a telephone or a streaming program is looked for in this recording."""
        files = self.files
        if self.taking.take is None or self.taking.state != "idle":
            return
        if files.placing:
            files.stop()
            return
        if files.doing:
            self.session.noticed.emit(_("Something is being looked for or written already. Wait for it."), "amber")
            return
        name, _kinds = QFileDialog.getOpenFileName(self, _("A film of this evening"), str(Path.home()), FILMS)
        if name:
            self.playback.stop()
            files.bring_film(self._chosen(), Path(name))
            text = _("{name} is looked for in the recording, by its sound.").format(name=Path(name).name)
            self.session.stands.emit(text, "amber", lambda: files.placing)

    def _say_placed(self) -> None:
        files = self.files
        self.refresh()
        if not files.doing and files.lines and files.last == "placing":
            self.session.noticed.emit(" ".join(files.lines), "water" if files.went_well else "coral")
            files.last = ""

    def _leave_film(self) -> None:
        """The recording has no film any more; its file stays in the folder."""
        folder = self._chosen()
        try:
            self.taking.change(folder, lambda work: self._work.do(_("Writing the recording"), work), film=None)
        except (OSError, TakeError) as e:
            self._failed(_("Not changed"), e)
            return
        self.session.noticed.emit(_("The recording has no film any more. Its file stays in its folder."), "water")

    def open_score(self) -> None:
        """The recording on one axis, where it is edited."""
        if self.taking.take is not None and self.taking.state == "idle":
            editing = self.studio.service(TakeEditing)

            def work(write: Callable[[], None]) -> None:
                self._work.do(_("Writing the edits"), write)

            open_score(self.theme, editing, self._chosen(), self.listener, work, self.window())

    def open_hand_on(self) -> None:
        take = self.taking.take
        if take is not None and self.taking.state == "idle":
            folder = self._chosen()
            dialog = HandOnDialog(self.theme, self.files, self.studio.settings, folder, take, self.window())
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.show()

    def _delete(self) -> None:
        """Into the desktop's wastebasket, from where it comes back with one press."""
        folder = self._chosen()
        self.playback.stop()
        try:
            done, there = self._work.do(_("Deleting"), lambda: QFile.moveToTrash(str(folder)))
            if not done:
                raise OSError(f"there is no wastebasket for {folder.parent}")
        except OSError as e:
            self._failed(_("Not deleted"), e)
            return
        self._gone = (folder, Path(there))
        self.taking.leave_out(folder)
        self.session.noticed.emit(DELETED.format(name=folder.name), "water")
        self.refresh()

    def _put_back(self) -> None:
        assert self._gone is not None
        folder, there = self._gone
        try:
            if folder.exists():
                raise FileExistsError(f"there is one called {folder.name} again")
            os.rename(there, folder)
            (there.parent.parent / "info" / f"{there.name}.trashinfo").unlink(missing_ok=True)
        except OSError as e:
            self._failed(_("Not put back"), e)
            return
        self._gone = None
        self.taking.take_back(folder)
