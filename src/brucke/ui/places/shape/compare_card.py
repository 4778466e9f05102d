"""Two versions of a chain, and the sound without it, at the same loudness."""

from PyQt6.QtCore import pyqtSignal

from ....core.document.setup import Setup
from ....core.edits import chain_edits
from ....engine.step.live import Without
from ....words.shape import matched_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme


class CompareCard(Card):
    """`without(slot)`: the sound without one processor, or with −1 without all; the same once more brings them back."""

    without = pyqtSignal(int)

    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.edit, self.setup, self.owner, self.slot = edit, Setup(), "", 0
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Compare"))
        self.versions = Chips(theme, _("Version"), [("A", "A"), ("B", "B")], self._version)
        self.one = Button(theme, _("Keep only this one"), "outline")
        self.all = Button(theme, _("Without all"), "choice")
        self.this = Button(theme, _("Without this"), "choice")
        self.said = Words(theme, "body", "mute")
        self.column.addWidget(title)
        for line in ((self.versions, self.one), (self.all, self.this)):
            flow = Flow(8)
            for w in line:
                flow.addWidget(w)
            self.column.addLayout(flow)
        self.column.addWidget(self.said)
        self.one.clicked.connect(self._keep)
        self.all.clicked.connect(lambda: self._hear(-1))
        self.this.clicked.connect(lambda: self._hear(self.slot))

    def show_chain(self, setup: Setup, owner: str, slot: int, without: Without | None) -> None:
        self.setup, self.owner, self.slot = setup, owner, slot
        thing = chain_edits.owned(setup, owner)
        mine = without if without is not None and without.owner == owner else None
        self.versions.show_on(thing.version)
        self.one.setVisible(thing.other_chain is not None)
        self.all.setChecked(mine is not None and mine.slot < 0)
        self.this.setChecked(mine is not None and mine.slot == slot)
        for b in (self.all, self.this):
            b.setVisible(bool(thing.chain))
        self.said.say(matched_text(mine.gain_db) if mine is not None else "")

    def _hear(self, slot: int) -> None:
        self.show_chain(self.setup, self.owner, self.slot, None)  # stays as it is until the live state says otherwise
        self.without.emit(slot)

    def change_version(self) -> None:
        thing = chain_edits.owned(self.setup, self.owner)
        after = chain_edits.other_version(self.setup, self.owner)
        self.edit(f"{thing.name} {_('version')} {chain_edits.owned(after, self.owner).version}", after)

    def _version(self, version: str) -> None:
        if chain_edits.owned(self.setup, self.owner).version != version:
            self.change_version()

    def _keep(self) -> None:
        thing = chain_edits.owned(self.setup, self.owner)
        after = chain_edits.keep_version(self.setup, self.owner)
        self.edit(_("{name} only version {v}").format(name=thing.name, v=thing.version), after)
