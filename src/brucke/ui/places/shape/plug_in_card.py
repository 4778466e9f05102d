"""Beside a plug-in: every setting it has, and what is wrong with it."""

from functools import partial

from PyQt6.QtWidgets import QWidget

from ....app.chains.plug_ins import PlugInHosts
from ....core.document.setup import Setup
from ....core.edits import chain_edits
from ....core.sound.processors import PlugIn
from ....words.shape import plug_in_fault_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme

MOST_SHOWN = 60


class PlugInCard(Card):
    """Settings count from 0 to 100 %: that is all a plug-in tells of every one."""

    def __init__(self, theme: Theme, edit: Edit, plugging: PlugInHosts):
        super().__init__(theme)
        self.theme, self.edit, self.plugging = theme, edit, plugging
        self.setup, self.owner, self.slot = Setup(), "", 0
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Settings"))
        self.fault = Words(theme, "body", "coral")
        self.again = Button(theme, _("Try again"), "outline")
        self.fields: dict[str, NumberField] = {}
        self._rows: list[QWidget] = []
        for w in (title, self.fault, self.again):
            self.column.addWidget(w)
        self.again.clicked.connect(lambda: self.plugging.again(self._plug_in().place))

    def _plug_in(self) -> PlugIn:
        p = chain_edits.chain_of(self.setup, self.owner)[self.slot]
        assert isinstance(p, PlugIn)
        return p

    def show_plug_in(self, setup: Setup, owner: str, slot: int) -> None:
        self.setup, self.owner, self.slot = setup, owner, slot
        p = self._plug_in()
        fault = self.plugging.fault(p.place)
        self.fault.say(plug_in_fault_text(p.name, fault) if fault else "")
        self.again.setVisible(bool(fault))
        shown = p.parameters[:MOST_SHOWN]
        if list(self.fields) != [x.key for x in shown]:
            self._offer(p)
        for x in shown:
            self.fields[x.key].show_value(100 * x.value)

    def _offer(self, p: PlugIn) -> None:
        for old in self._rows:
            self.column.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.fields, self._rows = {}, []
        for x in p.parameters[:MOST_SHOWN]:
            label = Words(self.theme, "body", "mute")
            label.setText(x.name)
            field = NumberField(self.theme, x.name, 0, 100, "%")
            field.entered.connect(partial(self._changed, x.key, x.name))
            line = QWidget()
            inner = row(label, field, stretch=1)
            inner.setContentsMargins(0, 0, 0, 0)
            line.setLayout(inner)
            self.column.addWidget(line)
            self.fields[x.key] = field
            self._rows.append(line)

    def _changed(self, key: str, name: str, value: float) -> None:
        after = chain_edits.set_plug_in(self.setup, self.owner, self.slot, key, value / 100)
        self.edit(f"{self._plug_in().name} {name}", after, key)
