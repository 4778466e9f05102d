"""At home on this desktop: started with it, what closing the window means, and what happens when nobody sits here."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ...app.presence.at_home import AtHome
from ...home.autostart import AutostartError
from ...words.at_home import CHOICE_TEXT, CHOICES, EVENT_TEXT
from ...words.translation import _
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.label import Words
from ..theme.theme import Theme

YES, NO = "yes", "no"


class HomeDialog(QDialog):
    """`switch(on)` puts the entry that starts it with the desktop, or takes it away."""

    def __init__(
        self,
        theme: Theme,
        home: AtHome,
        stays: bool,
        set_stays: Callable[[bool], None],
        starts: bool,
        switch: Callable[[bool], None],
        parent: QWidget,
    ):
        super().__init__(parent)
        self.setWindowTitle(_("At home on this desktop"))
        self.resize(660, 620)
        self._home, self._set_stays, self._switch = home, set_stays, switch
        self._theme = theme
        column = QVBoxLayout(self)
        column.setSpacing(10)
        self.starts = self._question(
            column, _("Start with the desktop"), [(YES, _("yes, hidden")), (NO, "no")], self._start,
            _("The last setup sounds again, and everything joins as it appears. Nobody hears you until you let them."),
        )  # fmt: skip
        self.starts.show_on(YES if starts else NO)
        self.stays = self._question(
            column, _("Closing the window"), [(YES, _("leaves the sound on")), (NO, "ends Brucke")], self._stay, ""
        )
        self.stays.show_on(YES if stays else NO)
        self.choices = {}
        for event in CHOICES:
            offered = [(c, CHOICE_TEXT[c]) for c in sorted(CHOICES[event], key=list(CHOICE_TEXT).index)]
            chips = self._question(column, EVENT_TEXT[event], offered, partial(self._choose, event), "")
            chips.show_on(home.choice(event))
            self.choices[event] = chips
        self.awake, self.said = Words(theme, "body", "mute"), Words(theme, "strong", "coral")
        self.awake.say(home.awake_text)
        away = Button(theme, _("Close"), "plain", "Esc")
        away.clicked.connect(self.reject)
        for w in (self.awake, self.said):
            column.addWidget(w)
        column.addStretch(1)
        column.addWidget(away)

    def _question(
        self, column: QVBoxLayout, text: str, choices: list[tuple[str, str]], chose: Callable[[str], None], more: str
    ) -> Chips:
        card = Card(self._theme)
        title = Words(self._theme, "strong")
        title.setText(text)
        chips = Chips(self._theme, text, choices, chose)
        card.column.addWidget(title)
        card.column.addWidget(chips)
        if more:
            words = Words(self._theme, "small", "mute")
            words.setText(more)
            card.column.addWidget(words)
        column.addWidget(card)
        return chips

    def _start(self, which: str) -> None:
        try:
            self._switch(which == YES)
        except AutostartError as e:
            self.said.say(f"{e}.")
            return
        self.said.say("")
        self.starts.show_on(which)

    def _stay(self, which: str) -> None:
        self._set_stays(which == YES)
        self.stays.show_on(which)

    def _choose(self, event: str, what: str) -> None:
        self._home.choose(event, what)
        self.choices[event].show_on(what)
