"""What is wrong, why it matters, and the one button that mends it."""

from collections.abc import Callable

from PyQt6.QtCore import Qt

from ...core.findings import Finding
from ...core.timing.paths import Situation
from ...words.soundcheck import mend_text, mended_by, what_text, why_text
from ..theme.theme import Theme
from .button import Button
from .card import Card
from .label import Words


class FindingCard(Card):
    def __init__(self, theme: Theme, mend: Callable[[Finding], None]):
        super().__init__(theme)
        self.finding: Finding | None = None
        self.what = Words(theme, "strong", "coral")
        self.why = Words(theme, "body")
        self.by_hand = Words(theme, "strong", "amber")
        self.button = Button(theme, "", "primary")
        for w in (self.what, self.why, self.by_hand):
            self.column.addWidget(w)
        self.column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        self.button.clicked.connect(lambda: mend(self.finding) if self.finding is not None else None)

    def show_finding(self, known: Situation, f: Finding) -> None:
        self.finding = f
        self.what.say(what_text(known.setup, f), "coral" if f.needs == "you" else "amber")
        self.why.say(why_text(known.setup, f))
        how = mended_by(known, f)
        by_button = how in ("edit", "measure", "unmute")
        text = mend_text(known, f)
        self.button.setVisible(by_button)
        self.button.setText(text)
        self.button.updateGeometry()
        self.by_hand.say("" if by_button else f"{text}.")
