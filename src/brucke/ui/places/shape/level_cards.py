"""How loud a sound comes in, and how loud a listener gets everything."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from ....app.chains.level_help import LevelFinder
from ....app.chains.loudness import TargetFinder
from ....core.document.setup import Listener, Part, Setup
from ....core.edits import chain_edits
from ....words.detail import in_numbers
from ....words.shape import LOUDNESS_WORDS, loudness_text, off_target_text, peak_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.level_help import LevelHelp
from ...kit.row import row
from ...theme.theme import Theme

SAID_S = 5.0  # so much was heard before it says how loud it is as a whole


class LevelCard(Card):
    """The trim of a part, from its loudest line."""

    def __init__(self, theme: Theme, levelling: LevelFinder):
        super().__init__(theme)
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Level"))
        self.help = LevelHelp(theme, levelling, "shape")
        self.column.addWidget(title)
        self.column.addWidget(self.help)

    def show_part(self, part: Part) -> None:
        self.help.show_part(part.id)


class LoudnessCard(Card):
    """Momentary, short-term and integrated loudness and true peak of a listener; the target, and the way there."""

    anew = pyqtSignal()

    def __init__(self, theme: Theme, edit: Edit, targeting: TargetFinder):
        super().__init__(theme)
        self.edit, self.targeting = edit, targeting
        self.setup, self.listener = Setup(), Listener(id="", name="", kind="monitor", device="")
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Loudness"))
        self.column.addWidget(title)
        self._numbers: list[QWidget] = []
        self.values = [Words(theme, "strong", wraps=False) for _name in LOUDNESS_WORDS]
        for name, value in zip(LOUDNESS_WORDS, self.values, strict=True):
            label = Words(theme, "body", "mute", wraps=False)
            label.setText(name)
            line = row(label, value)
            line.insertStretch(1, 1)
            self.column.addLayout(line)
            self._numbers += [label, value]
        label = Words(theme, "body", "mute", wraps=False)
        label.setText(_("target"))
        self.target = NumberField(theme, _("Target loudness"), -40, -6, "LUFS")
        self._numbers += [label, self.target]
        self.column.addLayout(row(label, self.target))
        self.verdict = Words(theme, "body", "mute")
        self.column.addWidget(self.verdict)
        self.bring = Button(theme, _("Bring it to the target"), "outline")
        self.again = Button(theme, _("Measure anew"), "outline")
        buttons = Flow(8)
        buttons.addWidget(self.bring)
        buttons.addWidget(self.again)
        self.column.addLayout(buttons)
        self.target.entered.connect(self._target)
        self.bring.clicked.connect(self._bring)
        self.again.clicked.connect(self.anew)

    def show_listener(self, setup: Setup, listener: Listener) -> None:
        self.setup, self.listener = setup, listener
        self.target.show_value(listener.target_lufs)
        for w in self._numbers:
            w.setVisible(in_numbers())

    def show_loudness(self, momentary: float, short: float, integrated: float, peak: float, seconds: float) -> None:
        """In LUFS and dBTP; −∞ where nothing sounded."""
        for value, text in zip(
            self.values, (*map(loudness_text, (momentary, short, integrated)), peak_text(peak)), strict=True
        ):
            if value.text() != text:
                value.say(text)
        busy = self.targeting.listener == self.listener.id
        if busy or self.targeting.said_of == self.listener.id:
            self.verdict.say(self.targeting.message, self.targeting.tone)
        elif seconds >= SAID_S and integrated > -70:
            self.verdict.say(off_target_text(integrated - self.listener.target_lufs), "mute")
        else:
            self.verdict.say("")
        self.bring.setText(_("Stop") if busy else _("Bring it to the target"))
        self.bring.updateGeometry()

    def _target(self, value: float) -> None:
        after = chain_edits.set_target(self.setup, self.listener.id, value)
        self.edit(_("{name} target loudness").format(name=self.listener.name), after, "target")

    def _bring(self) -> None:
        if self.targeting.listener == self.listener.id:
            self.targeting.cancel()
        else:
            self.targeting.begin(self.listener.id)
