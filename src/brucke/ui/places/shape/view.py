"""Shape: the chain of the chosen part or listener."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from ....app.studio import Studio
from ....core.document.setup import Listener, Part, Setup
from ....core.edits import chain_edits
from ....core.edits.chain_edits import Chain, owned, owner_of
from ....core.edits.outside_edits import new_step
from ....core.sound.chain_parameters import latency_frames
from ....core.sound.processors import MAX_OUTSIDE, MAX_PLUG_INS, MAX_SLOTS, NoiseRemoval, OutsideStep, PlugIn, Processor
from ....engine.step.live import Without
from ....words import timing
from ....words.processors import OFFERED, processor_name
from ....words.timing import ms_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.chips import Chips
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.menu import open_menu
from ...kit.place import Place, PlaceFrame
from ...theme.theme import Theme
from .chain import ChainDrawing
from .compare_card import CompareCard
from .cost_card import CostCard
from .level_cards import LevelCard, LoudnessCard
from .model import ink_of, shape_data
from .noise_card import NoiseCard
from .outside_card import OutsideCard
from .plug_in_card import PlugInCard
from .presets import Presets
from .processor_card import ProcessorCard
from .watch import SPECTRUM_FRAMES, ChainWatch, spectrum_of

SPECTRUM_EVERY, NUMBERS_EVERY = 3, 10  # of the window's clock
MOST_MATCH_DB = 24.0


class ShapeView(Place):
    """`thing` in this place is “part/ID/SLOT” or “listener/ID/SLOT”; `owner` is what stands before the slot."""

    id = "shape"

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.running = studio.session, studio.running
        session, shaping = studio.session, studio.shaping
        self.learning, self.plugging = shaping.learning, shaping.plugging
        self.owner, self.slot = "", 0
        self.watch, self._ticks = ChainWatch(), 0
        self.presets = Presets(theme, self, session, shaping.shelf, lambda: self.owner)
        self._build_head()
        self.chain = ChainDrawing(theme)
        self.title = Words(theme, "title", wraps=False)
        self.processor = ProcessorCard(theme, self._edit)
        self.plug_in = PlugInCard(theme, self._edit, shaping.plugging)
        self.outside = OutsideCard(theme, self._edit, shaping.outside, studio.measuring)
        self.noise = NoiseCard(theme, self._edit, shaping.learning)
        self.level = LevelCard(theme, shaping.levelling)
        self.loudness = LoudnessCard(theme, self._edit, shaping.targeting)
        self.compare = CompareCard(theme, self._edit)
        self.costs = CostCard(theme, self._edit)
        self._side = QWidget()
        side = QVBoxLayout(self._side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(8)
        for w in (
            self.title,
            self.processor,
            self.plug_in,
            self.outside,
            self.noise,
            self.level,
            self.loudness,
            self.compare,
            self.costs,
        ):
            side.addWidget(w)
        side.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self.chain, self._side))
        self._connect()
        self.refresh()

    def _build_head(self) -> None:
        title = Words(self.theme, "title", wraps=False)
        title.setText(_("How it sounds"))
        self.parts = Chips(self.theme, _("Part"), [], lambda id: self.choose_owner(f"part/{id}"))
        self.at = Words(self.theme, "body", "mute", wraps=False)
        self.at.setText(_("all together at"))
        self.listeners = Chips(self.theme, _("Listener"), [], lambda id: self.choose_owner(f"listener/{id}"))
        self.preset = Button(self.theme, _("Presets"), "outline", "Y")
        self.add = Button(self.theme, _("Add a processor"), "outline", "A")
        self._head = QWidget()
        lines = QVBoxLayout(self._head)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(6)
        for line in ((title, self.parts), (self.at, self.listeners, self.preset, self.add)):
            flow = Flow(10)
            for w in line:
                flow.addWidget(w)
            lines.addLayout(flow)

    def _connect(self) -> None:
        self.add.clicked.connect(self.add_menu)
        self.preset.clicked.connect(self.preset_menu)
        self.chain.chose.connect(lambda slot: self.choose(int(slot)))
        self.chain.moved.connect(self._move)
        self.compare.without.connect(self.hear_without)
        self.loudness.anew.connect(self.running.measure_loudness_anew)
        self.session.changed.connect(self.refresh)
        self.learning.changed.connect(self._show_noise)
        self.running.levels.connect(self._levels)
        self.plugging.changed.connect(self.refresh)
        self.outside.watch.changed.connect(self.refresh)

    # Showing

    def _parts(self) -> list[Part]:
        """Parts that can have a chain: sounds of one or two channels."""
        return [p for p in self.session.setup.parts if p.kind != "picture" and 0 < len(p.channels) <= 2]

    def _listeners(self) -> list[Listener]:
        return [x for x in self.session.setup.listeners if x.channels <= 2]

    def _chain(self) -> Chain:
        return chain_edits.chain_of(self.session.setup, self.owner) if self.owner else ()

    def refresh(self) -> None:
        setup, parts, listeners = self.session.setup, self._parts(), self._listeners()
        if self.owner not in [*map(owner_of, parts), *map(owner_of, listeners)]:
            first = next((p for p in parts if p.chain), parts[0] if parts else None)
            self.owner, self.slot = owner_of(first) if first is not None else "", 0
        thing = owned(setup, self.owner) if self.owner else None
        chain = self._chain()
        self.slot = min(self.slot, max(0, len(chain) - 1))
        self.parts.offer([(p.id, p.name) for p in parts])
        self.listeners.offer([(x.id, x.name) for x in listeners])
        kind, _other, id = self.owner.partition("/")
        self.parts.show_on(id if kind == "part" else "")
        self.listeners.show_on(id if kind == "listener" else "")
        self.at.setVisible(bool(listeners))
        data = shape_data(setup, self.owner, self.plugging.faults, self.session.live.without, self.outside.watch.faults)
        self.chain.show_data(data, str(self.slot) if chain else "")
        for w in (self.add, self.preset, self.compare, self.costs):
            w.setVisible(thing is not None)
        self.processor.setVisible(bool(chain))
        self.noise.setVisible(bool(chain) and isinstance(chain[self.slot], NoiseRemoval))
        self.plug_in.setVisible(bool(chain) and isinstance(chain[self.slot], PlugIn))
        self.outside.setVisible(bool(chain) and isinstance(chain[self.slot], OutsideStep))
        self.level.setVisible(isinstance(thing, Part))
        self.loudness.setVisible(isinstance(thing, Listener))
        if thing is None:
            self.title.say(_("Nothing comes in yet."), "mute")
            return
        self.title.say(thing.name, ink_of(thing))
        self._show_side(setup, thing, data.cost)

    def _show_side(self, setup: Setup, thing: Part | Listener, cost: str) -> None:
        if thing.chain:
            self.processor.show_processor(setup, self.owner, self.slot)
            if isinstance(thing.chain[self.slot], PlugIn):
                self.plug_in.show_plug_in(setup, self.owner, self.slot)
            self.outside.show_step(setup, self.owner, self.slot)
        if isinstance(thing, Part):
            self.level.show_part(thing)
            self._show_noise()
        else:
            self.loudness.show_listener(setup, thing)
            self._show_loudness()
        self.compare.show_chain(setup, self.owner, self.slot, self.session.live.without)
        seconds = latency_frames(thing.chain, setup.block_frames) / setup.rate_hz
        self.costs.show_chain(setup, self.owner, cost, ms_text(seconds, 1))

    def _show_noise(self) -> None:
        chain = self._chain()
        p = chain[self.slot] if chain else None
        if isinstance(p, NoiseRemoval):
            self.noise.show_noise(self.session.setup, self.owner.partition("/")[2], p)

    def _show_loudness(self) -> None:
        index = self.running.chain_index(self.owner) - max(1, len(self.session.setup.parts))
        told = self.running.loudness
        silent = np.array([-np.inf] * 4 + [0.0])
        row = told[index] if self.running.state == "running" and 0 <= index < len(told) else silent
        self.loudness.show_loudness(*(float(x) for x in row))

    def _levels(self) -> None:
        """With every frame while it runs: what moves in the drawings."""
        index = self.running.chain_index(self.owner) if self.owner else -1
        if not self.isVisible() or not 0 <= index < len(self.running.readings) or self.running.link is None:
            return
        self.watch.of(self.owner)
        self._ticks += 1
        if self._ticks % SPECTRUM_EVERY == 0:
            self.watch.spectrum = spectrum_of(self.running.link.into_chain(index, SPECTRUM_FRAMES))
        self.watch.feed(self.running.readings[index])
        self.chain.feed(self.watch, self.session.setup.rate_hz)
        if self._ticks % NUMBERS_EVERY == 0:
            if self.owner.startswith("listener/"):
                self._show_loudness()
            elif self.noise.isVisible():
                self.noise.show_mismatch(float(self.watch.told[0, 1]))

    def choose_owner(self, owner: str) -> None:
        if owner != self.owner:
            self._end_without()
        self.owner, self.slot = owner, 0
        self.refresh()

    def choose_part(self, part: str) -> None:
        self.choose_owner(f"part/{part}")

    def choose(self, slot: int) -> None:
        self.slot = slot
        self.refresh()

    def go_to(self, thing: str) -> None:
        """Show what an undo touched."""
        owner, _other, slot = thing.rpartition("/")
        self.owner, self.slot = owner, int(slot) if slot.isdigit() else 0
        self.refresh()

    def leave(self) -> None:
        """Nobody goes on air without their processors because they forgot to switch them on again."""
        self._end_without()

    # Doing

    def _edit(self, label: str, after: Setup, field: str = "") -> None:
        where = f"{self.owner}/{self.slot}"
        self.session.edit(label, after, "shape", where, key=f"{where} {field}" if field else "")

    def status(self) -> tuple[str, str]:
        shaped = [p.name for p in self.session.setup.parts if any(c.on for c in p.chain)]
        text = ", ".join(n.lower() for n in shaped) if len(shaped) < 3 else timing.counted(len(shaped), "part")
        return text or _("as it comes in"), "mute"

    def enter(self) -> None:
        self.chain.focus_row()

    def choose_listener(self, id: str) -> bool:
        """Whose chain is shown; a chain works on two channels at most."""
        if self.session.setup.listener(id).channels > 2:
            return False
        self.choose_owner(f"listener/{id}")
        return True

    def add_menu(self) -> bool:
        lines: list[tuple[str, Callable[[], None]]] = [
            (f"{processor_name(fresh)}  –  {what}", partial(self.add_processor, code))
            for code, (fresh, what) in OFFERED.items()
            if self.owner.startswith("part/") or code != "noise_removal"
        ]
        for found in self.plugging.register.found:
            lines.append(
                (_("{name}  –  your own plug-in").format(name=found.name), partial(self._add, found.processor()))
            )
        lines.append((_("Look for plug-ins in a folder…"), self.look_for_plug_ins))
        self.menu = open_menu(self.add, lines)
        return True

    def look_for_plug_ins(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, _("Look for plug-ins"), str(Path.home()))
        if folder:
            self.session.noticed.emit(_("Looking at the plug-ins of this folder. Esc stops it."), "mute")
            self.plugging.look(Path(folder))

    def preset_menu(self) -> None:
        self.menu = open_menu(self.preset, self.presets.lines())

    def add_processor(self, code: str) -> None:
        self._add(new_step(self.session.setup) if code == "outside_step" else OFFERED[code][0])

    def _add(self, processor: Processor) -> None:
        if not self.owner:
            return
        after = chain_edits.add_processor(self.session.setup, self.owner, processor)
        if after == self.session.setup:
            full = len(self._chain()) >= MAX_SLOTS
            text = (
                _("{most} processors are the most in one chain.").format(most=MAX_SLOTS)
                if full
                else _("One noise removal is enough.")
            )
            if isinstance(processor, PlugIn) and not full:
                text = _("{most} plug-ins are the most in one setup.").format(most=MAX_PLUG_INS)
            if isinstance(processor, OutsideStep) and not full:
                text = _("{most} steps outside are the most in one setup.").format(most=MAX_OUTSIDE)
            self.session.noticed.emit(text, "amber")
            return
        chain = chain_edits.chain_of(after, self.owner)
        self.slot = 0 if isinstance(processor, NoiseRemoval) else len(chain) - 1
        name = owned(after, self.owner).name
        self.session.edit(
            f"{name} {processor_name(processor).lower()} added", after, "shape", f"{self.owner}/{self.slot}"
        )
        self.chain.focus_row()

    def _move(self, slot: str, by: int) -> None:
        self.choose(int(slot))
        moving = self._chain()[self.slot]
        self.processor.move_by(by)
        self.choose(next(i for i, p in enumerate(self._chain()) if p is moving))
        self.chain.focus_row()

    def change_version(self) -> None:
        if self.owner:
            self.compare.change_version()

    def hear_without(self, slot: int = -1) -> None:
        """The sound without one or all of its processors at the same loudness, or with them again."""
        live, chain = self.session.live, self._chain()
        if not chain:
            return
        now = live.without
        if now is not None and (now.owner, now.slot) == (self.owner, slot):
            self._end_without()
            return
        wanted = Without(owner=self.owner, slot=slot, gain_db=self._match_db(slot))
        self.session.set_live(replace(live, without=wanted))

    def _match_db(self, slot: int) -> float:
        """How much louder what is left out makes the sound."""
        if slot < 0:
            index, told = self.running.chain_index(self.owner), self.running.chain_loudness
            before, after = told[index] if 0 <= index < len(told) else (-np.inf, -np.inf)
            by = float(after - before) if np.isfinite(before) and np.isfinite(after) else 0.0
        else:
            by = self.watch.gain_db(slot, len(self._chain()))
        return round(min(max(by, -MOST_MATCH_DB), MOST_MATCH_DB), 1)

    def _end_without(self) -> None:
        if self.session.live.without is not None:
            self.session.set_live(replace(self.session.live, without=None))
