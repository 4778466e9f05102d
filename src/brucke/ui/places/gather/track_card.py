"""Backing tracks: list, waveform, loop, level, count-in."""

from pathlib import Path

from PyQt6.QtWidgets import QListWidget

from ....app.documents.documents import Documents
from ....app.engine.live_engine import LiveEngine
from ....core.document.setup import Part
from ....core.edits import part_edits
from ....core.storage.bundle import find_file
from ....words.translation import _
from ...kit.button import Button
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.row import row
from ...kit.scroll_bar import own_scroll_bars
from ...kit.sound_files_dialog import ask_for_sounds
from ...theme.theme import Theme
from .part_cards import PartCard, label
from .waveform import Waveform

MOST_SHOWN = 4


class TrackCard(PartCard):
    """Files of a backing track. They may stand anywhere; saving the setup brings them beside it."""

    def __init__(self, theme: Theme, edit: Edit, documents: Documents, running: LiveEngine):
        super().__init__(theme, edit, _("Backing tracks"))
        self.documents, self.running = documents, running
        self.list = QListWidget()
        self.list.setAccessibleName(_("Tracks"))
        own_scroll_bars(self.list, theme, "card")
        self.waveform = Waveform(theme)
        self.error = Words(theme, "small", "coral")
        self.add = Button(theme, _("Add files"), "outline")
        self.away = Button(theme, _("Take out"), "outline")
        self.level = NumberField(theme, _("Level of the track"), -60, 20, "dB")
        self.first = NumberField(theme, _("Loop from"), 0, 36000, "s", 1)
        self.end = NumberField(theme, _("Loop to, 0 for its end"), 0, 36000, "s", 1)
        self.end.setSpecialValueText(_("the end"))
        for w in (self.list, self.waveform, self.error):
            self.column.addWidget(w)
        self.column.addLayout(row(label(theme, "loop"), self.first, label(theme, "to"), self.end))
        self.column.addLayout(row(label(theme, "level"), self.level))
        buttons = Flow(8)
        for b in (self.add, self.away):
            buttons.addWidget(b)
        self.column.addLayout(buttons)
        self.list.currentRowChanged.connect(self._choose)
        self.add.clicked.connect(self.choose_files)
        self.away.clicked.connect(self._remove)
        self.level.entered.connect(lambda v: self._change("level", gain_db=v))
        self.first.entered.connect(lambda v: self._loop(v, self.end.value()))
        self.end.entered.connect(lambda v: self._loop(self.first.value(), v))
        self.waveform.sought.connect(running.seek)
        self.waveform.looped.connect(self._loop)
        self.waveform.read.connect(self.tick)

    def applies(self, part: Part) -> bool:
        return part.source == "track"

    def refresh(self) -> None:
        part = self.part
        names = [t.file for t in part.tracks]
        shown = [self.list.item(i).text() for i in range(self.list.count())]  # type: ignore[union-attr]
        self.list.blockSignals(True)
        if names != shown:
            self.list.clear()
            self.list.addItems(names)
        self.list.setCurrentRow(part.track if part.tracks else -1)
        self.list.blockSignals(False)
        line = self.list.sizeHintForRow(0) if names else 0
        self.list.setFixedHeight(min(len(names), MOST_SHOWN) * line + 6)
        for w in (self.list, self.waveform, self.away, self.level, self.first, self.end):
            w.setVisible(bool(names))
        if not names:
            self.error.say(_("No track yet. WAV, FLAC, Ogg, MP3, or the sound of a video file."), "mute")
            return
        track = part.tracks[part.track]
        self.waveform.show_file(find_file(track.file, self.documents.session.folders))
        self.waveform.show_loop(track.loop_from_s, track.loop_to_s)
        self.level.show_value(track.gain_db)
        self.first.show_value(track.loop_from_s)
        self.end.show_value(track.loop_to_s)
        self.tick()

    def tick(self) -> None:
        """Position, and what was read of the file since."""
        if not self.isVisible() or not self.part.tracks:
            return
        self.waveform.show_position(self.running.track[0])
        outline = self.waveform.outline
        self.error.say(outline.error if outline is not None else "", "coral")

    def choose_files(self) -> None:
        files = ask_for_sounds(self, self.documents.settings)
        if files:
            self.add_files(files)

    def add_files(self, files: list[Path]) -> None:
        good, errors = self.documents.bring_in(files)
        if good:
            after = part_edits.add_tracks(self.setup, self.part.id, good)
            self.edit(f"{self.part.name}: {', '.join(good)}", after)
        if errors:
            self.documents.session.noticed.emit(_("Not added. {errors}.").format(errors=errors[0]), "coral")

    def _choose(self, index: int) -> None:
        if index >= 0:
            self.edit(f"{self.part.name}: track {index + 1}", part_edits.choose_track(self.setup, self.part.id, index))

    def _remove(self) -> None:
        file = self.part.tracks[self.part.track].file
        self.edit(
            _("{file} taken out").format(file=file), part_edits.remove_track(self.setup, self.part.id, self.part.track)
        )

    def _change(self, what: str, **fields: float) -> None:
        after = part_edits.change_track(self.setup, self.part.id, self.part.track, **fields)
        self.edit(f"{self.part.name} {what}", after, " ".join(fields))

    def _loop(self, first: float, end: float) -> None:
        if end and end < first + 0.1:
            end = first + 0.1
        self._change("loop", loop_from_s=round(first, 3), loop_to_s=round(end, 3))


class CountInCard(PartCard):
    """How many clicks before the track, and how fast. Only who is routed to this part hears them."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Count-in"))
        self.beats = NumberField(theme, _("Beats"), 1, 16, "", 0)
        self.tempo = NumberField(theme, _("Tempo"), 20, 400, "a minute", 1)
        self.note = Words(theme, "small", "mute")
        self.note.setText(
            _("Sounds before the track begins, for those who are routed to it in Share: your headphones.")
        )
        self.column.addLayout(row(label(theme, "beats"), self.beats))
        self.column.addLayout(row(label(theme, "tempo"), self.tempo))
        self.column.addWidget(self.note)
        self.beats.entered.connect(lambda v: self._change(f"{int(v)} beats", count_in_beats=int(v)))
        self.tempo.entered.connect(lambda v: self._change(_("{v:g} beats a minute").format(v=v), tempo_bpm=v))

    def applies(self, part: Part) -> bool:
        return part.source == "count_in"

    def refresh(self) -> None:
        self.beats.show_value(self.part.count_in_beats)
        self.tempo.show_value(self.part.tempo_bpm)

    def _change(self, what: str, **fields: object) -> None:
        self.edit(
            f"{self.part.name} {what}", part_edits.change_part(self.setup, self.part.id, **fields), " ".join(fields)
        )
