"""Foot switches and controllers: which there are, what each does, learned by pressing it; and OSC."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from ...app.control.control_inputs import LOOPBACK, ControlInputs
from ...core.control.bindings import ACTS, Binding, bound, unbound
from ...words import control as words
from ...words.translation import _
from ..kit.button import Button
from ..kit.card import Card
from ..kit.chips import Chips
from ..kit.field import NumberField, TextField
from ..kit.label import Words
from ..kit.place import scrolled
from ..kit.row import row
from ..theme.theme import Theme

ON, OFF = "on", "off"


class ControlDialog(QDialog):
    """What is changed holds at once; there is nothing to confirm."""

    def __init__(self, theme: Theme, controls: ControlInputs, parent: QWidget):
        super().__init__(parent)
        self.setWindowTitle(_("Foot switches and controllers"))
        self.resize(700, 700)
        self.theme, self.controls = theme, controls
        self.chosen = Binding(control="", act="")  # what is to be given to the next control that is pressed
        self.rows: list[Button] = []
        self.midi = Chips(theme, _("MIDI"), [(ON, _("listen")), (OFF, _("off"))], self._switch_midi)
        self.ports = Words(theme, "small", "mute")
        self.acts = Chips(theme, _("What it does"), [(a, words.act_text(a)) for a in ACTS], self._choose)
        self.held = Button(theme, _("only once it is held"), "choice")
        self.said = Words(theme, "strong", "water")
        self.portal = Chips(theme, _("Keys"), [(ON, _("listen")), (OFF, _("off"))], self._switch_portal)
        self.portal_said = Words(theme, "small", "mute")
        self.osc = Chips(theme, _("OSC"), [(ON, _("listen")), (OFF, _("off"))], self._switch_osc)
        self.port = NumberField(theme, _("Port"), 1024, 65535, "", 0)
        self.allowed = TextField(theme, _("Addresses that may send"))
        self.osc_said = Words(theme, "small", "mute")
        self._build()
        self.held.clicked.connect(self._hold)
        self.port.entered.connect(lambda _port: self._renew_osc())
        self.allowed.entered.connect(lambda _text: self._renew_osc())
        controls.heard.connect(self._learned)
        controls.changed.connect(self.refresh)
        self.finished.connect(self._stop)
        self.refresh()

    def _card(self, title: str, *fields: QWidget) -> Card:
        card, head = Card(self.theme), Words(self.theme, "strong")
        head.setText(title)
        for w in (head, *fields):
            card.column.addWidget(w)
        return card

    def _build(self) -> None:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setSpacing(10)
        column.addWidget(self._card(_("Foot switches and controllers by MIDI"), self.midi, self.ports))
        self.list = self._card(_("What they do"))
        column.addWidget(self.list)
        more = self._card(_("One more: choose what it does, then press it"), self.acts)
        more.column.addWidget(self.held, 0, Qt.AlignmentFlag.AlignLeft)
        more.column.addWidget(self.said)
        column.addWidget(more)
        title = _("Keys while another window is in front")
        column.addWidget(self._card(title, self.portal, self.portal_said))
        osc = self._card(_("OSC, from another program or another computer"), self.osc)
        for text, field in ((_("Port"), self.port), (_("Addresses that may send"), self.allowed)):
            label = Words(self.theme, "small", "mute", wraps=False)
            label.setText(text)
            osc.column.addLayout(row(label, field))
        osc.column.addWidget(self.osc_said)
        column.addWidget(osc)
        column.addStretch(1)
        away = Button(self.theme, _("Close"), "plain", "Esc")
        away.clicked.connect(self.accept)
        whole = QVBoxLayout(self)
        whole.addWidget(scrolled(self.theme, inner))
        whole.addWidget(away)

    # What is shown

    def refresh(self) -> None:
        c = self.controls
        self.midi.show_on(ON if c.midi else OFF)
        self.ports.say(words.ports_text(c.midi, c.ports))
        self.portal.show_on(ON if c.portal else OFF)
        self.portal_said.say(words.portal_text(c.portal_state, c.portal_keys))
        self.osc.show_on(ON if c.osc else OFF)
        self.port.show_value(c.wanted_port)
        self.allowed.show_text(" ".join(c.allowed))
        self.osc_said.say(words.osc_text(c.osc, c.osc_port, c.allowed, LOOPBACK))
        self.acts.show_on(self.chosen.act)
        self.held.setChecked(self.chosen.held)
        for w in (self.acts, self.held, self.said):
            w.setEnabled(c.midi)
        self._show_rows()

    def _show_rows(self) -> None:
        for button in self.rows:
            self.list.column.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.rows = []
        for b in self.controls.bindings:
            button = Button(self.theme, words.binding_text(b), "plain", _("remove"))
            button.clicked.connect(lambda _checked=False, b=b: self._remove(b))
            self.list.column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
            self.rows.append(button)
        self.list.setVisible(bool(self.rows))

    # What is done

    def _switch_midi(self, which: str) -> None:
        self.controls.switch_midi(which == ON)
        if which == OFF:
            self._stop()
        self.refresh()

    def _choose(self, act: str) -> None:
        self.chosen = replace(self.chosen, act=act)
        self.controls.learns = True
        self.said.say(words.PRESS_IT)
        self.refresh()

    def _hold(self) -> None:
        self.chosen = replace(self.chosen, held=not self.chosen.held)
        self.refresh()

    def _learned(self, control: str) -> None:
        if not self.controls.learns or not self.chosen.act:
            return
        self.controls.learns = False
        new, self.chosen = replace(self.chosen, control=control), Binding(control="", act="")
        self.said.say(words.LEARNED.format(what=words.binding_text(new)))
        self.controls.bind(bound(self.controls.bindings, new))
        self.refresh()

    def _remove(self, binding: Binding) -> None:
        self.controls.bind(unbound(self.controls.bindings, binding))
        self.refresh()

    def _switch_portal(self, which: str) -> None:
        self.controls.switch_portal(which == ON)
        self.refresh()

    def _switch_osc(self, which: str) -> None:
        self.controls.switch_osc(which == ON, self.allowed.text(), round(self.port.value()))
        self.refresh()

    def _renew_osc(self) -> None:
        if self.controls.osc:
            self._switch_osc(ON)

    def _stop(self) -> None:
        self.controls.learns = False
