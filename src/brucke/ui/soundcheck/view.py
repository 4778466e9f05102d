"""Every check with what it found: what, where, why, and one action; what is good stands beside."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from ...core.findings import Finding
from ...words_soundcheck import CHECK_TITLES
from ..checking import LISTEN_S, Checking
from ..kit.button import Button
from ..kit.card import Card
from ..kit.finding_card import FindingCard
from ..kit.flow import Flow
from ..kit.label import Words
from ..kit.place import PlaceFrame
from ..session import Session
from ..theme.theme import Theme


class SoundcheckView(QWidget):
    by_hand = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, theme: Theme, session: Session, checking: Checking):
        super().__init__()
        self.theme, self.session, self.checking = theme, session, checking
        self.cards: list[FindingCard] = []
        self._build_head()
        self._main = QWidget()
        self._column = QVBoxLayout(self._main)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(8)
        self.nothing = Words(theme, "name", "water")
        self._column.addWidget(self.nothing)
        self._column.addStretch(1)
        self._side = QWidget()
        side = QVBoxLayout(self._side)
        side.setContentsMargins(0, 0, 0, 0)
        title = Words(theme, "title", wraps=False)
        title.setText("What is good")
        card = Card(theme)
        self.good: dict[str, Words] = {}
        for code, text in CHECK_TITLES.items():
            line = Words(theme, "body")
            line.setText(text)
            card.column.addWidget(line)
            self.good[code] = line
        side.addWidget(title)
        side.addWidget(card)
        side.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(PlaceFrame(theme, self._head, self._main, self._side))
        checking.changed.connect(self.refresh)
        self.refresh()

    def _build_head(self) -> None:
        theme = self.theme
        self.title = Words(theme, "title", wraps=False)
        self.heard = Words(theme, "small", "mute", wraps=False)
        self.listen = Button(theme, "Listen now", "primary", "K")
        self.away = Button(theme, "Back", "outline", "Esc")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Listening, progress")
        self._head = QWidget()
        flow = Flow(12, self._head)
        for w in (self.title, self.heard, self.bar, self.listen, self.away):
            flow.addWidget(w)
        flow.pushed = self.away
        self.listen.clicked.connect(self.checking.listen)
        self.away.clicked.connect(self.left)

    def refresh(self) -> None:
        checking = self.checking
        self.title.say(f"Soundcheck: {checking.good} of {len(checking.results)} are good")
        listened = self.session.facts.listened_s
        if checking.listening:
            self.heard.say(f"listening: play and sing for {LISTEN_S:.0f} s")
        else:
            self.heard.say(f"listened for {listened:.0f} s" if listened else "nothing was listened to yet")
        self.bar.setVisible(checking.listening)
        self.bar.setValue(round(checking.share * 100))
        self.listen.setVisible(not checking.listening)
        self._show(checking.findings)
        bad = {r.check for r in checking.results if r.findings}
        for code, line in self.good.items():
            line.setVisible(code not in bad)

    def _show(self, findings: list[Finding]) -> None:
        while len(self.cards) < len(findings):
            card = FindingCard(self.theme, self.mend)
            self._column.insertWidget(len(self.cards) + 1, card)
            self.cards.append(card)
        for i, card in enumerate(self.cards):
            card.setVisible(i < len(findings))
            if i < len(findings) and card.finding != findings[i]:
                card.show_finding(self.session.situation, findings[i])
        self.nothing.say("" if findings else "Everything is good.")

    def mend(self, f: Finding) -> None:
        done = self.checking.mend(f)
        if done != "edit":
            self.by_hand.emit(done)

    def focus_first(self) -> None:
        """To the first thing to mend, else to listening."""
        first = next((c.button for c in self.cards if not c.isHidden() and not c.button.isHidden()), None)
        (first or (self.away if self.checking.listening else self.listen)).setFocus()

    def go_to(self, thing: str) -> None:
        """Nothing in here is edited by itself."""
