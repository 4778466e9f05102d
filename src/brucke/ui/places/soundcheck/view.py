"""Every check with what it found: what, where, why, and one action; what is good stands beside."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ....app.measuring.soundcheck import LISTEN_S
from ....app.studio import Studio
from ....core.findings import Finding
from ....words.soundcheck import CHECK_TITLES, count_text, title_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.finding_card import FindingCard
from ...kit.flow import Flow
from ...kit.label import Words
from ...kit.place import Place, PlaceFrame
from ...kit.progress import progress_bar
from ...theme.theme import Theme
from .since_card import SinceCard


class SoundcheckView(Place):
    id = "soundcheck"

    by_hand = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, theme: Theme, studio: Studio):
        super().__init__(theme, studio)
        self.session, self.checking = studio.session, studio.checking
        session, hours = studio.session, studio.known_good
        self.cards: list[FindingCard] = []
        self._build_head()
        self._main = QWidget()
        self._column = QVBoxLayout(self._main)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self.since = SinceCard(theme, session, hours)
        self.since.by_hand.connect(self.by_hand)
        self.nothing = Words(theme, "name", "water")
        self._column.addWidget(self.since)
        self._column.addWidget(self.nothing)
        self._column.addStretch(1)
        self._side = QWidget()
        side = QVBoxLayout(self._side)
        side.setContentsMargins(0, 0, 0, 0)
        self.not_yet: dict[str, Words] = {}
        self.good: dict[str, Words] = {}
        self.waiting = self._list(_("Not known yet"), self.not_yet, "mute")
        side.addWidget(self.waiting)
        side.addWidget(self._list(_("What is good"), self.good, "ink"))
        side.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self._main, self._side))
        self.checking.changed.connect(self.refresh)
        self.refresh()

    def _list(self, heading: str, lines: dict[str, Words], tone: str) -> QWidget:
        """A card with a line for every check, of which those that apply are shown."""
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        title = Words(self.theme, "title", wraps=False)
        title.setText(heading)
        card = Card(self.theme)
        for code in CHECK_TITLES:
            lines[code] = Words(self.theme, "body", tone)
            card.column.addWidget(lines[code])
        column.addWidget(title)
        column.addWidget(card)
        return whole

    def _build_head(self) -> None:
        theme = self.theme
        self.title = Words(theme, "title", wraps=False)
        self.heard = Words(theme, "small", "mute", wraps=False)
        self.listen = Button(theme, _("Listen now"), "primary", "K")
        self.away = Button(theme, _("Back"), "outline", "Esc")
        self.bar = progress_bar(_("Listening, progress"), 100)
        self._head = QWidget()
        flow = Flow(12, self._head)
        for w in (self.title, self.heard, self.bar, self.listen, self.away):
            flow.addWidget(w)
        flow.pushed = self.away
        self.listen.clicked.connect(self.checking.listen)
        self.away.clicked.connect(self.left)

    def refresh(self) -> None:
        checking = self.checking
        self.title.say(f"Soundcheck: {count_text(checking.results)}")
        listened = self.session.facts.listened_s
        if checking.listening:
            self.heard.say(_("listening: play and sing for {seconds:.0f} s").format(seconds=LISTEN_S))
        else:
            self.heard.say(
                _("listened for {listened:.0f} s").format(listened=listened)
                if listened
                else _("nothing was listened to yet")
            )
        self.bar.setVisible(checking.listening)
        self.bar.setValue(round(checking.share * 100))
        self.listen.setVisible(not checking.listening)
        self._show(checking.findings)
        state = {r.check: r.state for r in checking.results}
        for code, line in self.good.items():
            line.setVisible(state.get(code) == "good")
            for known in (line, self.not_yet[code]):
                known.setText(title_text(code))
            self.not_yet[code].setVisible(state.get(code) == "not_yet")
        self.waiting.setVisible("not_yet" in state.values())

    def _show(self, findings: list[Finding]) -> None:
        while len(self.cards) < len(findings):
            card = FindingCard(self.theme, self.mend)
            self._column.insertWidget(len(self.cards) + 2, card)
            self.cards.append(card)
        for i, card in enumerate(self.cards):
            card.setVisible(i < len(findings))
            if i < len(findings) and card.finding != findings[i]:
                card.show_finding(self.session.situation, findings[i])
        waiting = sum(r.state == "not_yet" for r in self.checking.results)
        nothing = (
            _("Nothing has to be mended; {waiting} are not known yet.").format(waiting=waiting)
            if waiting
            else _("Everything is good.")
        )
        self.nothing.say("" if any(f.needs == "you" for f in findings) else nothing)

    def mend(self, f: Finding) -> None:
        done = self.checking.mend(f)
        if done != "edit":
            self.by_hand.emit(done)

    def enter(self) -> None:
        """To the first thing to mend, else to listening."""
        first = next((c.button for c in self.cards if not c.isHidden() and not c.button.isHidden()), None)
        (first or (self.away if self.checking.listening else self.listen)).setFocus()
