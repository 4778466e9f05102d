"""All recordings of a setup in one table: found by their words, shown, noted, doubled."""

import shutil
from concurrent.futures import Future
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QAbstractItemView, QVBoxLayout, QWidget

from ....app.jobs.background import BackgroundQueue
from ....app.recording.take_recorder import TakeRecorder
from ....core.document.cleaning import clean_text
from ....takes.judging import judge
from ....takes.summary import Summary, summary
from ....takes.take import Take, TakeError
from ....words.recordings import label_text, size_text
from ....words.review import take_text
from ....words.timing import clock_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.dialog import BesideWindow
from ...kit.field import TextField
from ...kit.file_work import FileWork
from ...kit.label import Words
from ...kit.row import ends
from ...kit.table import PlainTable
from ...theme.theme import Theme

HEAD = [_("Recording"), _("Length"), _("How it stands"), _("Size"), _("Kept as"), _("Notes")]
LOOK_MS = 100


def standing(take: Take) -> str:
    """In few words, for a table."""
    return "; ".join(dict.fromkeys(take_text(take.setup, v) for v in judge(take).values())) or _("not measured")


class RecordingsDialog(BesideWindow):
    """`typed` words narrow the table down. Lengths and sizes are looked up aside: a disk may take its time."""

    def __init__(self, theme: Theme, taking: TakeRecorder, parent: QWidget | None):
        super().__init__(_("All recordings"), 900, 560, parent)
        self.taking, self.typed = taking, ""
        self.field, self.table = TextField(theme, _("Words in it")), PlainTable(theme, _("Recordings"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.none = Words(theme, "body", "mute")
        self.notes = TextField(theme, _("Notes"))
        self.show_it, self.favourite = Button(theme, _("Show it"), "primary"), Button(theme, _("Favourite"), "choice")
        self.double = Button(theme, _("Duplicate"), "outline")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self._work = FileWork(self, lambda said: taking.session.noticed.emit(said, "mute"))
        self._known: dict[Path, Summary] = {}
        self._asked: dict[Path, Future[Summary]] = {}
        self._lane = BackgroundQueue("recordings")
        self._shown: list[Path] = []
        self._timer = QTimer(self)
        self._build(theme)
        self.follow(taking.changed, self.refresh)
        self.refresh()

    def _build(self, theme: Theme) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(10)
        find, notes = Words(theme, "small", "mute"), Words(theme, "small", "mute")
        find.say(_("Words in it: of its name, its day, its notes, how it stands"))
        notes.say(_("Notes"))
        for w in (find, self.field, self.table, self.none, notes, self.notes):
            column.addWidget(w, 1 if w is self.table else 0)
        column.addLayout(ends(self.show_it, self.favourite, self.double, right=self.away))
        self.field.textChanged.connect(self._search)
        self.notes.entered.connect(self._note)
        self.show_it.clicked.connect(self._show_chosen)
        self.favourite.clicked.connect(self._favour)
        self.double.clicked.connect(self._duplicate)
        self.away.clicked.connect(self.reject)
        self.table.doubleClicked.connect(lambda _index: self._show_chosen())
        selected = self.table.selectionModel()
        assert selected is not None
        selected.currentRowChanged.connect(lambda *_rows: self._show_of_chosen())
        self._timer.timeout.connect(self._take_answers)
        self.finished.connect(self._timer.stop)
        self.finished.connect(lambda _code: self._lane.close())

    # What is shown

    @property
    def chosen(self) -> Path | None:
        row = self.table.currentIndex().row()
        return self._shown[row] if 0 <= row < len(self._shown) else None

    def _take(self, folder: Path) -> Take:
        return next(t for f, t in self.taking.takes if f == folder)

    def refresh(self) -> None:
        before, rows, shown = self.chosen, [], []
        for i, (folder, take) in reversed(list(enumerate(self.taking.takes))):
            about = self._known.get(folder)
            if about is None and folder not in self._asked:
                self._asked[folder] = self._lane.do(lambda folder=folder, take=take: summary(folder, take))  # type: ignore[misc]
                self._timer.start(LOOK_MS)
            row = [
                label_text(take.date, self.taking.name_of(i)), clock_text(about.seconds) if about else "",
                standing(take), size_text(about.size) if about else "", _("favourite") if take.favourite else "",
                take.notes,
            ]  # fmt: skip
            if all(word in " ".join((*row, take.date)).casefold() for word in self.typed.casefold().split()):
                rows.append(row)
                shown.append(folder)
        self._shown = shown
        self.table.rows.show_rows(HEAD, rows)
        self.none.say("" if rows else _("No recording has these words.") if self.typed else _("No recording yet."))
        wanted = before if before in shown else self.taking.takes[self.taking.chosen][0] if self.taking.takes else None
        self.table.selectRow(shown.index(wanted) if wanted in shown else 0)
        self._show_of_chosen()

    def _show_of_chosen(self) -> None:
        folder = self.chosen
        for w in (self.show_it, self.favourite, self.double, self.notes):
            w.setEnabled(folder is not None and self.taking.state == "idle")
        if folder is not None:
            take = self._take(folder)
            self.favourite.setChecked(take.favourite)
            self.notes.show_text(take.notes)

    def _take_answers(self) -> None:
        done = [folder for folder, answer in self._asked.items() if answer.done()]
        for folder in done:
            answer = self._asked.pop(folder)
            if answer.exception() is None:
                self._known[folder] = answer.result()
        if not self._asked:
            self._timer.stop()
        if done:
            self.refresh()

    # What is done

    def _search(self, typed: str) -> None:
        self.typed = typed
        self.refresh()

    def _show_chosen(self) -> None:
        folder = self.chosen
        if folder is not None:
            self.taking.choose(next(i for i, (f, _t) in enumerate(self.taking.takes) if f == folder))
            self.accept()

    def _change(self, **fields: object) -> None:
        folder = self.chosen
        if folder is not None:
            try:
                self.taking.change(folder, lambda work: self._work.do(_("Noting it"), work), **fields)
            except (OSError, TakeError) as e:
                why = (getattr(e, "strerror", None) or str(e)).rstrip(".")
                self.taking.session.noticed.emit(_("Not noted: {why}.").format(why=why), "coral")
            self.refresh()

    def _favour(self) -> None:
        if self.chosen is not None:
            self._change(favourite=not self._take(self.chosen).favourite)

    def _note(self, text: str) -> None:
        self._change(notes=clean_text("notes", text))

    def _duplicate(self) -> None:
        """Beside it, whole or not at all."""
        folder = self.chosen
        if folder is None:
            return
        names = (f"{folder.name} copy{f' {i}' if i > 1 else ''}" for i in range(1, 1000))
        target = next(p for name in names if not (p := folder.with_name(name)).exists())
        partly = target.with_name(f".{target.name}.part")

        def copy() -> None:
            try:
                shutil.copytree(folder, partly)
                partly.rename(target)
            finally:
                shutil.rmtree(partly, ignore_errors=True)

        try:
            self._work.do(_("Duplicating"), copy)
        except (OSError, shutil.Error) as e:
            why = (getattr(e, "strerror", None) or str(e)).rstrip(".")
            self.taking.session.noticed.emit(_("Not duplicated: {why}.").format(why=why), "coral")
            return
        self.taking.take_back(target)
