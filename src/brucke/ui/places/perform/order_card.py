"""The running order to be edited: its lines, and everything of the chosen one."""

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog, QListWidget, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.document.setup import LineKind, OrderLine
from ....core.edits import order_edits
from ....core.storage.order_file import order_text, read_order
from ....core.storage.small_files import FileProblem
from ....words import perform as words
from ....words.mishaps import NAMES
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.field import NumberField, TextField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.scroll_bar import own_scroll_bars
from ...theme.theme import Theme

STAYS = "-"


class OrderPage(QWidget):
    """`tries(index)` when a line is tried out."""

    def __init__(self, theme: Theme, studio: Studio, tries: Callable[[int], None]):
        super().__init__()
        self.theme, self.studio, self.session = theme, studio, studio.session
        self.at = 0
        self.list = QListWidget()
        self.list.setAccessibleName(_("Lines of the running order"))
        own_scroll_bars(self.list, theme, "card")
        self.tools = [
            Button(theme, _("Add a song"), "outline"), Button(theme, _("Add talk"), "outline"),
            Button(theme, _("Add a pause"), "outline"), Button(theme, _("Every track a song"), "outline"),
        ]  # fmt: skip
        self.up, self.down = Button(theme, _("Up"), "plain"), Button(theme, _("Down"), "plain")
        self.twice, self.away = Button(theme, _("Duplicate"), "plain"), Button(theme, _("Remove"), "plain")
        self.attempt = Button(theme, _("Try it"), "outline")
        self.read, self.write = Button(theme, _("Read a table…"), "plain"), Button(theme, _("Write a table…"), "plain")
        self.said = {code: Button(theme, text, "choice") for code, text in NAMES.items()}
        for code, button in self.said.items():
            button.clicked.connect(lambda _checked=False, code=code: self._switch(code))
        self._build_fields()
        self._build()
        kinds: tuple[LineKind, ...] = ("song", "talk", "pause")
        for button, kind in zip(self.tools, kinds, strict=False):
            button.clicked.connect(lambda _checked=False, kind=kind: self._add(kind))
        self.tools[3].clicked.connect(self._every_track)
        self.up.clicked.connect(lambda: self._move(-1))
        self.down.clicked.connect(lambda: self._move(1))
        self.twice.clicked.connect(lambda: self._edit(_("duplicated"), order_edits.duplicate_line, self.at + 1))
        self.away.clicked.connect(lambda: self._edit(_("removed"), order_edits.remove_line, self.at))
        self.attempt.clicked.connect(lambda: tries(self.at))
        self.read.clicked.connect(self._read)
        self.write.clicked.connect(self._write)
        self.list.currentRowChanged.connect(self._chosen)
        self.refresh()

    def _build_fields(self) -> None:
        theme = self.theme
        self.name, self.note = TextField(theme, _("Name of the line")), TextField(theme, _("Note in large type"))
        self.track = Chips(theme, _("Backing track"), (), lambda file: self._change(_("track"), file=file))
        self.begin = NumberField(theme, _("From"), 0, 36_000, "s")
        self.end = NumberField(theme, _("To, 0 for its end"), 0, 36_000, "s")
        self.lasts = NumberField(theme, _("Takes about"), 0, 36_000, "s", 0)
        self.moment = Chips(theme, _("Moment"), (), lambda id: self._change(_("moment"), moment=id.strip(STAYS)))
        self.after = Chips(theme, _("Afterwards"), (), lambda id: self._change(_("afterwards"), after=id.strip(STAYS)))
        self.goes_on = Button(theme, _("the next line begins by itself"), "choice")
        self.name.entered.connect(lambda text: self._change(_("name"), name=text))
        self.note.entered.connect(lambda text: self._change(_("note"), note=text))
        self.begin.entered.connect(lambda v: self._change(_("from"), from_s=v))
        self.end.entered.connect(lambda v: self._change(_("to"), to_s=v))
        self.lasts.entered.connect(lambda v: self._change(_("takes about"), lasts_s=v))
        self.goes_on.clicked.connect(lambda: self._change(_("goes on"), goes_on=not self._line().goes_on))

    def _titled(self, text: str, *widgets: QWidget) -> list[QWidget]:
        title = Words(self.theme, "small", "mute", wraps=False)
        title.say(text)
        return [title, *widgets]

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        mishaps = QWidget()
        said = Flow(6, mishaps)
        title = Words(self.theme, "small", "mute", wraps=False)
        title.say(_("Said while it goes"))
        said.addWidget(title)
        for button in self.said.values():
            said.addWidget(button)
        for group in ((*self.tools, self.read, self.write), (self.up, self.down, self.twice, self.away, self.attempt)):
            holder = QWidget()
            flow = Flow(8, holder)
            for w in group:
                flow.addWidget(w)
            column.addWidget(holder)
            if group[0] is self.tools[0]:
                column.addWidget(self.list, 1)
        column.addWidget(mishaps)
        self.card = Card(self.theme)
        self._song = [
            *self._titled(_("Backing track"), self.track),
            *self._titled(_("From, and to"), self.begin, self.end),
        ]
        self._song += [*self._titled(_("Once it has ended"), self.after), self.goes_on]
        self._other = self._titled(_("Takes about"), self.lasts)
        for field in (
            *self._titled(_("Name"), self.name), *self._titled(_("Moment"), self.moment), *self._song, *self._other,
            *self._titled(_("Note in large type"), self.note),
        ):  # fmt: skip
            self.card.column.addWidget(field)
        self.card.column.addStretch(1)

    # What is shown

    def _line(self) -> OrderLine:
        return self.session.setup.order[self.at]

    def refresh(self) -> None:
        setup = self.session.setup
        self.at = min(self.at, max(0, len(setup.order) - 1))
        rows = [f"{i + 1}   {words.line_name(x)}   ({words.KINDS[x.kind]})" for i, x in enumerate(setup.order)]
        self.list.blockSignals(True)
        if rows != [self.list.item(i).text() for i in range(self.list.count())]:  # type: ignore[union-attr]
            self.list.clear()
            self.list.addItems(rows)
        self.list.setCurrentRow(self.at if rows else -1)
        self.list.blockSignals(False)
        for code, button in self.said.items():
            button.setChecked(code not in self.studio.mishaps.off)
        part = order_edits.backing_track(setup)
        self.tools[0].setEnabled(part is not None)
        self.tools[3].setVisible(part is not None and not setup.order)
        for w in (self.up, self.down, self.twice, self.away, self.attempt, self.card):
            w.setEnabled(bool(rows))
        self.card.setVisible(bool(rows))
        if rows:
            self._show(self._line())

    def _show(self, line: OrderLine) -> None:
        setup = self.session.setup
        moments = [(STAYS, _("as it is")), *((m.id, m.name) for m in setup.moments)]
        part = order_edits.backing_track(setup)
        for chips, on in ((self.moment, line.moment), (self.after, line.after)):
            chips.offer(moments)
            chips.show_on(on or STAYS)
        self.track.offer([(t.file, order_edits.song_name(t.file)) for t in part.tracks] if part is not None else [])
        self.track.show_on(line.file)
        self.name.show_text(words.line_name(line))
        self.note.show_text(line.note)
        self.begin.show_value(line.from_s)
        self.end.show_value(line.to_s)
        self.lasts.show_value(line.lasts_s)
        self.goes_on.setChecked(line.goes_on)
        for w in self._song:
            w.setVisible(line.kind == "song")
        for w in self._other:
            w.setVisible(line.kind != "song")

    # What is done

    def _switch(self, code: str) -> None:
        """Whether one kind of mishap is said."""
        mishaps = self.studio.mishaps
        mishaps.switch(code, code in mishaps.off)
        self.refresh()

    def _chosen(self, row: int) -> None:
        if row >= 0:
            self.at = row
            self.refresh()

    def _edit(self, what: str, edit: Callable[..., object], to: int, *more: object, **fields: object) -> None:
        setup = self.session.setup
        if setup.order:
            after = edit(setup, self.at, *more, **fields)
            name = words.line_name(self._line())
            self.at = to
            self.session.edit(f"{name}: {what}", after, "perform")  # type: ignore[arg-type]

    def _change(self, what: str, **fields: object) -> None:
        self._edit(what, order_edits.change_line, self.at, **fields)

    def _move(self, by: int) -> None:
        to = min(max(self.at + by, 0), len(self.session.setup.order) - 1)
        self._edit(_("moved"), order_edits.move_line, to, to)

    def _add(self, kind: LineKind) -> None:
        setup = self.session.setup
        at = self.at if setup.order else None
        name = words.NEW_NAMES[kind]
        after = order_edits.add_line(setup, kind, name, at)
        index = 0 if at is None else at + 1
        if kind == "song" and index < len(after.order) and after.order[index].file:
            after = order_edits.change_line(after, index, name=order_edits.song_name(after.order[index].file))
        self.at = index
        self.session.edit(_("{line} added").format(line=name), after, "perform")

    def _every_track(self) -> None:
        after = order_edits.every_track(self.session.setup, words.NEW_NAMES["talk"])
        self.session.edit(_("every track a song"), after, "perform")

    def _read(self) -> None:
        file, _kind = QFileDialog.getOpenFileName(self, _("A running order"), self._folder(), _("Tables (*.csv)"))
        if not file:
            return
        try:
            order = read_order(Path(file), self.session.setup.moments)
        except (FileProblem, OSError) as e:
            self.session.noticed.emit(_("Not read. {why}.").format(why=e), "coral")
            return
        self.at = 0
        self.session.edit(_("running order read"), replace(self.session.setup, order=order), "perform")

    def _write(self) -> None:
        start = str(Path(self._folder()) / f"{self.session.setup.name}.csv")
        file, _kind = QFileDialog.getSaveFileName(self, _("The running order as a table"), start, _("Tables (*.csv)"))
        if not file:
            return
        try:
            setup = self.session.setup
            Path(file).write_text(order_text(setup.order, setup.moments), encoding="utf-8", newline="")
        except OSError as e:
            said = _("Not written. {file}: {why}.").format(file=Path(file).name, why=(e.strerror or str(e)).lower())
            self.session.noticed.emit(said, "coral")
            return
        self.session.noticed.emit(_("Written: {file}.").format(file=Path(file).name), "water")

    def _folder(self) -> str:
        path = self.session.path
        return str(path.parent if path is not None else Path.home())
