"""Two computers: who can be found, the four digits, what may be taken there and what is taken from there."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRegularExpression
from PyQt6.QtGui import QRegularExpressionValidator
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...core.edits.peer_edits import device_of_peer, offerable
from ...core.network.control_messages import Offered
from ...engine.step.live import open_now
from ...words import two_computers as words
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.card import Card
from ..kit.dialog import BesideWindow
from ..kit.field import TextField
from ..kit.label import Words
from ..kit.place import scrolled
from ..kit.row import ends, row
from ..theme.theme import Theme
from .plain_rtp_card import PlainRtpCard
from .rows import Press, Rows
from .tool import Tool

if TYPE_CHECKING:  # what the network needs is loaded when this is opened
    from ...app.network.peer_session import PeerSession
    from ...app.network.two_computers import TwoComputers
    from ...ports.network.lobby_messages import Neighbour

DIGITS = 4


class CodeCard(Card):
    """The digits to be typed there, or the field for those that stand there."""

    def __init__(self, theme: Theme, two: "TwoComputers"):
        super().__init__(theme)
        self._two = two
        self.title, self.digits = Words(theme, "name"), Words(theme, "title", "water", explains=False)
        self.field = TextField(theme, _("Four digits"))
        self.field.setMaxLength(DIGITS)
        self.field.setValidator(QRegularExpressionValidator(QRegularExpression("[0-9]*"), self.field))
        self.field.setFixedWidth(round(theme.tokens.px(120)))
        self.away = Button(theme, _("Let go"), "plain")
        for w in (self.title, self.digits):
            self.column.addWidget(w)
        line = row(self.field)
        line.addStretch(1)
        line.addWidget(self.away)
        self.column.addLayout(line)
        self.field.textEdited.connect(self._typed)
        self.away.clicked.connect(two.give_up)

    def refresh(self) -> None:
        talking = self._two.talking
        self.setVisible(bool(talking.name))
        self.title.say(words.talking_text(talking.name, talking.shows, talking.types, talking.waits))
        self.digits.say(" ".join(talking.shows))
        types = talking.types > 0
        if types and self.field.isHidden():
            self.field.clear()
            self.field.show()
            self.field.setFocus()
        self.field.setVisible(types)

    def _typed(self, text: str) -> None:
        """With the last digit it goes, nothing else has to be pressed."""
        digits = "".join(c for c in text if c.isdigit())
        if len(digits) == DIGITS:
            self.field.hide()
            self._two.type_code(digits)


class PeerCard(Card):
    """One computer that this one is open to."""

    def __init__(self, theme: Theme, two: "TwoComputers", id: str):
        super().__init__(theme)
        self._two, self._id = two, id
        self.title, self.state = Words(theme, "name", explains=False), Words(theme, "body", "mute")
        self.takes_title, self.gives_title = Words(theme, "strong"), Words(theme, "strong")
        self.takes, self.gives, self.doors, self.waits = Rows(theme), Rows(theme), Rows(theme), Rows(theme)
        self.away = Button(theme, _("Close to this computer"), "plain")
        said = self.title, self.state, self.waits
        for w in (*said, self.takes_title, self.takes, self.gives_title, self.gives, self.doors):
            self.column.addWidget(w)
        self.column.addLayout(ends(right=self.away))
        self.away.clicked.connect(lambda: two.part(id))

    def refresh(self, peer: "PeerSession") -> None:
        two, setup = self._two, self._two.session.setup
        self.title.say(peer.name)
        device = device_of_peer(setup, self._id)
        matched = two.session.facts.matched.get(device.id) if device is not None else None
        calling = (words.CALLING.format(name=peer.name), "mute")
        self.state.say(*(calling if peer.calling else words.peer_text(peer.name, peer.state, matched)))
        self._show_wait(peer, matched.in_s if matched is not None and peer.state.there else 0.0)
        self._show_doors()
        taken = two.takes(self._id)
        self.takes_title.say(words.offers_text(peer.name, bool(peer.offer.things)))
        buttons: list[Press] = [(t.key, t.name, t.key in taken, partial(self._take, t)) for t in peer.offer.things]
        parts = [b for b in buttons if b[0].startswith("part:")]
        listeners = [b for b in buttons if not b[0].startswith("part:")]
        self.takes.show_rows([(text, "mute", made) for text, made in
                              ((words.HEAR_FROM, parts), (words.SEND_TO, listeners)) if made])  # fmt: skip
        self.gives_title.say(words.gives_text(peer.name, bool(offerable(setup))))
        ours: list[Press] = [
            (key, name, key in two.offered, partial(self._offer, key)) for key, name in offerable(setup)
        ]
        parts = [b for b in ours if b[0].startswith("part:")]
        listeners = [b for b in ours if not b[0].startswith("part:")]
        self.gives.show_rows([(text, "mute", made) for text, made in
                              ((words.MAY_HEAR, parts), (words.MAY_SEND, listeners)) if made])  # fmt: skip

    def _show_wait(self, peer: "PeerSession", seconds: float) -> None:
        """Where what comes from there has to wait for long, it may be found whether it still has to."""
        press: Press = (self._id, words.FIND_ANEW, None, peer.find_set_point)
        self.waits.show_rows([(words.waits_text(peer.name), "mute", [press])] if seconds > words.LONG_S else [])

    def _show_doors(self) -> None:
        """What goes there, and whether they are let hear it."""
        two, live = self._two, self._two.session.live
        rows: list[tuple[str, str, list[Press]]] = []
        for x in two.given(self._id):
            is_open = open_now(two.session.setup, x, live)
            text, press = words.door_text(x.name, is_open, live.silent)
            do = partial(two.let_hear, x.id, not is_open)
            rows.append((text, "water" if is_open else "mute", [(x.id, press, None, do)]))
        self.doors.show_rows(rows)

    def _take(self, thing: Offered) -> None:
        if thing.key in self._two.takes(self._id):
            self._two.leave(self._id, thing.key)
        else:
            self._two.take(self._id, thing)

    def _offer(self, key: str) -> None:
        self._two.offer(key, key not in self._two.offered)


class TwoComputersDialog(BesideWindow):
    """From its opening on this computer can be found; once it is left nobody new finds it."""

    def __init__(self, theme: Theme, two: "TwoComputers", parent: QWidget | None):
        super().__init__(_("Two computers"), 760, 700, parent)
        self._theme, self.two = theme, two
        self.about, self.said = Words(theme, "body", "mute"), Words(theme, "strong")
        self.name = TextField(theme, _("What this computer is called to others"))
        self.code, self.asks, self.found = CodeCard(theme, two), Rows(theme), Rows(theme)
        self.here, self.place = Words(theme, "body", "mute"), TextField(theme, words.PLACE)
        self.peers: dict[str, PeerCard] = {}
        self.plain = PlainRtpCard(theme, two)
        self.close_all = Button(theme, _("Close to everybody"), "outline")
        self.away = Button(theme, _("Close this window"), "plain", "Esc")
        self._build()
        self.follow(two.changed, self.refresh)
        self.follow(two.session.changed, self.refresh)
        self.finished.connect(lambda _code: two.stop_looking())
        two.open()
        self.refresh()

    def _build(self) -> None:
        inner = QWidget()
        column = self._column = QVBoxLayout(inner)
        column.setSpacing(10)
        self.about.setText(words.ABOUT)
        label = Words(self._theme, "body", "mute", wraps=False)
        label.setText(_("This computer is called"))
        column.addWidget(self.about)
        column.addLayout(row(label, self.name))
        for w in (self.said, self.code, self.asks, self.found):
            column.addWidget(w)
        column.addWidget(self.here)
        line = row(self.place)
        line.addStretch(1)
        column.addLayout(line)
        column.addWidget(self.plain)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.addWidget(scrolled(self._theme, inner))
        whole.addLayout(ends(self.close_all, right=self.away))
        self.place.setPlaceholderText(_("as {place}").format(place="192.168.1.20:41234"))
        self.place.setFixedWidth(round(self._theme.tokens.px(240)))
        self.name.entered.connect(self.two.set_name)
        self.place.entered.connect(self.two.look_at)
        self.close_all.clicked.connect(self.two.close_all)
        self.close_all.clicked.connect(self.reject)
        self.away.clicked.connect(self.reject)

    def refresh(self) -> None:
        two = self.two
        self.name.show_text(two.name)
        self.said.say(two.said, two.tone)
        self.code.refresh()
        self.asks.show_rows([
            (words.asks_text(name), "ink",
             [(f"yes {id}", _("Open"), None, partial(two.answer, id, True)),
              (f"no {id}", _("Not now"), None, partial(two.answer, id, False))])
            for id, name in two.asks.items()
        ])  # fmt: skip
        self.found.show_rows(self._found())
        self.here.say(words.here_text(two.here))
        self.place.setVisible(bool(two.here))
        self.close_all.setVisible(bool(two.sessions))
        self._show_peers()
        first = next((b for rows in (self.asks, self.found) for b in rows.buttons.values()), None)
        if first is not None and self.name.hasFocus() and not self.name.isModified():
            first.setFocus()  # what there is to press is at hand

    def _found(self) -> list[tuple[str, str, list[Press]]]:
        two = self.two
        others = [n for n in two.neighbours if n.id not in two.sessions]
        names = [n.name for n in others]
        rows: list[tuple[str, str, list[Press]]] = [
            (words.found_text(n.name, n.address, n.known, names.count(n.name) > 1), "ink",
             [(n.id, _("Ask to open") if n.known else _("Agree on a code"), None, self._asking(n))])
            for n in others
        ]  # fmt: skip
        gone = [n for n in two.agreed if n.id not in {x.id for x in two.neighbours} and n.id not in two.sessions]
        rows += [
            (words.gone_text(n.name), "mute", [(f"forget {n.id}", _("Forget"), None, partial(two.forget, n.id))])
            for n in gone
        ]
        return rows or ([] if two.sessions else [(words.NOBODY, "mute", [])])

    def _asking(self, n: "Neighbour") -> Callable[[], None]:
        return partial(self.two.ask if n.known else self.two.agree, n.id)

    def _show_peers(self) -> None:
        for id in [id for id in self.peers if id not in self.two.sessions]:
            card = self.peers.pop(id)
            self._column.removeWidget(card)
            card.hide()
            card.deleteLater()
        self.plain.refresh()
        brucke = {id: peer for id, peer in self.two.sessions.items() if not peer.given.is_plain}
        for id, peer in brucke.items():
            if id not in self.peers:
                self.peers[id] = PeerCard(self._theme, self.two, id)
                self._column.insertWidget(self._column.count() - 4, self.peers[id])
            self.peers[id].refresh(peer)


TWO_COMPUTERS = Tool(
    Action("two_computers", _("Two computers: another one with Brucke, in step…"), "Ctrl+T"), "", "",
    lambda host: host.show(TwoComputersDialog(host.theme, host.studio.two_computers, host.parent)),
)  # fmt: skip
