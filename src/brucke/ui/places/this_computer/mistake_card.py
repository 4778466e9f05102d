"""A usual mistake on this computer, shown while there is one, with the one press that mends it."""

from collections.abc import Callable

from PyQt6.QtCore import Qt

from ....core.document.setup import Setup
from ....ports.devices.server.mistakes import Mistake
from ....words.open_closed import mistake_texts
from ....words.timing import device_name, listener_name
from ...kit.button import Button
from ...kit.card import Card
from ...kit.label import Words
from ...theme.theme import Theme


class MistakeCard(Card):
    def __init__(self, theme: Theme, mend: Callable[[Mistake], None]):
        super().__init__(theme)
        self._mistake: Mistake | None = None
        self.what = Words(theme, "strong", "coral")
        self.why = Words(theme, "body", "mute")
        self.button = Button(theme, "", "primary")
        self.column.addWidget(self.what)
        self.column.addWidget(self.why)
        self.column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        self.button.clicked.connect(lambda: mend(self._mistake) if self._mistake is not None else None)

    def show_first(self, setup: Setup, mistakes: tuple[Mistake, ...]) -> None:
        self._mistake = next(iter(mistakes), None)
        self.setVisible(self._mistake is not None)
        if self._mistake is None:
            return
        m = self._mistake
        listener = listener_name(setup, m.listener) if m.listener else ""
        device = device_name(setup, m.device) if m.code == "straight" else m.device
        what, why, mend = mistake_texts(m.code, m.program, device, listener)
        self.what.say(what)
        self.why.say(why)
        self.button.setVisible(bool(mend))
        self.button.setText(mend)
        self.button.updateGeometry()
