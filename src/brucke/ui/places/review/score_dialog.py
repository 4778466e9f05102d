"""A recording that is edited, on one axis: what is chosen is left out, muted, raised, moved or heard; the files as
recorded stay."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....app.recording.take_editing import TakeEditing
from ....takes import edits as change
from ....takes.edits import Edits, Stretch, kept
from ....takes.marks import read_marks
from ....takes.take import TakeError
from ....words.timing import clock_text
from ....words.translation import _
from ...kit.button import Button, Kind
from ...kit.dialog import BesideWindow
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.row import ends
from ...kit.scroll_bar import ScrollBar
from ...theme.theme import Theme
from .score_layout import ScoreData, Track
from .score_view import ScoreDrawing

STEP_DB, STEP_S = 1.0, 0.001
FADE_S = 2.0
FINE_S = 8.0  # what is shown in less is drawn from its frames
WHEN_MS = 10


class ScoreDialog(BesideWindow):
    """`work` runs what waits for the disk."""

    def __init__(
        self, theme: Theme, editing: TakeEditing, listener: str, work: Callable[[Callable[[], None]], None],
        parent: QWidget | None,
    ):  # fmt: skip
        super().__init__(_("Edit this recording"), 1120, 640, parent)
        self.theme, self.editing, self.work = theme, editing, work
        take = editing.take
        self.listener = listener if take is not None and listener in take.listeners else ""
        if take is not None and not self.listener:
            self.listener = next(iter(take.listeners), "")
        self._marks = tuple((m.at_s, m.says) for m in read_marks(editing.folder))
        self.title, self.says = Words(theme, "name"), Words(theme, "small", "mute")
        self.drawing = ScoreDrawing(theme, self._tracks)
        self.along = ScrollBar(theme, Qt.Orientation.Horizontal, "paper")
        self._build()
        self.follow(editing.changed, self.refresh)
        self.follow(editing.taking.changed, self.refresh)
        self.follow(editing.playback.changed, self.refresh)
        self.drawing.chose.connect(self._say)
        self.drawing.moved.connect(self._show_along)
        self.along.valueChanged.connect(self._scrolled)
        self.refresh()
        self.drawing.setFocus()

    def _button(self, text: str, do: Callable[[], None], key: str = "", kind: Kind = "outline") -> Button:
        button = Button(self.theme, text, kind, key) if key else Button(self.theme, text, kind)
        button.clicked.connect(do)
        return button

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        column.setSpacing(8)
        self.listen = self._button(_("Listen"), self.hear, "Space", "primary")
        self.cut = self._button(_("Leave out"), self.leave_out, "X")
        self.only = self._button(_("Keep only this"), self.keep_only)
        self.own = self._button(_("Recording of its own"), self.split_off)
        self.back = self._button(_("Bring back"), self.bring_back)
        self.muted = self._button(_("Mute"), self.mute, "M")
        self.louder = self._button(_("Louder"), lambda: self.raise_by(STEP_DB))
        self.softer = self._button(_("Softer"), lambda: self.raise_by(-STEP_DB))
        self.level = self._button(_("As loud as around it"), self.level_it)
        self.later = self._button(_("1 ms later"), lambda: self.move_by(STEP_S))
        self.sooner = self._button(_("1 ms sooner"), lambda: self.move_by(-STEP_S))
        self.fades = self._button(_("Fade in and out"), self.fade)
        self.bleed = self._button(_("Find its bleed"), self.find_bleed)
        self.in_step = self._button(_("Set in step"), self.set_in_step)
        self.take_all = self._button(_("Mute all of it"), self.cut_bleed, kind="primary")
        self.leave_all = self._button(_("Leave it"), self.leave_bleed)
        acts, more = QWidget(), QWidget()
        flow, second = Flow(6, acts), Flow(6, more)
        for b in (
            self.listen,
            self.cut,
            self.only,
            self.own,
            self.back,
            self.muted,
            self.louder,
            self.softer,
            self.level,
        ):
            flow.addWidget(b)
        for b in (self.sooner, self.later, self.fades, self.in_step, self.bleed, self.take_all, self.leave_all):
            second.addWidget(b)
        self.undo = self._button("", lambda: self.editing.step(False, self.work), "Ctrl+Z", "plain")
        self.redo = self._button("", lambda: self.editing.step(True, self.work), "Ctrl+Shift+Z", "plain")
        self.nearer = self._button(_("Nearer"), lambda: self.drawing.nearer(1.4), "+", "plain")
        self.farther = self._button(_("Farther"), lambda: self.drawing.nearer(1 / 1.4), "-", "plain")
        self.away = self._button(_("Close"), self.reject, "Esc", "plain")
        for w in (self.title, self.drawing, self.along, self.says, acts, more):
            column.addWidget(w, 1 if w is self.drawing else 0)
        column.addLayout(ends(self.undo, self.redo, self.nearer, self.farther, right=self.away))

    # What is drawn

    def _tracks(self, begin_s: float, seconds: float, columns: int) -> tuple[Track, ...]:
        """With the outline of what is shown: of the overview, or of the very frames where little is shown."""
        take, editing = self.editing.take, self.editing
        if take is None:
            return ()
        found = []
        for p in take.setup.parts:
            if p.id not in take.parts:
                continue
            shape = self._shape(p.id, begin_s - take.edits.of(p.id).moved_s, seconds, columns)
            found.append(Track(p.id, p.name, p.colour, shape, editing.offered.get(p.id, ())))
        return tuple(found)

    def _shape(self, part: str, begin_s: float, seconds: float, columns: int) -> tuple[int, ...]:
        take, known = self.editing.take, self.editing.outlines.get(part)
        if take is None or known is None:
            return ()
        if seconds < FINE_S and begin_s >= 0:
            from ....takes.overview import outline  # libsndfile: not before it is needed

            try:
                return tuple(outline(self.editing.folder, take, part, begin_s, seconds, columns).tolist())
            except (TakeError, OSError):
                return ()
        edges = np.linspace(begin_s, begin_s + seconds, columns + 1) * self.editing.outlines_hz
        low, high = np.floor(edges[:-1]).astype(int), np.ceil(edges[1:]).astype(int)
        padded = np.concatenate([known, np.zeros(1, np.uint8)])
        starts = np.clip(low, 0, len(known))
        tall = np.maximum.reduceat(padded, np.minimum(starts, len(known)))
        tall[(high <= 0) | (low >= len(known))] = 0
        return tuple(tall.tolist())

    def refresh(self) -> None:
        editing, take = self.editing, self.editing.take
        if take is None:
            self.says.say(_("This recording is not there any more."))
            for b in self.findChildren(Button):
                b.setEnabled(b is self.away)
            return
        edits = take.edits
        film = tuple(
            Stretch(p.at_s, p.at_s + p.end_s - p.begin_s) for p in (take.film.pieces if take.film is not None else ())
        )
        tracks = tuple(Track(p.id, p.name, p.colour) for p in take.setup.parts if p.id in take.parts)
        self.drawing.show_score(ScoreData(tracks, edits, 0.0, 1.0, happened=self._marks, film=film), editing.seconds)
        left = sum(s.end_s - s.begin_s for s in kept(edits, editing.seconds))
        whole = clock_text(editing.seconds)
        name = editing.folder.name
        self.title.say(
            _("{name}: {left} are left of {whole}").format(name=name, left=clock_text(left), whole=whole)
            if edits.left_out
            else _("{name}, {whole}").format(name=name, whole=whole)
        )
        self.undo.setText(_("Undo: {what}").format(what=editing.can_undo) if editing.can_undo else _("Undo"))
        self.redo.setText(_("Redo: {what}").format(what=editing.can_redo) if editing.can_redo else _("Redo"))
        self.undo.setEnabled(bool(editing.can_undo))
        self.redo.setEnabled(bool(editing.can_redo))
        self.fades.setChecked(edits.fade_in_s > 0)
        for b in (self.undo, self.redo):
            b.updateGeometry()
        self._show_along()
        self._say()

    def _say(self) -> None:
        """What is chosen, and what can be done with it."""
        editing, take, d = self.editing, self.editing.take, self.drawing.data
        if take is None:
            return
        part, chosen = d.chosen_track, d.chosen
        name = next((t.name for t in d.tracks if t.id == part), "")
        offered = editing.offered.get(part, ())
        microphone = bool(part) and take.setup.part(part).source == "microphone" and len(take.parts) > 1
        for b in (self.cut, self.only, self.own, self.back):
            b.setEnabled(chosen is not None)
        self.cut.setText(_("Leave out of all") if part else _("Leave out"))
        for b in (self.muted, self.level):
            b.setEnabled(chosen is not None and bool(part))
        for b in (self.louder, self.softer, self.later, self.sooner):
            b.setEnabled(bool(part))
        self.bleed.setVisible(microphone and not offered)
        self.bleed.setText(_("Stop looking") if editing.looking == "bleed" else _("Find its bleed"))
        self.in_step.setVisible(bool(part) and take.setup.part(part).kind == "far_end")
        self.in_step.setText(_("Stop looking") if editing.looking == "in_step" else _("Set in step"))
        self.take_all.setVisible(bool(offered))
        self.leave_all.setVisible(bool(offered))
        self.listen.setText(_("Stop") if editing.playback.heard else _("Listen"))
        self.listen.setEnabled(not editing.reading)
        for b in (self.cut, self.bleed, self.in_step, self.listen):
            b.updateGeometry()
        if not editing.outlines:
            self.says.say(_("The tracks are read…"))
        elif editing.looking == "in_step":
            self.says.say(_("Looked for how late {name} came back…").format(name=name or _("the far end")))
        elif editing.looking:
            self.says.say(
                _("Looked through for what it picks up: {share:.0%}.")
                .format(share=editing.job.share)
                .replace("%", " %")
            )
        elif offered:
            seconds = sum(s.end_s - s.begin_s for s in offered)
            said = _("In {n} stretches, {seconds:.0f} s in all, {name} holds only what it picks up of others. Nothing "
                     "is muted yet; choose one of them and listen.")  # fmt: skip
            self.says.say(said.format(n=len(offered), seconds=seconds, name=name))
        elif chosen is None:
            self.says.say(
                " ".join([_("{name} is chosen. Drag a stretch of it.").format(name=name), editing.said]).strip()
                if name
                else _("Drag a stretch: in the line of a part for that part, above the lines for all of them. Ctrl and "
                       "the wheel come nearer.")
            )  # fmt: skip
        else:
            of = _("of {name}").format(name=name) if name else _("of all parts")
            self.says.say(
                _("Chosen: {a:.2f} to {b:.2f} s, {length:.2f} s {of}.").format(
                    a=chosen.begin_s, b=chosen.end_s, length=chosen.end_s - chosen.begin_s, of=of
                )
            )

    def _show_along(self) -> None:
        d, seconds = self.drawing.data, self.editing.seconds
        span = d.end_s - d.begin_s
        self.along.blockSignals(True)
        self.along.setRange(0, max(0, round(1000 / WHEN_MS * (seconds - span))))
        self.along.setPageStep(max(1, round(1000 / WHEN_MS * span)))
        self.along.setValue(round(1000 / WHEN_MS * d.begin_s))
        self.along.blockSignals(False)
        self.along.setVisible(span < seconds - 1e-3)

    def _scrolled(self, value: int) -> None:
        d = self.drawing.data
        self.drawing.show_from(value * WHEN_MS / 1000, d.end_s - d.begin_s)

    # What hands do

    @property
    def _edits(self) -> Edits:
        return self.editing.edits

    def _do(self, what: str, edits: Edits) -> None:
        self.editing.do(what, edits, self.work)

    def leave_out(self) -> None:
        if self.drawing.data.chosen is not None:
            self._do(_("a stretch left out"), change.leave_out(self._edits, self.drawing.data.chosen))

    def keep_only(self) -> None:
        if self.drawing.data.chosen is not None:
            after = change.keep_only(self._edits, self.drawing.data.chosen, self.editing.seconds)
            self._do(_("only a stretch kept"), after)

    def split_off(self) -> None:
        chosen = self.drawing.data.chosen
        if chosen is not None:
            self.editing.split_off(chosen, self.work)

    def bring_back(self) -> None:
        """What was left out or muted in the stretch that is chosen."""
        d = self.drawing.data
        if d.chosen is not None:
            after = change.bring_back(self._edits, d.chosen)
            if d.chosen_track:
                after = change.unmute(after, d.chosen_track, d.chosen)
            self._do(_("a stretch brought back"), after)

    def mute(self) -> None:
        d = self.drawing.data
        if d.chosen is not None and d.chosen_track:
            self._do(_("a stretch muted"), change.mute(self._edits, d.chosen_track, [d.chosen]))

    def raise_by(self, db: float) -> None:
        d = self.drawing.data
        if d.chosen_track:
            after = change.raise_by(self._edits, d.chosen_track, d.chosen, db)
            self._do(_("louder") if db > 0 else _("softer"), after)

    def level_it(self) -> None:
        """The stretch as loud as what is before and after it."""
        d, editing = self.drawing.data, self.editing
        take, chosen = editing.take, d.chosen
        if take is None or chosen is None or not d.chosen_track:
            return
        from ....takes.levelling import gain_like_neighbours  # libsndfile: not before it is needed

        try:
            gain = gain_like_neighbours(editing.folder, take, d.chosen_track, chosen)
        except (TakeError, OSError) as e:
            editing.session.noticed.emit(_("Not levelled: {why}.").format(why=str(e).rstrip(".")), "amber")
            return
        now = next((r.gain_db for r in self._edits.of(d.chosen_track).raised
                    if (r.begin_s, r.end_s) == (chosen.begin_s, chosen.end_s)), 0.0)  # fmt: skip
        self._do(_("a stretch levelled"), change.raise_by(self._edits, d.chosen_track, chosen, gain - now))

    def move_by(self, seconds: float) -> None:
        d = self.drawing.data
        if d.chosen_track:
            self._do(_("a track moved"), change.move(self._edits, d.chosen_track, seconds))

    def fade(self) -> None:
        seconds = 0.0 if self._edits.fade_in_s else FADE_S
        self._do(_("fades"), change.fade(self._edits, seconds, seconds))

    def find_bleed(self) -> None:
        if self.editing.looking:
            self.editing.stop_looking()
        elif self.drawing.data.chosen_track:
            self.editing.look_for_bleed(self.drawing.data.chosen_track)

    def set_in_step(self) -> None:
        if self.editing.looking:
            self.editing.stop_looking()
        elif self.drawing.data.chosen_track:
            self.editing.set_in_step(self.drawing.data.chosen_track, self.work)

    def cut_bleed(self) -> None:
        self.editing.cut_bleed(self.drawing.data.chosen_track, self.work)

    def leave_bleed(self) -> None:
        self.editing.leave_bleed(self.drawing.data.chosen_track)

    def hear(self) -> None:
        """What is chosen, or from the beginning of what is shown."""
        editing, d = self.editing, self.drawing.data
        if editing.playback.heard:
            editing.playback.stop()
            return
        editing.hear(d.chosen_track, self.listener, d.chosen or Stretch(d.begin_s, editing.seconds))

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is None:
            return
        ctrl = bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier)
        shift = bool(e.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        keys: dict[tuple[int, bool], Callable[[], None]] = {
            (Qt.Key.Key_Space, False): self.hear, (Qt.Key.Key_X, False): self.leave_out,
            (Qt.Key.Key_M, False): self.mute,
            (Qt.Key.Key_Z, True): lambda: self.editing.step(shift, self.work),
        }  # fmt: skip
        do = keys.get((e.key(), ctrl))
        if do is not None:
            do()
        else:
            super().keyPressEvent(e)

    def reject(self) -> None:
        self.editing.stop_looking()
        self.editing.playback.stop()
        super().reject()


def open_score(
    theme: Theme, editing: TakeEditing, folder: Path, listener: str, work: Callable[[Callable[[], None]], None],
    parent: QWidget | None,
) -> ScoreDialog:  # fmt: skip
    for before in parent.findChildren(ScoreDialog) if parent is not None else ():
        before.reject()  # what is done and undone is of one recording
    editing.open(folder)
    dialog = ScoreDialog(theme, editing, listener, work, parent)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.show()
    return dialog
