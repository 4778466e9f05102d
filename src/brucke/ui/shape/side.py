"""Beside the chain: every parameter of the chosen processor, its place in the order, and what it costs."""

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from ...core import chain_edits
from ...core.processors import RANGES, Equaliser, HighPass, NoiseRemoval, Processor
from ...core.setup import Setup
from ...core.sound.noise_profile import GOOD_S
from ...core.sound.parameters import processor_latency_frames
from ...translation import _
from ...words import ms_text
from ...words_shape import FIELDS, SHAPES, WINDOWS_WORDS, processor_name
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.field import NumberField
from ..kit.flow import Flow
from ..kit.label import Words
from ..kit.row import row
from ..learning import Learning
from ..theme.theme import Theme

Edit = Callable[[str, Setup], None]  # label, setup after
LABEL_PX = 92


class Parameter(QWidget):
    """A name and its number, one of the ranges."""

    def __init__(self, theme: Theme, of: str, field: str, entered: Callable[[str, float], None]):
        super().__init__()
        r = RANGES[of][field]
        label = Words(theme, "body", "mute", wraps=False)
        label.setText(FIELDS[field])
        label.setFixedWidth(round(theme.tokens.px(LABEL_PX)))
        theme.changed.connect(lambda: label.setFixedWidth(round(theme.tokens.px(LABEL_PX))))
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


class NoiseCard(Card):
    """Learning the room, the profiles that were kept, and what the window costs."""

    def __init__(self, theme: Theme, edit: Edit, learning: Learning):
        super().__init__(theme)
        self.edit, self.learning = edit, learning
        self.setup, self.part = Setup(), ""
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Learn the room"))
        self.hint = Words(theme, "body")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName(_("Learning, progress"))
        self.learn = Button(theme, _("Learn"), "primary")
        self.profiles = Chips(theme, _("Profile"), [], self._choose)
        self.forget = Button(theme, _("Forget this profile"), "outline")
        self.windows = Chips(theme, _("Window"), [], self._window)
        self.window_words = Words(theme, "small", "mute")
        self.window_words.setText(_("a longer window is cleaner and later"))
        for w in (title, self.hint, self.bar, self.learn, self.profiles, self.forget, self.windows, self.window_words):
            self.column.addWidget(w)
        self.learn.clicked.connect(self._learn)
        self.forget.clicked.connect(self._forget)

    def show_noise(self, setup: Setup, part: str, p: NoiseRemoval) -> None:
        self.setup, self.part = setup, part
        busy = self.learning.part == part
        if busy:
            left = GOOD_S * (1 - self.learning.share)
            self.hint.say(_("Leave the room as it will be and keep silent: {left:.0f} s.").format(left=left), "ink")
        elif self.learning.message:
            self.hint.say(self.learning.message, "coral" if self.learning.failed else "water")
        else:
            self.hint.say(_("Leave the room as it will be and keep silent for twelve seconds."), "ink")
        self.bar.setVisible(busy)
        self.bar.setValue(round(self.learning.share * 100))
        self.learn.setText(_("Stop") if busy else _("Learn"))
        self.profiles.offer([(x.name, x.name) for x in setup.profiles])
        self.profiles.setVisible(bool(setup.profiles))
        self.profiles.show_on(p.profile)
        self.forget.setVisible(bool(p.profile))
        costs = {
            k: processor_latency_frames(replace(p, window=k), setup.block_frames) / setup.rate_hz
            for k in WINDOWS_WORDS
        }  # fmt: skip
        self.windows.offer([(k, f"{name}, {ms_text(costs[k], 1)}") for k, name in WINDOWS_WORDS.items()])
        self.windows.show_on(p.window)

    def _learn(self) -> None:
        if self.learning.part == self.part:
            self.learning.cancel()
        else:
            self.learning.begin(self.part)

    def _choose(self, name: str) -> None:
        after = chain_edits.change_processor(self.setup, self.part, 0, profile=name)
        self.edit(f"{self.setup.part(self.part).name} {name}", after)

    def _forget(self) -> None:
        noise: Any = self.setup.part(self.part).chain[0]
        self.edit(f"{noise.profile} forgotten", chain_edits.forget_profile(self.setup, noise.profile))

    def _window(self, window: str) -> None:
        after = chain_edits.change_processor(self.setup, self.part, 0, window=window)
        self.edit(f"{self.setup.part(self.part).name} room noise, {window} window", after)


class ProcessorCard(Card):
    """All kinds of processors share this card; only what the chosen one has is shown."""

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.edit = edit
        self.setup, self.part, self.slot, self.band = Setup(), "", -1, 0
        self.title = Words(theme, "strong", wraps=False)
        self.on = Button(theme, _("on"), "choice")
        head = row(self.title, self.on)
        head.insertStretch(1, 1)
        self.column.addLayout(head)
        self.bands = Chips(theme, _("Band"), [], self._choose_band)
        self.shapes = Chips(theme, _("Shape of the band"), list(SHAPES.items()), self._shape)
        self.slopes = Chips(theme, _("Slope"), [("12", _("12 dB an octave")), ("24", _("24 dB"))], self._slope)
        self.parameters: dict[tuple[str, str], Parameter] = {}
        box = QVBoxLayout()
        box.setSpacing(6)
        for w in (self.bands, self.shapes):
            box.addWidget(w)
        for of, fields in RANGES.items():
            for field in fields:
                entered = self._band_changed if of == "Band" else self._changed
                parameter = Parameter(theme, of, field, entered)
                self.parameters[of, field] = parameter
                box.addWidget(parameter)
        box.addWidget(self.slopes)
        self.column.addLayout(box)
        self.left = Button(theme, _("Earlier"), "outline")
        self.right = Button(theme, _("Later"), "outline")
        self.away = Button(theme, _("Remove"), "outline")
        buttons = Flow(8)
        for b in (self.left, self.right, self.away):
            buttons.addWidget(b)
        self.column.addLayout(buttons)
        self.on.clicked.connect(self._switch)
        self.left.clicked.connect(lambda: self.move(-1))
        self.right.clicked.connect(lambda: self.move(1))
        self.away.clicked.connect(self.remove)

    @property
    def processor(self) -> Processor:
        return self.setup.part(self.part).chain[self.slot]

    def show_processor(self, setup: Setup, part: str, slot: int) -> None:
        if (part, slot) != (self.part, self.slot):
            self.band = 0
        self.setup, self.part, self.slot = setup, part, slot
        p = self.processor
        self.title.say(processor_name(p))
        self.on.setChecked(p.on)
        equaliser = isinstance(p, Equaliser)
        noise = isinstance(p, NoiseRemoval)
        for b in (self.left, self.right):
            b.setVisible(not noise)
        self.bands.setVisible(equaliser)
        self.shapes.setVisible(equaliser)
        self.slopes.setVisible(isinstance(p, HighPass))
        shown: Any = p
        if isinstance(p, Equaliser):
            self.band = min(self.band, len(p.bands) - 1)
            shown = p.bands[self.band]
            self.bands.offer([(str(i), str(i + 1)) for i in range(len(p.bands))])
            self.bands.show_on(str(self.band))
            self.shapes.show_on(shown.shape)
        elif isinstance(p, HighPass):
            self.slopes.show_on(str(p.slope_db))
        for (of, field), parameter in self.parameters.items():
            mine = of == type(shown).__name__
            parameter.setVisible(mine)
            if mine:
                parameter.number.show_value(float(getattr(shown, field)))

    def _label(self, what: str) -> str:
        return f"{self.setup.part(self.part).name} {processor_name(self.processor).lower()} {what}"

    def _changed(self, field: str, value: float) -> None:
        after = chain_edits.change_processor(self.setup, self.part, self.slot, **{field: float(value)})
        self.edit(self._label(FIELDS[field]), after)

    def _band_changed(self, field: str, value: float) -> None:
        after = chain_edits.change_band(self.setup, self.part, self.slot, self.band, **{field: float(value)})
        self.edit(self._label(f"{self.band + 1} {FIELDS[field]}"), after)

    def _choose_band(self, band: str) -> None:
        self.band = int(band)
        self.show_processor(self.setup, self.part, self.slot)

    def _shape(self, shape: str) -> None:
        after = chain_edits.shape_band(self.setup, self.part, self.slot, self.band, shape)
        self.edit(self._label(f"{self.band + 1} {SHAPES[shape]}"), after)

    def _slope(self, slope: str) -> None:
        after = chain_edits.change_processor(self.setup, self.part, self.slot, slope_db=int(slope))
        self.edit(self._label(f"{slope} dB an octave"), after)

    def _switch(self) -> None:
        on = not self.processor.on
        after = chain_edits.change_processor(self.setup, self.part, self.slot, on=on)
        self.edit(self._label("on" if on else "off"), after)

    def move(self, by: int) -> None:
        after = chain_edits.move_processor(self.setup, self.part, self.slot, by)
        self.edit(self._label("earlier" if by < 0 else "later"), after)

    def remove(self) -> None:
        after = chain_edits.remove_processor(self.setup, self.part, self.slot)
        self.edit(self._label("removed"), after)
