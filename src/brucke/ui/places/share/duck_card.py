"""Whether the chosen route goes down under another part, by how much and how fast."""

from typing import Any

from msgspec.structs import replace

from ....core.document.setup import Duck
from ....core.edits import route_edits
from ....core.routing.feedback_loops import carries
from ....core.timing.arrivals import Timing
from ....words.ducking import NOBODY, SHORT
from ....words.timing import part_name
from ....words.translation import _
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme
from .route_cards import RouteCard


class DuckCard(RouteCard):
    def __init__(self, theme: Theme, edit: Edit):
        super().__init__(theme, edit, _("Goes down under"))
        self.under = Chips(theme, _("Goes down under"), [], self._choose)
        self.fields = {
            "depth_db": NumberField(theme, _("By how much it goes down"), -60, 0, "dB"),
            "threshold_db": NumberField(theme, _("Above which level of the other"), -80, 0, "dBFS"),
            "release_ms": NumberField(theme, _("How fast it comes back"), 1, 5000, "ms", 0),
        }
        self.column.addWidget(self.title)
        self.column.addWidget(self.under)
        self.labels = []
        for name, field in self.fields.items():
            label = Words(theme, "small", "mute", wraps=False)
            label.setText(SHORT[name])
            self.labels.append(label)
            self.column.addLayout(row(label, field))
            field.entered.connect(
                lambda value, name=name: self._change(**{name: abs(value) if name == "depth_db" else value})
            )

    def applies(self) -> bool:
        return super().applies() and self.route.way == "engine" and bool(self._others())

    def _others(self) -> list[tuple[str, str]]:
        """Parts that this listener hears as well."""
        setup = self.setup
        routes = [r for r in setup.routes if r.listener == self.listener.id and carries(r) and r.way == "engine"]
        ids = {r.part for r in routes} - {self.part.id}
        return [(p.id, part_name(setup, p.id)) for p in setup.parts if p.id in ids and p.kind != "picture"]

    def refresh(self, timing: Timing) -> None:
        duck = self.route.duck
        self.under.offer([("", NOBODY), *self._others()])
        self.under.show_on(duck.under if duck is not None else "")
        for label, (name, field) in zip(self.labels, self.fields.items(), strict=True):
            for w in (label, field):
                w.setVisible(duck is not None)
            if duck is not None:
                field.show_value(-duck.depth_db if name == "depth_db" else getattr(duck, name))

    def _choose(self, part: str) -> None:
        old = self.route.duck
        duck = None if not part else replace(old, under=part) if old is not None else Duck(under=part)
        self._put(
            duck, _("goes down under {part}").format(part=part_name(self.setup, part)) if part else _("no ducking")
        )

    def _change(self, **fields: Any) -> None:
        if self.route.duck is not None:
            self._put(replace(self.route.duck, **fields), _("ducking"))

    def _put(self, duck: Duck | None, what: str) -> None:
        after = route_edits.set_duck(self.setup, self.part.id, self.listener.id, duck)
        self.edit(f"{self.name}: {what}", after, "duck")
