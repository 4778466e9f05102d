"""Shape: the chain of the chosen part."""

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ... import words
from ...core import chain_edits
from ...core.processors import MAX_SLOTS, NoiseRemoval
from ...core.setup import Part, Setup
from ...words_shape import KINDS, processor_name
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.flow import Flow
from ..kit.label import Words
from ..kit.menu import open_menu
from ..kit.place import PlaceFrame
from ..learning import Learning
from ..session import Session
from ..theme.theme import Theme
from .chain import ChainDrawing
from .model import shape_data
from .side import NoiseCard, ProcessorCard


class ShapeView(QWidget):
    """`thing` in this place is “PART/SLOT”."""

    def __init__(self, theme: Theme, session: Session, learning: Learning):
        super().__init__()
        self.theme, self.session, self.learning = theme, session, learning
        self.part, self.slot = "", 0
        self._build_head()
        self.chain = ChainDrawing(theme)
        self._side = QWidget()
        side = QVBoxLayout(self._side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(8)
        self.title = Words(theme, "title", wraps=False)
        self.processor = ProcessorCard(theme, self._edit)
        self.noise = NoiseCard(theme, self._edit, learning)
        self.costs = Card(theme)
        heading = Words(theme, "strong", wraps=False)
        heading.setText("What it costs")
        self.cost, self.dry = Words(theme, "body"), Words(theme, "body", "mute")
        self.without = Button(theme, "Hear it without", "outline")
        for w in (heading, self.cost, self.dry, self.without):
            self.costs.column.addWidget(w)
        for w in (self.title, self.processor, self.noise, self.costs):
            side.addWidget(w)
        side.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self.chain, self._side))
        self._connect()
        self.refresh()

    def _build_head(self) -> None:
        title = Words(self.theme, "title", wraps=False)
        title.setText("How it sounds")
        self.parts = Chips(self.theme, "Part", [], self.choose_part)
        self.add = Button(self.theme, "Add a processor", "outline", "A")
        self._head = QWidget()
        flow = Flow(12, self._head)
        for w in (title, self.parts, self.add):
            flow.addWidget(w)
        flow.pushed = self.add

    def _connect(self) -> None:
        self.add.clicked.connect(self.add_menu)
        self.chain.chose.connect(lambda slot: self.choose(int(slot)))
        self.chain.moved.connect(self._move)
        self.without.clicked.connect(self.bypass)
        self.session.changed.connect(self.refresh)
        self.learning.changed.connect(self._show_noise)

    # Showing

    def _shaped(self) -> list[Part]:
        """Parts that can have a chain: sounds of one or two channels."""
        return [p for p in self.session.setup.parts if p.kind != "picture" and 0 < len(p.channels) <= 2]

    def refresh(self) -> None:
        setup, parts = self.session.setup, self._shaped()
        if self.part not in [p.id for p in parts]:
            self.part = next((p.id for p in parts if p.chain), parts[0].id if parts else "")
            self.slot = 0
        part = setup.part(self.part) if self.part else None
        chain = part.chain if part is not None else ()
        self.slot = min(self.slot, max(0, len(chain) - 1))
        self.parts.offer([(p.id, p.name) for p in parts])
        self.parts.show_on(self.part)
        data = shape_data(setup, part)
        self.chain.show_data(data, str(self.slot) if chain else "")
        self.add.setVisible(part is not None)
        if part is None:
            self.title.say("Nothing comes in yet.", "mute")
        else:
            self.title.say(part.name, f"part:{part.colour}")
        self.processor.setVisible(bool(chain))
        self.costs.setVisible(bool(chain))
        self.noise.setVisible(bool(chain) and isinstance(chain[self.slot], NoiseRemoval))
        if part is not None and chain:
            self.processor.show_processor(setup, part.id, self.slot)
            self.cost.say(f"{data.cost[0].upper()}{data.cost[1:]}.")
            self.dry.say(f"{data.dry}." if data.dry else "")
            self._show_noise()
            self.without.setText("Hear it without" if any(p.on for p in chain) else "Hear it with")

    def _show_noise(self) -> None:
        chain = self.session.setup.part(self.part).chain if self.part else ()
        p = chain[self.slot] if self.slot < len(chain) else None
        if isinstance(p, NoiseRemoval):
            self.noise.show_noise(self.session.setup, self.part, p)

    def choose_part(self, part: str) -> None:
        self.part, self.slot = part, 0
        self.refresh()

    def choose(self, slot: int) -> None:
        self.slot = slot
        self.refresh()

    def go_to(self, thing: str) -> None:
        """Show what an undo touched."""
        part, _, slot = thing.partition("/")
        self.part, self.slot = part, int(slot or 0)
        self.refresh()

    # Doing

    def _edit(self, label: str, after: Setup) -> None:
        # Nudges of one number are one step.
        self.session.edit(label, after, "shape", f"{self.part}/{self.slot}", key=f"{self.part}/{self.slot} {label}")

    def add_menu(self) -> None:
        lines = (
            (f"{processor_name(fresh)}  –  {what}", partial(self.add_processor, code))
            for code, (fresh, what) in KINDS.items()
        )
        self.menu = open_menu(self.add, lines)

    def add_processor(self, code: str) -> None:
        if not self.part:
            return
        after = chain_edits.add_processor(self.session.setup, self.part, KINDS[code][0])
        if after == self.session.setup:
            full = len(after.part(self.part).chain) >= MAX_SLOTS
            text = f"{MAX_SLOTS} processors are the most in one chain." if full else "One noise removal is enough."
            self.session.noticed.emit(text, "amber")
            return
        chain = after.part(self.part).chain
        self.slot = 0 if isinstance(chain[0], NoiseRemoval) and code == "noise_removal" else len(chain) - 1
        name = words.part_name(after, self.part)
        self.session.edit(f"{name} {words.PROCESSOR_NAMES[code]} added", after, "shape", f"{self.part}/{self.slot}")
        self.chain.focus_row()

    def _move(self, slot: str, by: int) -> None:
        self.choose(int(slot))
        moving = self.session.setup.part(self.part).chain[self.slot]
        self.processor.move(by)
        chain = self.session.setup.part(self.part).chain
        self.choose(next(i for i, p in enumerate(chain) if p is moving))
        self.chain.focus_row()

    def bypass(self) -> None:
        """The sound without all of its processors, or with them again."""
        chain = self.session.setup.part(self.part).chain
        on = not any(p.on for p in chain)
        name = words.part_name(self.session.setup, self.part)
        after = chain_edits.switch_all(self.session.setup, self.part, on)
        self._edit(f"{name} {'with' if on else 'without'} its processors", after)
