"""Gather: what comes in, and the equipment it comes through."""

from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.document.setup import Setup
from ....core.edits import part_edits
from ....core.edits.route_edits import at_one_rate
from ....core.units import gain_to_db
from ....engine.step.live import muted_now
from ....ports.devices.server.names import on_this_computer
from ....words import timing
from ....words.detail import in_numbers
from ....words.documents import PART_NAMES, SOURCE_WORDS
from ....words.translation import _
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.menu import open_menu
from ...kit.place import Place, PlaceFrame, scrolled
from ...theme.theme import Theme
from ..setup_guide.headphones_card import HeadphonesCard
from ..setup_guide.page import EndsPage
from ..setup_guide.start import StartPage
from ..this_computer.mistake_card import MistakeCard
from ..this_computer.page import HerePage
from .agreed_card import AgreedCard
from .device_card import DeviceCard
from .model import comes_from, gather_data
from .part_cards import AlongCard, ChannelsCard, HearCard, LevelCard, PartCard, PartItselfCard
from .rows import EquipmentDrawing, PartsDrawing
from .track_card import CountInCard, TrackCard

FROM_THERE = _("From another computer  –  what it offers, by the network")


class GatherView(Place):
    """`thing` in this place is “part/ID” or “device/ID”."""

    id = "gather"

    opens = pyqtSignal()
    opened = pyqtSignal(Path)
    guided = pyqtSignal()
    joins = pyqtSignal()  # another computer

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.running, self.documents = studio.session, studio.running, studio.documents
        self.levelling, self.desktop, self.check = studio.shaping.levelling, studio.desktop, studio.headphones
        self.chosen, self._chosen_at, self._wanted = "", 0, "parts"
        self.absent: set[str] = set()
        self.start = StartPage(theme, studio.settings)
        self.parts = PartsDrawing(theme)
        self.equipment = EquipmentDrawing(theme)
        self._build_main()
        self._build_side()
        self.stack = QStackedWidget()
        self.frame = PlaceFrame(theme, self._head, self._main, self._side)
        self.stack.addWidget(self.frame)
        self.stack.addWidget(scrolled(theme, self.start))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.stack)
        self._connect()
        self.refresh()

    def _build_main(self) -> None:
        theme = self.theme
        title = Words(theme, "title", wraps=False)
        title.setText(_("What comes in"))
        self.add = Button(theme, _("Add a part"), "outline", "A")
        self.here = HerePage(theme, self.session, self.running, self.desktop, self._edit_here)
        pages = [("ends", _("start here")), ("parts", _("parts")), ("here", _("this computer"))]
        self.page = Chips(theme, _("Page"), pages, self.show_page)
        self.ends = EndsPage(theme, self.documents, self.running, self.desktop, self.check, self._edit_here)
        self._head = QWidget()
        head = Flow(12, self._head)
        for w in (title, self.page, self.here.status, self.add):
            head.addWidget(w)
        head.pushed = self.add
        self._main, self._parts_page = QWidget(), QWidget()
        whole = QVBoxLayout(self._main)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(8)
        column = QVBoxLayout(self._parts_page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.equipped, self.verdict = Words(theme, "title", wraps=False), Words(theme, "strong", "mute")
        self.equipped.setText(_("Equipment"))
        self.mend = Button(theme, _("Set them to one rate"), "primary")
        line = QHBoxLayout()
        line.setSpacing(12)
        for w in (self.equipped, self.verdict, self.mend):
            line.addWidget(w, 1 if w is self.verdict else 0)
        self.mistake = MistakeCard(theme, self.desktop.mend)
        for page in (self.mistake, self._parts_page, self.here, self.ends):
            whole.addWidget(page)
        whole.addStretch(1)
        column.addWidget(self.parts)
        column.addLayout(line)
        column.addWidget(self.equipment)
        column.addStretch(1)

    def _build_side(self) -> None:
        theme = self.theme
        self.title = Words(theme, "title", wraps=False)
        self.where = Words(theme, "body", "mute")
        self.level = LevelCard(theme, self._edit_part, self.levelling)
        self.tracks = TrackCard(theme, self._edit_part, self.documents, self.running)
        self.channels = ChannelsCard(theme, self._edit_part)
        self.along = AlongCard(theme, self._edit_part)
        self.count_in = CountInCard(theme, self._edit_part)
        self.itself = PartItselfCard(theme, self._edit_part)
        self.hear = HearCard(theme, self._edit_part)
        self.agreed = AgreedCard(theme, self._edit_part, self.session)
        self.cards: tuple[PartCard, ...] = (
            self.hear, self.agreed, self.tracks, self.count_in, self.level, self.channels, self.along, self.itself,
        )  # fmt: skip
        self.device = DeviceCard(theme, self._edit_device, lambda text: self.session.noticed.emit(text, "amber"))
        self.headphones = HeadphonesCard(theme, self.check)
        self._side = QWidget()
        column = QVBoxLayout(self._side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for w in (self.headphones, self.title, self.where, *self.cards, self.device, *self.here.side, self.ends.steps):
            column.addWidget(w)
        column.addStretch(1)

    def _connect(self) -> None:
        self.add.clicked.connect(self.add_menu)
        self.parts.chose.connect(lambda id: self.choose(f"part/{id}"))
        self.parts.moved.connect(self._move)
        self.equipment.chose.connect(lambda id: self.choose(f"device/{id}"))
        self.mend.clicked.connect(self._one_rate)
        self.start.chose.connect(self.begin)
        self.start.opens.connect(self.opens)
        self.start.opened.connect(self.opened)
        self.start.joins.connect(self.joins)
        self.level.alone.clicked.connect(self.toggle_alone)
        self.level.mute.clicked.connect(self.toggle_mute)
        self.level.anew.clicked.connect(self._count_anew)
        self.device.unplug.clicked.connect(self._unplug)
        self.here.asks.connect(self.refresh)
        self.ends.asks.connect(self.refresh)
        self.check.changed.connect(self.refresh)
        self.session.changed.connect(self.refresh)
        self.desktop.changed.connect(self.refresh)
        self.session.replaced.connect(self._replaced)
        self.running.changed.connect(self.refresh)
        self.running.levels.connect(self._levels)

    # Showing

    @property
    def empty(self) -> bool:
        return self.session.empty

    @property
    def part(self) -> str:
        kind, _other, id = self.chosen.partition("/")
        return id if kind == "part" else ""

    def _replaced(self) -> None:
        self.chosen, self._chosen_at, self.absent = "", 0, set()
        self.refresh()

    def refresh(self) -> None:
        setup, facts = self.session.setup, self.session.facts
        if self.empty and self.stack.currentIndex() != 1:
            self.start.show_recent(self.documents.recent())
        self.stack.setCurrentIndex(1 if self.empty else 0)
        kind, _other, id = self._still_chosen()
        data = gather_data(setup, facts, self.running.inputs.clips, muted_now(setup, self.session.live))
        self.parts.show_data(data, id if kind == "part" else "")
        self.equipment.show_data(data, id if kind == "device" else "")
        self.verdict.say(data.verdict if data.devices else "", data.verdict_tone)
        self.mend.setVisible(any(d.disagrees for d in data.devices))
        self.verdict.setVisible(in_numbers() or self.mend.isVisibleTo(self))  # what disagrees is said plainly, too
        for w in (self.equipped, self.equipment):
            w.setVisible(in_numbers())
        self.mistake.show_first(setup, self.desktop.mistakes)
        self._show_page()
        self.headphones.show_if_due()
        self.ends.refresh()
        self.here.refresh()
        if self.shown != "parts":
            self._show_here_side()
        else:
            self._show_side(kind, id)

    @property
    def shown(self) -> str:
        """The page that is shown: parts; ends or here only on this computer."""
        return self._wanted if on_this_computer(self.session.setup) else "parts"

    def show_page(self, key: str) -> None:
        self._wanted = key
        self.refresh()

    def _show_page(self) -> None:
        shown = self.shown
        self.page.setVisible(on_this_computer(self.session.setup))
        self.page.show_on(shown)
        self.here.status.setVisible(shown == "here")
        self.add.setVisible(shown == "parts")
        for page, key in ((self._parts_page, "parts"), (self.here, "here"), (self.ends, "ends")):
            page.setVisible(shown == key)

    def _show_here_side(self) -> None:
        for card in (*self.cards, self.device):
            card.setVisible(False)
        name, tone, where = self.here.title if self.shown == "here" else ("", "ink", "")
        self.title.say(name, tone)
        self.where.say(where)

    def _edit_here(self, label: str, after: Setup, field: str = "") -> None:
        self.session.edit(label, after, "gather", self.here.chosen)

    def _still_chosen(self) -> tuple[str, str, str]:
        """(kind, “/”, id) of what is chosen; where that is gone, of what stands in its place now."""
        setup = self.session.setup
        things = [*(f"part/{p.id}" for p in setup.parts), *(f"device/{d.id}" for d in setup.devices)]
        if self.chosen not in things:
            parts = len(setup.parts)
            at = min(self._chosen_at, parts - 1) if parts else 0
            self.chosen = things[at] if things else ""
        self._chosen_at = things.index(self.chosen) if self.chosen in things else 0
        return self.chosen.partition("/")

    def _show_side(self, kind: str, id: str) -> None:
        setup = self.session.setup
        part = next((p for p in setup.parts if p.id == id), None) if kind == "part" else None
        for card in self.cards:
            card.setVisible(part is not None)
        device = next((d for d in setup.devices if d.id == id), None) if kind == "device" else None
        self.device.setVisible(device is not None)
        if part is not None:
            self.title.say(part.name, f"part:{part.colour}")
            self.where.say(comes_from(setup, part))
            for card in self.cards:
                card.show_part(setup, part)
            self.level.alone.setChecked(self.session.live.alone == part.id)
            self.level.mute.setChecked(part.id in self.session.live.muted)
            self._show_input()
        elif device is not None:
            self.title.say(device.name, "ink")
            self.where.say(_("not there; it joins by itself") if device.id in self.session.facts.missing else "")
            running = self.running.state == "running"
            self.device.show_device(
                setup,
                device,
                device.id in self.absent,
                running,
                self.desktop,
                self.session.facts.matched.get(device.id),
            )

    def _show_input(self) -> None:
        if self.part:
            peak = self.running.inputs.peaks.get(self.part) if self.running.state == "running" else None
            held = None if peak is None else gain_to_db(peak)
            self.level.show_input(held, self.running.inputs.clips.get(self.part, 0))

    def _levels(self) -> None:
        if not self.isVisible():
            return
        peaks = self.running.part_peaks
        clipped = False
        for i, part in enumerate(self.session.setup.parts):
            if i < len(peaks):
                self.parts.feed(part.id, peaks[i], self.running.inputs.peaks.get(part.id, 0.0))
            clipped = clipped or self.running.inputs.clips.get(part.id, 0) > 0
        self.tracks.tick()
        self._show_input()
        if clipped:
            setup, facts = self.session.setup, self.session.facts
            data = gather_data(setup, facts, self.running.inputs.clips, muted_now(setup, self.session.live))
            self.parts.show_data(data, self.part)

    def choose(self, thing: str) -> None:
        if thing != self.chosen:
            self.chosen = thing
            self.refresh()

    def go_to(self, thing: str) -> None:
        """Show what an undo touched."""
        if thing.startswith(("program/", "listener/")):
            self._wanted = "here" if self._wanted == "parts" else self._wanted
            self.here.choose(thing)
        else:
            self._wanted = "parts"
            self.choose(thing)
            self.refresh()

    # Doing

    def _edit_part(self, label: str, after: Setup, field: str = "") -> None:
        before = {p.id for p in self.session.setup.parts}
        self.session.edit(label, after, "gather", self.chosen, key=f"{self.chosen} {field}" if field else "")
        new = [p.id for p in self.session.setup.parts if p.id not in before]
        if new:
            self.choose(f"part/{new[0]}")

    def _edit_device(self, label: str, after: Setup, field: str = "") -> None:
        self.session.edit(label, after, "gather", self.chosen, key=f"{self.chosen} {field}" if field else "")

    def _move(self, part: str, by: int) -> None:
        self.choose(f"part/{part}")
        self.itself.move_by(by)
        self.parts.focus_row()

    def status(self) -> tuple[str, str]:
        facts = self.session.facts
        gone = len(facts.missing) + sum(bool(end) for ends in facts.ends_gone.values() for end in ends)
        parts = timing.counted(len(self.session.setup.parts), "part")
        return (_("{gone} not there").format(gone=gone), "coral") if gone else (parts, "mute")

    def enter(self) -> None:
        (self.here if self.shown == "here" else self.ends if self.shown == "ends" else self.parts).focus_row()

    def add_menu(self) -> bool:
        kinds = [(f"{name}  –  {what}", partial(self.add_part, s)) for s, (name, what) in SOURCE_WORDS.items()]
        self.menu = open_menu(self.add, [*kinds, (FROM_THERE, self.joins.emit)])
        return True

    def add_part(self, source: str) -> None:
        """A part of a kind; it is chosen, and its name waits to be typed over."""
        name, device = PART_NAMES[source]
        after = part_edits.add_part(self.session.setup, source, name, device)  # type: ignore[arg-type]
        if after == self.session.setup:
            self.session.noticed.emit(_("64 parts are the most."), "amber")
            return
        self._edit_part(f"{name} added", after)
        self.itself.name.setFocus(Qt.FocusReason.OtherFocusReason)
        self.itself.name.selectAll()

    def take_files(self, files: list[Path]) -> None:
        """Sound files that were dropped: into the backing track, or a new one."""
        part = next((p for p in self.session.setup.parts if p.source == "track"), None)
        if part is None:
            self.add_part("track")
        else:
            self.choose(f"part/{part.id}")
        self.tracks.add_files(files)

    def begin(self, template: str) -> None:
        self.documents.new(template, self.start.here)
        self._wanted = "ends" if self.start.here else "parts"
        self.refresh()
        self.enter()
        if self.start.here:
            self.guided.emit()

    def _one_rate(self) -> None:
        setup = at_one_rate(self.session.setup)
        self.session.edit(
            _("all equipment at {rate_hz} Hz").format(rate_hz=setup.rate_hz), setup, "gather", self.chosen
        )

    def toggle_alone(self) -> None:
        """The chosen part by itself in the headphones, or everything again."""
        live = self.session.live
        part = next((p for p in self.session.setup.parts if p.id == self.part), None)
        if part is None or part.kind == "picture":
            return
        alone = "" if live.alone == part.id else part.id
        self.session.set_live(replace(live, alone=alone))
        if alone:
            self.session.noticed.emit(
                _("{name} alone in the headphones; everybody else hears what they heard.").format(name=part.name),
                "water",
            )
        else:
            self.session.noticed.emit("", "mute")

    def toggle_mute(self) -> None:
        live = self.session.live
        if self.part and timing.part_name(self.session.setup, self.part):
            self.session.set_live(replace(live, muted=live.muted ^ {self.part}))

    def _count_anew(self) -> None:
        self.running.inputs.count_anew(self.part)
        self.refresh()

    def _unplug(self) -> None:
        self.absent ^= {self.chosen.partition("/")[2]}
        self.running.set_absent(self.absent)
        self.refresh()
