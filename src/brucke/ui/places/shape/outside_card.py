"""Beside a step outside: where it goes out and comes back, how long that takes, and what is wrong with it."""

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from ....app.chains.outside_watch import OutsideWatch
from ....app.measuring.round_trip import Measurer
from ....core.document.setup import Setup
from ....core.edits import chain_edits, outside_edits
from ....core.knowledge.quantities import OUTSIDE_STEP
from ....core.routing.clocks import of_this_computer
from ....core.routing.outside_steps import path_ids
from ....core.sound.processors import OutsideStep
from ....words.outside_step import fault_text, takes_text, where_text
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.field import NumberField
from ...kit.label import Words
from ...kit.row import row
from ...theme.theme import Theme

PROGRAM = "program"  # the choice of a program of this computer; no device has such an id with a space before it


class OutsideCard(Card):
    def __init__(self, theme: Theme, edit: Edit, watch: OutsideWatch, measuring: Measurer):
        super().__init__(theme)
        self.theme, self.edit, self.watch, self.measuring = theme, edit, watch, measuring
        self.setup, self.owner, self.slot = Setup(), "", 0
        title = Words(theme, "strong", wraps=False)
        title.setText(_("Where it goes"))
        self.ways = Chips(theme, _("Where it goes"), [], self._choose)
        self.out, self.back = (NumberField(theme, name, 1, 255, "", 0) for name in (_("Out on"), _("Back on")))
        self.sockets = self._sockets()
        self.where, self.takes = Words(theme, "body", "mute"), Words(theme, "body")
        self.fault = Words(theme, "body", "coral")
        self.measure = Button(theme, _("Measure its way"), "outline")
        for w in (title, self.ways, self.sockets, self.where, self.takes, self.fault, self.measure):
            self.column.addWidget(w)
        self.out.entered.connect(lambda v: self._move(send_channel=round(v) - 1))
        self.back.entered.connect(lambda v: self._move(back=round(v) - 1))
        self.measure.clicked.connect(self._measure)
        watch.changed.connect(self._show_fault)
        measuring.changed.connect(self._show_fault)

    def _sockets(self) -> QWidget:
        box = QWidget()
        labels = [Words(self.theme, "body", "mute", wraps=False) for _side in range(2)]
        for label, text in zip(labels, (_("out on"), _("back on")), strict=True):
            label.setText(text)
        line = row(labels[0], self.out, labels[1], self.back)
        line.setContentsMargins(0, 0, 0, 0)
        box.setLayout(line)
        return box

    @property
    def step(self) -> OutsideStep | None:
        chain = chain_edits.chain_of(self.setup, self.owner) if self.owner else ()
        p = chain[self.slot] if self.slot < len(chain) else None
        return p if isinstance(p, OutsideStep) else None

    def show_step(self, setup: Setup, owner: str, slot: int) -> None:
        self.setup, self.owner, self.slot = setup, owner, slot
        p = self.step
        if p is None:
            return
        interfaces = [d for d in setup.devices if d.kind == "interface" and not of_this_computer(d)]
        program = any(of_this_computer(d) for d in setup.devices)
        self.ways.offer([*((d.id, d.name) for d in interfaces), *([(PROGRAM, _("A program"))] if program else [])])
        at_interface = any(d.id == p.send_device for d in interfaces)
        self.ways.show_on(p.send_device if at_interface else PROGRAM if p.send_device else "")
        self.sockets.setVisible(at_interface)
        self.out.show_value(p.send_channel + 1)
        self.back.show_value(p.return_channels[0] + 1)
        self.where.say(where_text(setup, p))
        self.takes.say(takes_text(setup, p))
        self.measure.setVisible(bool(p.send_device))
        self._show_fault()

    def _show_fault(self) -> None:
        p = self.step
        if p is None:
            return
        fault = self.watch.fault(p.place)
        failed = self.measuring.failed and self.measuring.quantity is OUTSIDE_STEP
        self.fault.say(fault_text(p.name, fault) if fault else self.measuring.message if failed else "")
        self.measure.setEnabled(not self.measuring.busy)
        self.measure.setText(_("Measuring…") if self.measuring.busy else _("Measure its way"))

    def _changed(self, after: Setup, label: Callable[[str], str] = str) -> None:
        p = self.step
        if p is not None and after != self.setup:
            self.edit(label(p.name), after)

    def _choose(self, way: str) -> None:
        p = self.step
        if p is None or way == p.send_device:
            return
        if way == PROGRAM:
            self._changed(outside_edits.to_program(self.setup, self.owner, self.slot))
        else:
            fresh = outside_edits.new_step(self.setup)
            after = outside_edits.move_step(
                self.setup, self.owner, self.slot, send_device=way, send_channel=fresh.send_channel, return_device=way,
                back=fresh.return_channels[0],
            )  # fmt: skip
            self._changed(after)

    def _move(self, send_channel: int | None = None, back: int | None = None) -> None:
        p = self.step
        if p is None:
            return
        out, into = p.send_channel if send_channel is None else send_channel, p.return_channels[0]
        into = into if back is None else back
        if (out, into) != (p.send_channel, p.return_channels[0]):
            self._changed(
                outside_edits.move_step(
                    self.setup, self.owner, self.slot, send_device=p.send_device, send_channel=out,
                    return_device=p.return_device, back=into,
                )
            )  # fmt: skip

    def _measure(self) -> None:
        p = self.step
        if p is not None:
            self.measuring.choose(OUTSIDE_STEP.key(*path_ids(p)))
            self.measuring.begin()
