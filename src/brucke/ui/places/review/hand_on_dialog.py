"""A recording handed on: what it is for is asked, not which format; and what is in it is said before it goes."""

from pathlib import Path
from typing import cast

from PyQt6.QtCore import QSettings, QUrl
from PyQt6.QtGui import QDesktopServices
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
        self.write, self.stop = Button(theme, _("Write into a folder…"), "primary"), Button(theme, _("Cancel"))
        self.show_it = Button(theme, _("Show the folder"), "outline")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self._home = Path()
        self._build()
        self.follow(files.changed, self.refresh)
        self.refresh()

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        self.what.say(_("What is it for?"))
        left_out = QWidget()
        Flow(8, left_out).addWidget(self.far_end)
        for w in (
            self.what, self.uses, self.about, self.whose, self.louder, left_out, self.holds, self.bar, self.lines
        ):  # fmt: skip
            column.addWidget(w)
        column.addStretch(1)
        column.addLayout(ends(self.write, self.stop, self.show_it, right=self.away))
        self.far_end.clicked.connect(self._leave_out)
        self.write.clicked.connect(self.choose_folder)
        self.stop.clicked.connect(self.files.stop)
        self.show_it.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._home))))
        self.away.clicked.connect(self.reject)

    @property
    def _far_ends(self) -> bool:
        return any(p.kind == "far_end" for p in self.take.setup.parts if p.id in self.take.parts)

    def _choose(self, use: str) -> None:
        self.use = use
        self.settings.setValue(f"{SETTING}/use", use)
        self.refresh()

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
        start = str(self.settings.value(f"{SETTING}/folder", str(Path.home())))
        name = QFileDialog.getExistingDirectory(self, _("The folder for the new files"), start)
        if name:
            self.settings.setValue(f"{SETTING}/folder", name)
            self._home = Path(name)
            loudness = float(self.loudness) if self.loudness and self.use in HEARD_TOGETHER else None
            self.files.hand_on(
                self.folder, self._home, Asked(cast(Use, self.use), self.with_far_end, loudness, self.mix)
            )

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
        self.write.setVisible(not busy)
        self.write.setEnabled(not files.doing)
        self.stop.setVisible(busy)
        self.bar.setVisible(busy)
        self.bar.setValue(round(100 * files.job.share))
        self.lines.say("" if busy else "\n".join(files.lines), "ink" if files.went_well else "coral")
        self.show_it.setVisible(not busy and files.went_well and bool(self._home.name))
