"""What a chain costs in time, who gets the sound through it and who dry, and what the player feels of it."""

from functools import partial

from ....core.document.setup import Setup
from ....core.edits.route_edits import set_bypass, set_processed
from ....words.shape import felt_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme
from .model import Carried, carried, felt_at


class CostCard(Card):
    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme)
        self.theme, self.edit, self.setup, self.owner = theme, edit, Setup(), ""
        title = Words(theme, "strong", wraps=False)
        title.setText(_("What it costs"))
        self.cost, self.felt = Words(theme, "body"), Words(theme, "body", "amber")
        self.dry = Button(theme, _("Hear myself dry"), "outline")
        self.who = Words(theme, "body", "mute")
        self.buttons: dict[str, Button] = {}
        for w in (title, self.cost, self.felt, self.dry, self.who):
            self.column.addWidget(w)
        self._flow = Flow(6)
        self.column.addLayout(self._flow)
        self.dry.clicked.connect(self._hear_dry)

    def show_chain(self, setup: Setup, owner: str, cost: str, ms: str) -> None:
        self.setup, self.owner = setup, owner
        self.cost.say(f"{cost[0].upper()}{cost[1:]}." if cost else "")
        felt = felt_at(setup, owner)
        self.felt.say(felt_text([setup.listener(x).name for x in felt], ms) if felt else "")
        self.dry.setVisible(bool(felt))
        routes = carried(setup, owner)
        of_part = owner.startswith("part/")
        self.who.say((_("Who gets it processed") if of_part else _("What goes through it")) if routes else "")
        self._offer(routes)

    def _offer(self, routes: tuple[Carried, ...]) -> None:
        if list(self.buttons) != [r.key for r in routes]:
            for old in self.buttons.values():
                self._flow.removeWidget(old)
                old.hide()
                old.deleteLater()
            self.buttons = {}
            for r in routes:
                button = Button(self.theme, r.name, "choice", parent=self)
                button.clicked.connect(partial(self._toggle, r.key))
                self._flow.addWidget(button)
                self.buttons[r.key] = button
                button.show()
        of_part = self.owner.startswith("part/")
        for r in routes:
            state = (_("processed") if r.processed else _("dry")) if of_part else ("" if r.processed else _("past it"))
            button = self.buttons[r.key]
            button.setText(f"{r.name}: {state}" if state else r.name)
            button.setChecked(r.processed)
            button.updateGeometry()

    def _toggle(self, key: str, _checked: bool = False) -> None:
        now = next(r for r in carried(self.setup, self.owner) if r.key == key)
        self.buttons[key].setChecked(now.processed)  # stays as it is until the setup says otherwise
        id = self.owner.partition("/")[2]
        if self.owner.startswith("part/"):
            word = _("dry") if now.processed else _("processed")
            name = f"{self.setup.part(id).name} → {now.name} {word}"
            self.edit(name, set_processed(self.setup, id, key, not now.processed))
        else:
            word = _("past its processors") if now.processed else _("through its processors")
            name = f"{now.name} → {self.setup.listener(id).name} {word}"
            self.edit(name, set_bypass(self.setup, key, id, now.processed))

    def _hear_dry(self) -> None:
        after, id = self.setup, self.owner.partition("/")[2]
        for listener in felt_at(self.setup, self.owner):
            after = set_processed(after, id, listener, False)
        self.edit(_("{part} dry in the headphones").format(part=self.setup.part(id).name), after)
