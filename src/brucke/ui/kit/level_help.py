"""The button that sets a trim from the loudest line, with what it says; Gather and Shape both have it."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...app.chains.level_help import LevelFinder
from ...core.checks.level_advice import LISTEN_S
from ...words.translation import _
from ..theme.theme import Theme
from .button import Button
from .label import Words


class LevelHelp(QWidget):
    def __init__(self, theme: Theme, levelling: LevelFinder, place: str):
        super().__init__()
        self.levelling, self.place, self.part = levelling, place, ""
        self.button = Button(theme, "", "outline")
        self.words = Words(theme, "body", "mute")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.button)
        column.addWidget(self.words)
        self.button.clicked.connect(self._press)
        levelling.changed.connect(self._show)
        self._show()

    def show_part(self, part: str) -> None:
        if part != self.part and not self.levelling.part:
            self.levelling.message = ""
        self.part = part
        self._show()

    def _show(self) -> None:
        x = self.levelling
        mine = bool(x.part) and x.part == self.part
        self.button.setText(_("Stop") if mine else _("Sing or play loud for {s:.0f} s").format(s=LISTEN_S))
        self.button.updateGeometry()
        if mine:
            self.words.say(_("Sing or play the loudest line now: {s:.0f} s.").format(s=x.left_s), "ink")
        else:
            self.words.say(x.message, "coral" if x.failed else "water")

    def _press(self) -> None:
        if self.levelling.part == self.part:
            self.levelling.cancel()
        else:
            self.levelling.begin(self.part, self.place)
