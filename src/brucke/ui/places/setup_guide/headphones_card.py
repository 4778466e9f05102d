"""The headphone check: where the tone is heard, in one press each, and what that says."""

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QScrollArea

from ....app.measuring.headphone_check import HeadphoneCheck
from ....words.headphones import ANSWER_TEXT, ASKED, TOO_LOUD, result_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme

LOUD = "loud"


class HeadphonesCard(Card):
    def __init__(self, theme: Theme, check: HeadphoneCheck):
        super().__init__(theme)
        self.check = check
        self.title = Words(theme, "strong", wraps=False)
        self.title.setText(_("The headphones"))
        self.said = Words(theme, "body")
        self.begin = Button(theme, _("Check them"), "outline", "Shift+H")
        self.answers = {code: Button(theme, text, "outline") for code, text in {**ANSWER_TEXT, LOUD: TOO_LOUD}.items()}
        flow = Flow(8)
        for button in (self.begin, *self.answers.values()):
            flow.addWidget(button)
        for w in (self.title, self.said):
            self.column.addWidget(w)
        self.column.addLayout(flow)
        self.begin.clicked.connect(self._begin)
        for code, button in self.answers.items():
            button.clicked.connect(lambda _checked=False, code=code: self._answer(code))
        check.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        check = self.check
        asks = check.asks
        self.begin.setVisible(not asks)
        for button in self.answers.values():
            button.setVisible(bool(asks))
        if asks:
            self.said.say(ASKED[asks], "ink")
        elif check.found is None:
            self.said.say(_("A soft tone left, then right: ten seconds, before anything is measured."), "mute")
        else:
            self.said.say(result_text(check.found, check.way_s), "coral" if check.found else "water")

    def show_if_due(self) -> None:
        """While it asks, or has something to say."""
        check = self.check
        self.setVisible((bool(check.asks) or check.found is not None) and check.monitor is not None)

    def _begin(self) -> None:
        self.check.begin()
        self.focus_first()

    def _answer(self, code: str) -> None:
        """The next question has the focus where this one had it."""
        self.check.answer(code)
        self.focus_first()

    def focus_first(self) -> None:
        (self.answers["left"] if self.check.asks else self.begin).setFocus()
        QTimer.singleShot(0, self._show_whole)  # once it is as tall as what it says

    def _show_whole(self) -> None:
        area = self.parentWidget()
        while area is not None and not isinstance(area, QScrollArea):
            area = area.parentWidget()
        if area is not None:
            area.ensureWidgetVisible(self)
