"""Beside the chain: every parameter of the chosen processor, and its place in the order."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....core.document.setup import Setup
from ....core.edits import chain_edits
from ....core.sound.processors import KINDS, RANGES, Equaliser, NoiseRemoval, Processor
from ....words.detail import in_numbers
from ....words.processors import CHOICES, FIELDS, SHAPES, processor_name
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme

LABEL_PX = 116


class Parameter(QWidget):
    """A name and its number, one of the ranges."""

    def __init__(self, theme: Theme, of: str, field: str, entered: Callable[[str, float], None]):
        super().__init__()
        r = RANGES[of][field]
        label = Words(theme, "body", "mute", wraps=False)
        label.setText(FIELDS[field])
        label.setFixedWidth(round(theme.tokens.px(LABEL_PX)))
        theme.follow(label, lambda: label.setFixedWidth(round(theme.tokens.px(LABEL_PX))))
        digits = 0 if r.unit == "Hz" else 2 if not r.unit else 1
        self.number = NumberField(theme, FIELDS[field], r.low, r.high, r.unit, digits)
        if r.unit == "Hz":
            self.number.setSingleStep(10)
        elif not r.unit:
            self.number.setSingleStep(0.1)
        line = row(label, self.number)
        line.setContentsMargins(0, 0, 0, 0)
        line.setStretch(1, 1)
        self.setLayout(line)
        self.number.entered.connect(lambda v: entered(field, v))


class ProcessorCard(Card):
    """All kinds of processors share this card; only what the chosen one has is shown."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.edit = edit
        self.setup, self.owner, self.slot, self.band = Setup(), "", -1, 0
        self.title = Words(theme, "strong", wraps=False)
        self.on = Button(theme, _("on"), "choice")
        head = row(self.title, self.on)
        head.insertStretch(1, 1)
        self.column.addLayout(head)
        self.bands = Chips(theme, _("Band"), [], self._choose_band)
        self.shapes = Chips(theme, _("Shape of the band"), list(SHAPES.items()), self._shape)
        self.choices = {
            (kind.__name__, field): self._one_of(theme, field, some)
            for kind in KINDS
            for field, some in kind.CHOICES.items()
        }
        self.parameters: dict[tuple[str, str], Parameter] = {}
        box = QVBoxLayout()
        box.setSpacing(6)
        for w in (self.bands, self.shapes, *self.choices.values()):
            box.addWidget(w)
        for of, fields in RANGES.items():
            for field in fields:
                entered = self._band_changed if of == "Band" else self._changed
                parameter = Parameter(theme, of, field, entered)
                self.parameters[of, field] = parameter
                box.addWidget(parameter)
        self.column.addLayout(box)
        self.left = Button(theme, _("Earlier"), "outline")
        self.right = Button(theme, _("Later"), "outline")
        self.away = Button(theme, _("Remove"), "outline")
        buttons = Flow(8)
        for b in (self.left, self.right, self.away):
            buttons.addWidget(b)
        self.column.addLayout(buttons)
        self.on.clicked.connect(self._switch)
        self.left.clicked.connect(lambda: self.move_by(-1))
        self.right.clicked.connect(lambda: self.move_by(1))
        self.away.clicked.connect(self.remove)

    @property
    def processor(self) -> Processor:
        return chain_edits.chain_of(self.setup, self.owner)[self.slot]

    def show_processor(self, setup: Setup, owner: str, slot: int) -> None:
        if (owner, slot) != (self.owner, self.slot):
            self.band = 0
        self.setup, self.owner, self.slot = setup, owner, slot
        p = self.processor
        self.title.say(processor_name(p))
        self.on.setChecked(p.on)
        equaliser = isinstance(p, Equaliser) and in_numbers()
        noise = isinstance(p, NoiseRemoval)
        for b in (self.left, self.right):
            b.setVisible(not noise)
        self.bands.setVisible(equaliser)
        self.shapes.setVisible(equaliser)
        shown: Any = p
        if isinstance(p, Equaliser):
            self.band = min(self.band, len(p.bands) - 1)
            shown = p.bands[self.band]
            self.bands.offer([(str(i), str(i + 1)) for i in range(len(p.bands))])
            self.bands.show_on(str(self.band))
            self.shapes.show_on(shown.shape)
        for (of, field), chips in self.choices.items():
            mine = of == type(p).__name__ and in_numbers()
            chips.setVisible(mine)
            if mine:
                chips.show_on(str(getattr(p, field)))
        for (of, field), parameter in self.parameters.items():
            mine = of == type(shown).__name__ and in_numbers()
            parameter.setVisible(mine)
            if mine:
                parameter.number.show_value(float(getattr(shown, field)))

    def _label(self, what: str) -> str:
        return f"{chain_edits.owned(self.setup, self.owner).name} {processor_name(self.processor).lower()} {what}"

    def _changed(self, field: str, value: float) -> None:
        after = chain_edits.change_processor(self.setup, self.owner, self.slot, **{field: float(value)})
        self.edit(self._label(FIELDS[field]), after, field)

    def _band_changed(self, field: str, value: float) -> None:
        after = chain_edits.change_band(self.setup, self.owner, self.slot, self.band, **{field: float(value)})
        self.edit(self._label(f"{self.band + 1} {FIELDS[field]}"), after, f"band {self.band} {field}")

    def _choose_band(self, band: str) -> None:
        self.band = int(band)
        self.show_processor(self.setup, self.owner, self.slot)

    def _shape(self, shape: str) -> None:
        after = chain_edits.shape_band(self.setup, self.owner, self.slot, self.band, shape)
        self.edit(self._label(f"{self.band + 1} {SHAPES[shape]}"), after)

    def _one_of(self, theme: Theme, field: str, some: tuple[int, ...]) -> Chips:
        name, text = CHOICES[field]

        def chose(n: str) -> None:
            after = chain_edits.change_processor(self.setup, self.owner, self.slot, **{field: int(n)})
            self.edit(self._label(text.format(n=n)), after)

        return Chips(theme, name.capitalize(), [(str(n), text.format(n=n)) for n in some], chose)

    def _switch(self) -> None:
        on = not self.processor.on
        after = chain_edits.change_processor(self.setup, self.owner, self.slot, on=on)
        self.edit(self._label("on" if on else "off"), after)

    def move_by(self, by: int) -> None:
        after = chain_edits.move_processor(self.setup, self.owner, self.slot, by)
        self.edit(self._label("earlier" if by < 0 else "later"), after)

    def remove(self) -> None:
        after = chain_edits.remove_processor(self.setup, self.owner, self.slot)
        self.edit(self._label("removed"), after)
