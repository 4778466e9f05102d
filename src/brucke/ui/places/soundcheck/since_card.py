"""What is different since the last good hour, each with one press back."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ....app.presence.known_good_sessions import KnownGoodSessions
from ....app.session.session import Session
from ....core.knowledge.good_hour import Change
from ....words.good_hour import back_text, change_text, since_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.label import Words
from ...theme.theme import Theme

MOST = 12


class ChangeRow(QWidget):
    """One difference, and its press."""

    def __init__(self, theme: Theme):
        super().__init__()
        self.what = Words(theme, "body")
        self.back = Button(theme, "", "outline")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.what, 1)
        row.addWidget(self.back)


class SinceCard(Card):
    """`by_hand`: what is no edit. Hidden while nothing is different, or no hour is remembered."""

    by_hand = pyqtSignal(str)

    def __init__(self, theme: Theme, session: Session, hours: KnownGoodSessions):
        super().__init__(theme)
        self.theme, self.session, self.known_good = theme, session, hours
        self.title, self.more = Words(theme, "strong", "amber"), Words(theme, "small", "mute")
        self.rows: list[ChangeRow] = []
        self._shown: tuple[Change, ...] = ()
        self.column.addWidget(self.title)
        self.column.addWidget(self.more)
        hours.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        changes, then = self.known_good.changes, self.known_good.then
        self.setVisible(bool(changes))
        if then is None or not changes:
            return
        self.title.say(since_text(then, len(changes)))
        shown = changes[:MOST]
        left = len(changes) - len(shown)
        self.more.say(_("and {left} more").format(left=left) if left else "")
        while len(self.rows) < len(shown):
            row = ChangeRow(self.theme)
            at = len(self.rows)
            row.back.clicked.connect(lambda _checked=False, at=at: self._back(at))
            self.column.insertWidget(1 + len(self.rows), row)
            self.rows.append(row)
        self._shown = shown
        for i, row in enumerate(self.rows):
            row.setVisible(i < len(shown))
            if i < len(shown):
                row.what.say(change_text(then, self.session.setup, shown[i]))
                row.back.setText(back_text(shown[i]))
                row.back.setAccessibleName(f"{row.back.text()}: {row.what.text()}")
                row.back.updateGeometry()

    def _back(self, at: int) -> None:
        done = self.known_good.back(self._shown[at]) if at < len(self._shown) else ""
        if done and done != "edit":
            self.by_hand.emit(done)
