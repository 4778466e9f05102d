"""A recording handed on: what it is for is asked, not which format; and what is in it is said before it goes."""

from pathlib import Path
from typing import cast

from platformdirs import user_music_path, user_videos_path
from PyQt6.QtCore import QSettings, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ....app.recording.take_files import TakeFiles
from ....takes.contents import Asked, Use, far_ends_heard, mix_of, parts_of
from ....takes.take import Take
from ....words.handing_on import USES, holds_text, use_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.dialog import BesideWindow
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.progress import progress_bar
from ...kit.row import ends
from ...theme.theme import Theme

LOUDNESS = (("", _("as loud as it is")), ("-16", _("−16 LUFS, for the net")), ("-23", _("−23 LUFS, for broadcast")))
HEARD_TOGETHER, ALONE = ("song", "film", "everything"), ("editor", "everything")
SETTING = "hand_on"


class HandOnDialog(BesideWindow):
    """Of one recording, the one that was shown when it was opened."""

    def __init__(
        self, theme: Theme, files: TakeFiles, settings: QSettings, folder: Path, take: Take, parent: QWidget | None
    ):
        super().__init__(_("Hand this recording on"), 640, 420, parent)
        self.theme, self.files, self.settings, self.folder, self.take = theme, files, settings, folder, take
        self.use = str(settings.value(f"{SETTING}/use", "song"))
        if self.use not in dict(USES) or (self.use == "film" and take.film is None):
            self.use = "song"
        self.loudness, self.with_far_end = str(settings.value(f"{SETTING}/loudness", "")), True
        kept = [(x.id, x.name) for x in take.setup.listeners if x.id in take.listeners]
        self.mix = mix_of(take) if kept else ""
        self.whose = Chips(theme, _("Whose sound"), kept, self._choose_mix)
        self.what = Words(theme, "name")
        self.uses = Chips(theme, _("What it is for"), [u for u in USES if u[0] != "film" or take.film], self._choose)
        self.about, self.holds = Words(theme, "body", "mute"), Words(theme, "body")
        self.louder = Chips(theme, _("Loudness"), LOUDNESS, self._choose_loudness)
        self.far_end = Button(theme, _("without the far end"), "choice")
        self.bar = progress_bar(_("Writing the files"), 100)
        self.lines = Words(theme, "body")
        self.write, self.stop = Button(theme, "", "primary", "Enter"), Button(theme, _("Cancel"))
        self.another = Button(theme, _("Another folder…"), "outline")
        self.show_it = Button(theme, _("Show the folder"), "outline")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self._home = self._folder()
        self._build()
        self.follow(files.changed, self.refresh)
        self.refresh()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        self.what.say(_("What is it for?  (1 to {n})").format(n=len(self.uses.buttons)))
        left_out = QWidget()
        Flow(8, left_out).addWidget(self.far_end)
        for w in (
            self.what, self.uses, self.about, self.whose, self.louder, left_out, self.holds, self.bar, self.lines
        ):  # fmt: skip
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(ends(self.write, self.another, self.stop, self.show_it, right=self.away))
        self.far_end.clicked.connect(self._leave_out)
        self.write.clicked.connect(self.write_files)
        self.another.clicked.connect(self.choose_folder)
        self.stop.clicked.connect(self.files.stop)
        self.show_it.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._home))))
        self.away.clicked.connect(self.reject)

    @property
    def _far_ends(self) -> bool:
        return any(p.kind == "far_end" for p in self.take.setup.parts if p.id in self.take.parts)

    def _folder(self) -> Path:
        """Where it was written last; else where films or music belong."""
        last = str(self.settings.value(f"{SETTING}/folder", ""))
        if last and Path(last).is_dir():
            return Path(last)
        return user_videos_path() if self.use == "film" else user_music_path()

    def _choose(self, use: str) -> None:
        self.use = use
        self._home = self._home if self.files.doing else self._folder()
        self.settings.setValue(f"{SETTING}/use", use)
        self.refresh()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        """A digit chooses what it is for, Enter writes it."""
        uses = list(self.uses.buttons)
        if e is not None and e.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.write.isVisible():
            self.write_files()
            return
        at = e.key() - Qt.Key.Key_1 if e is not None else -1
        if 0 <= at < len(uses) and not self.files.doing:
            self._choose(uses[at])
        else:
            super().keyPressEvent(e)

    def _choose_mix(self, listener: str) -> None:
        self.mix = listener
        self.refresh()

    def _choose_loudness(self, lufs: str) -> None:
        self.loudness = lufs
        self.settings.setValue(f"{SETTING}/loudness", lufs)
        self.refresh()

    def _leave_out(self) -> None:
        self.with_far_end = not self.with_far_end
        self.refresh()

    def choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, _("The folder for the new files"), str(self._home))
        if name:
            self.settings.setValue(f"{SETTING}/folder", name)
            self._home = Path(name)
            self.write_files()

    def write_files(self) -> None:
        if not self.files.doing:
            loudness = float(self.loudness) if self.loudness and self.use in HEARD_TOGETHER else None
            asked = Asked(cast(Use, self.use), self.with_far_end, loudness, self.mix)
            self.files.hand_on(self.folder, self._home, asked)

    def _holds(self) -> str:
        """What goes along, and who of the far ends is in it."""
        alone = [p.id for p in parts_of(self.take, self.with_far_end)] if self.use in ALONE else []
        heard = set(far_ends_heard(self.take, self.mix)) if self.use in HEARD_TOGETHER and self.with_far_end else set()
        theirs = [p.id for p in self.take.setup.parts if p.kind == "far_end" and (p.id in heard or p.id in alone)]
        return holds_text(self.take.setup, self.take.knowledge, alone, theirs)

    def refresh(self) -> None:
        files = self.files
        busy = files.doing == "handing"
        self.uses.show_on(self.use)
        self.about.say(use_text(self.use))
        self.louder.setVisible(self.use in HEARD_TOGETHER)
        self.louder.show_on(self.loudness)
        self.far_end.setVisible(self._far_ends)
        self.far_end.setChecked(not self.with_far_end)
        self.whose.setVisible(self.use in HEARD_TOGETHER and len(self.whose.buttons) > 1)
        self.whose.show_on(self.mix)
        self.holds.say(self._holds())
        for w in (self.uses, self.louder, self.far_end):
            w.setEnabled(not busy)
        self.write.setText(_("Write into {folder}").format(folder=_short(self._home)))
        for b in (self.write, self.another):
            b.setVisible(not busy)
            b.setEnabled(not files.doing)
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)
        self.bar.setValue(round(100 * files.job.share))
        self.lines.say("" if busy else "\n".join(files.lines), "ink" if files.went_well else "coral")
        self.show_it.setVisible(not busy and files.went_well and bool(self._home.name))


def _short(folder: Path) -> str:
    """“~/Music”."""
    home = Path.home()
    return f"~/{folder.relative_to(home)}" if folder != home and folder.is_relative_to(home) else str(folder)
