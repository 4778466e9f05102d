"""What if: another buffer, rate, chain or limit, computed beside the running sound; taken over as one step, or not at
all."""

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...app.session.session import Session
from ...core.aligning.what_if import Place, Wish, beside, costly, present
from ...core.document.ranges import RANGES
from ...core.edits.block_edits import SIZES
from ...words import what_if as words
from ...words.detail import in_numbers
from ...words.timing import listener_name
from ...words.translation import _
from ..kit.action import Action
from ..kit.button import Button
from ..kit.chips import Chips
from ..kit.dialog import BesideWindow
from ..kit.field import own_look
from ..kit.label import Words
from ..kit.row import ends, row
from ..kit.table import PlainTable
from ..kit.wheel import DoubleSpinBox
from ..theme.theme import Theme
from .tool import Tool

RATES_HZ = (44_100, 48_000, 96_000)
ABOUT = _(
    "What sounds now goes on as it is. Choose what would be different; it is only computed until you take it over."
)
WAITING = (("extra_ms", _("later than needed by ")), ("wait_at_most_ms", _("waits at most ")))


class WhatIfDialog(BesideWindow):
    def __init__(self, theme: Theme, session: Session, listener: str, parent: QWidget | None):
        super().__init__(_("What if"), 960, 480, parent)
        self.theme, self.session = theme, session
        self.wish = present(session.setup)
        setup = session.setup
        self.listener = listener if any(x.id == listener for x in setup.listeners) else ""
        self.about, self.sooner = Words(theme, "body", "mute"), Words(theme, "strong", "water")
        self.blocks = Chips(theme, _("One step of the sound"), [], self._block)
        self.rates = Chips(theme, _("Rate"), [(str(r), words.rate_text(r)) for r in RATES_HZ], self._rate)
        self.chain: dict[Place, Button] = {}
        self.which = Chips(theme, _("Waiting at"), [], self._choose)
        self.waiting = {field: self._box(field, text) for field, text in WAITING}
        self.table = PlainTable(theme, _("As it is, aligned, and with this"))
        self.take, self.back = Button(theme, _("Take it over"), "primary"), Button(theme, _("As it was"), "outline")
        self.away = Button(theme, _("Close"), "plain", "Esc")
        self.chain_row = QWidget()
        self._build()
        self.follow(session.changed, self._changed)
        self.refresh()

    def _box(self, field: str, text: str) -> DoubleSpinBox:
        box, limits = DoubleSpinBox(), RANGES["Listener"][field]
        box.setRange(limits.low, limits.high)
        box.setDecimals(0)
        box.setPrefix(text)
        box.setSuffix(" ms")
        box.setAccessibleName(text.strip())
        box.setKeyboardTracking(False)
        own_look(box, self.theme)
        box.valueChanged.connect(lambda _v: self._wait())
        return box

    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setSpacing(8)
        inner = QVBoxLayout(self.chain_row)
        inner.setContentsMargins(0, 0, 0, 0)
        for widget in (self.about, self.blocks, self.rates, self.chain_row, self.which):
            column.addWidget(widget)
        line = row(*self.waiting.values())
        line.addStretch(1)
        column.addLayout(line)
        column.addWidget(self.table, 1)
        column.addWidget(self.sooner)
        column.addLayout(ends(self.take, self.back, right=self.away))
        self.take.clicked.connect(self._take)
        self.back.clicked.connect(self._back)
        self.away.clicked.connect(self.reject)

    # What is wished

    def _ask(self, wish: Wish) -> None:
        self.wish = wish
        self.refresh()

    def _block(self, key: str) -> None:
        self._ask(replace(self.wish, block_frames=int(key)))

    def _rate(self, key: str) -> None:
        self._ask(replace(self.wish, rate_hz=int(key)))

    def _without(self, place: Place) -> None:
        self._ask(replace(self.wish, without=self.wish.without ^ {place}))

    def _choose(self, listener: str) -> None:
        self.listener = listener
        self.refresh()

    def _wait(self) -> None:
        extra, most = (self.waiting[field].value() for field, _text in WAITING)
        others = tuple(w for w in self.wish.waiting if w[0] != self.listener)
        self._ask(replace(self.wish, waiting=(*others, (self.listener, extra, most))))

    def _back(self) -> None:
        self._ask(present(self.session.setup))

    def _changed(self) -> None:
        """What is wished of what has gone meanwhile is wished no longer."""
        setup = self.session.setup
        there = {(owner, place) for owner, place, _s in costly(setup)}
        ids = {x.id for x in setup.listeners}
        self.wish = replace(
            self.wish, without=self.wish.without & there, waiting=tuple(w for w in self.wish.waiting if w[0] in ids)
        )
        if self.listener not in ids:
            self.listener = next(iter(ids), "")
        self.refresh()

    def _take(self) -> None:
        """One step; what would start anything anew while somebody listens is not done, and stays wished."""
        _found, wanted = beside(self.session.situation, self.wish)
        label = words.label_text(self.session.setup, self.wish)
        self.session.edit(label, wanted, "align", f"{self.listener}/")
        if self.session.setup == wanted:
            self.accept()

    # What is shown

    def refresh(self) -> None:
        setup, wish = self.session.setup, self.wish
        self.about.say(ABOUT)
        sizes = sorted({setup.block_frames, *SIZES})
        self.blocks.offer([(str(n), words.block_text(n, wish.rate_hz)) for n in sizes])
        self.blocks.show_on(str(wish.block_frames))
        self.rates.show_on(str(wish.rate_hz))
        self.rates.setVisible(in_numbers())
        self._show_chain()
        self.which.offer(
            [(x.id, _("waiting at {listener}").format(listener=listener_name(setup, x.id))) for x in setup.listeners]
        )
        self.which.show_on(self.listener)
        asked = next((w[1:] for w in wish.waiting if w[0] == self.listener), None)
        for i, (field, _text) in enumerate(WAITING):
            box = self.waiting[field]
            box.setEnabled(bool(self.listener))
            box.blockSignals(True)
            box.setValue(asked[i] if asked else getattr(setup.listener(self.listener), field) if self.listener else 0.0)
            box.blockSignals(False)
        found, wanted = beside(self.session.situation, wish)
        self.table.rows.show_rows(list(words.HEAD), words.rows(setup, wanted, found))
        self.sooner.say(words.sooner_text(setup, found))
        self.take.setEnabled(wanted != setup)
        self.back.setVisible(wish != present(setup))

    def _show_chain(self) -> None:
        """The processors that cost time, each to be thought away."""
        setup = self.session.setup
        wanted = {(owner, place): words.without_text(setup, owner, place, s) for owner, place, s in costly(setup)}
        layout = self.chain_row.layout()
        assert layout is not None
        if {k: b.text() for k, b in self.chain.items()} != wanted:
            for button in self.chain.values():
                button.hide()
                button.deleteLater()
            self.chain = {key: Button(self.theme, text, "chip") for key, text in wanted.items()}
            for key, button in self.chain.items():
                button.setCheckable(True)
                button.clicked.connect(lambda _on=False, key=key: self._without(key))
                layout.addWidget(button)
        for key, button in self.chain.items():
            button.setChecked(key in self.wish.without)
        self.chain_row.setVisible(bool(self.chain))


WHAT_IF = Tool(
    Action("what_if", _("What if: another buffer, a limit, a chain…")), "quicker", _("Only compute it…"),
    lambda host: host.show(WhatIfDialog(host.theme, host.studio.session, host.listener, host.parent)),
)  # fmt: skip
