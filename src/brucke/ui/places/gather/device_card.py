"""Beside the equipment: everything of one device, each one click."""

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PyQt6.QtCore import QTimer

from ....core.document.setup import Device, Setup
from ....core.edits.route_edits import change_device, let_lead
from ....ports.devices.opening import Card as SoundCard
from ....ports.devices.opening import CardError, list_cards
from ....words.translation import _
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme

LOOK = _("Look for sound cards")
RATES_HZ = (44100, 48000, 88200, 96000)
FRAMES = (64, 128, 256, 512, 1024, 2048)
BUFFERS = (1, 2, 3, 4)
BITS = (16, 24, 32)


def _choices(values: tuple[int, ...], now: int, text: Callable[[int], str]) -> list[tuple[str, str]]:
    return [(str(v), text(v)) for v in sorted({*values, now}) if v]


class DeviceCard(Card):
    def __init__(self, theme: Theme, edit: Edit, problem: Callable[[str], None]):
        super().__init__(theme)
        self.edit, self.problem = edit, problem
        self._found: tuple[str, ...] = ()
        self.setup, self.device = Setup(), Device(id="", name="", kind="interface")
        self.rates = Chips(theme, "Sample rate", [], lambda k: self._change(f"{int(k)} Hz", rate_hz=int(k)))
        self.bits = Chips(theme, "Sample format", [], lambda k: self._change(f"{k} bit", bits=int(k)))
        self.frames = Chips(theme, "Buffer", [], lambda k: self._change(f"buffer {k}", buffer_frames=int(k)))
        self.count = Chips(theme, "Buffers", [], lambda k: self._change(f"{k} buffers", buffers=int(k)))
        self.leads = Button(theme, "sets the clock", "choice")
        self.direct = Button(theme, "direct monitoring is on", "choice")
        self.wireless = Button(theme, "wireless", "choice")
        self.unplug = Button(theme, "Unplug the stand-in", "outline")
        self.cards = Chips(theme, "Sound card", [], self._card)
        self.look = Button(theme, LOOK, "outline")
        self._pool = ThreadPoolExecutor(1)
        self._asked: Future[list[SoundCard]] | None = None
        self._watch = QTimer(self)
        self._watch.setInterval(50)
        self._watch.timeout.connect(self._answered)
        self._titles = []
        for title, chips in (
            ("sample rate", self.rates), ("sample format", self.bits), ("buffer, in frames", self.frames),
            ("how many of them", self.count),
        ):  # fmt: skip
            label = Words(theme, "small", "mute", wraps=False)
            label.setText(title)
            self._titles.append(label)
            self.column.addWidget(label)
            self.column.addWidget(chips)
        flow = Flow(6)
        for b in (self.leads, self.direct, self.wireless):
            flow.addWidget(b)
        self.column.addLayout(flow)
        for w in (self.cards, self.look, self.unplug):
            self.column.addWidget(w)
        self.look.clicked.connect(self._look)
        self.leads.clicked.connect(self._lead)
        self.direct.clicked.connect(lambda: self._flag("direct_monitoring", "direct monitoring"))
        self.wireless.clicked.connect(lambda: self._flag("wireless", "wireless"))

    def show_device(self, setup: Setup, device: Device, absent: bool, running: bool) -> None:
        self.setup, self.device = setup, device
        camera, interface = device.kind == "camera", device.kind == "interface"
        self.rates.offer(_choices(RATES_HZ, device.rate_hz, lambda v: f"{v / 1000:g} kHz"))
        self.bits.offer(_choices(BITS, device.bits, lambda v: f"{v} bit"))
        self.frames.offer(_choices(FRAMES, device.buffer_frames, str))
        self.count.offer(_choices(BUFFERS, device.buffers, lambda v: f"× {v}"))
        self.rates.show_on(str(device.rate_hz))
        self.bits.show_on(str(device.bits))
        self.frames.show_on(str(device.buffer_frames))
        self.count.show_on(str(device.buffers))
        for w in (self.rates, self.bits, self._titles[0], self._titles[1]):
            w.setVisible(not camera)
        for w in (self.frames, self.count, self._titles[2], self._titles[3]):
            w.setVisible(not camera and device.kind != "recorder")
        for button, on in (
            (self.leads, device.sets_clock),
            (self.direct, device.direct_monitoring),
            (self.wireless, device.wireless),
        ):
            button.setVisible(interface)
            button.setChecked(on)
        for w in (self.cards, self.look):
            w.setVisible(interface)
        self._offer_cards()
        self.unplug.setVisible(running and not device.card and device.kind not in ("camera", "recorder"))
        self.unplug.setText(_("Plug the stand-in in again") if absent else _("Unplug the stand-in"))

    def _change(self, what: str, **fields: object) -> None:
        self.edit(f"{self.device.name} {what}", change_device(self.setup, self.device.id, **fields))

    def _card(self, name: str) -> None:
        self._change(f"is {name or 'a simulated stand-in'}", card=name)

    def _look(self) -> None:
        """Ask the system what sound cards there are now; a driver may take its time, the window does not."""
        if self._asked is None:
            self._asked = self._pool.submit(list_cards)
            self.look.setText(_("Looking…"))
            self._watch.start()

    def _answered(self) -> None:
        if self._asked is None or not self._asked.done():
            return
        asked, self._asked = self._asked, None
        self._watch.stop()
        self.look.setText(LOOK)
        try:
            self._found = tuple(c.name for c in asked.result())
            self.problem("" if self._found else _("No sound card was found that plays and records."))
        except CardError as e:
            self.problem(f"{e}.")
        self._offer_cards()

    def _offer_cards(self) -> None:
        found = {c: c for c in (*self._found, self.device.card) if c}
        self.cards.offer([("", _("simulated stand-in")), *found.items()])
        self.cards.show_on(self.device.card)

    def _flag(self, field: str, what: str) -> None:
        on = not getattr(self.device, field)
        self._change(f"{what} {'on' if on else 'off'}", **{field: on})

    def _lead(self) -> None:
        self.leads.setChecked(self.device.sets_clock)
        self.edit(f"{self.device.name} sets the clock", let_lead(self.setup, self.device.id))
