"""Whether the last two minutes are remembered, how much of them there is, and the button that keeps them."""

from PyQt6.QtWidgets import QWidget

from ....app.studio import Studio
from ....words.recordings import remembered_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme


class JustHappenedLine(QWidget):
    def __init__(self, theme: Theme, studio: Studio):
        super().__init__()
        self._just = studio.just_happened
        self.remember = Button(theme, _("Remember the last minutes"), "chip")
        self.says = Words(theme, "small", "mute", wraps=False)
        self.keep = Button(theme, _("Keep them"), "plain", "Ctrl+Shift+K")
        flow = Flow(parent=self)
        for w in (self.remember, self.says, self.keep):
            flow.addWidget(w)
        self.remember.clicked.connect(lambda: self._just.choose(not self._just.chosen))
        self.keep.clicked.connect(self._just.keep)
        self._just.changed.connect(self.refresh)
        studio.clock.tick.connect(self._count)
        self._shown = -1
        self.refresh()

    def _count(self) -> None:
        """Once a second, while somebody looks."""
        if self.isVisible() and int(self._just.seconds) != self._shown:
            self.refresh()

    def refresh(self) -> None:
        just = self._just
        self._shown = int(just.seconds)
        self.remember.setChecked(just.chosen)
        self.says.say(remembered_text(just.state, just.why, just.seconds, just.most_s, just.bytes))
        self.keep.setVisible(just.state in ("remembers", "keeping"))
        self.keep.setEnabled(just.state == "remembers")
