"""Beside the equipment: everything of one device, each one click."""

from collections.abc import Callable
from concurrent.futures import Future

from ....app.sound_server.desktop import Desktop
from ....core.document.device_kinds import DEVICE_KINDS
from ....core.document.setup import Device, Setup
from ....core.edits.route_edits import change_device, let_lead
from ....core.knowledge.evidence import Matching
from ....core.routing.clocks import sounds_for_real
from ....ports.devices.kind import DeviceError, Found
from ....ports.devices.opening import found_devices
from ....ports.devices.server.names import SERVER, choosing, chosen_ends, here, taken_program, taking
from ....ports.devices.server.wiring import made
from ....words.detail import in_numbers
from ....words.equipment import matching_text
from ....words.this_computer import choose_text
from ....words.translation import _
from ...kit.asked_aside import AskedAside
from ...kit.button import Button
from ...kit.card import Card
from ...kit.chips import Chips
from ...kit.edit import Edit
from ...kit.flow import Flow
from ...kit.label import Words
from ...theme.theme import Theme
from ..this_computer.cards import copy_name, microphone_name
from .camera_choice import CameraChoice

LOOK = _("Look for what there is here")
CARD_NAMES = {SERVER: _("this computer")}
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
        self.rates = Chips(theme, _("Sample rate"), [], lambda k: self._change(f"{int(k)} Hz", rate_hz=int(k)))
        self.bits = Chips(theme, _("Sample format"), [], lambda k: self._change(f"{k} bit", bits=int(k)))
        self.frames = Chips(theme, _("Buffer"), [], lambda k: self._change(f"buffer {k}", buffer_frames=int(k)))
        self.count = Chips(theme, _("Buffers"), [], lambda k: self._change(f"{k} buffers", buffers=int(k)))
        self.leads = Button(theme, _("sets the clock"), "choice")
        self.direct = Button(theme, _("direct monitoring is on"), "choice")
        self.wireless = Button(theme, "wireless", "choice")
        self.unplug = Button(theme, _("Unplug the stand-in"), "outline")
        self.cards = Chips(theme, _("Sound card"), [], self._card)
        self.look = Button(theme, LOOK, "outline")
        self.clock = Words(theme, "small", "mute")
        self.camera = CameraChoice(theme, self._camera)
        self.programs = Chips(theme, _("Program that goes through Brucke"), [], self._program)
        self.taken = Words(theme, "small", "mute")
        self.source = Chips(theme, _("Records from"), [], lambda name: self._end(name, True))
        self.sink = Chips(theme, _("Plays to"), [], lambda name: self._end(name, False))
        self._ends = []
        for title, chips in ((_("records from"), self.source), (_("plays to"), self.sink)):
            label = Words(theme, "small", "mute", wraps=False)
            label.setText(title)
            self._ends += [label, chips]
        self.to_choose = Words(theme, "small", "mute")
        self.copy = Button(theme, _("Copy the name"), "outline")
        self.copy.clicked.connect(lambda: copy_name(self._name))
        self._name = ""
        self._cards = AskedAside(self, found_devices, self._answered)
        for w in (
            self.camera,
            self.cards,
            self.look,
            self.clock,
            *self._ends,
            self.to_choose,
            self.copy,
            self.programs,
            self.taken,
        ):
            self.column.addWidget(w)
        self._lay_out_numbers(theme)
        flow = Flow(6)
        for b in (self.leads, self.direct, self.wireless):
            flow.addWidget(b)
        self.column.addLayout(flow)
        self.column.addWidget(self.unplug)
        self.look.clicked.connect(self._look)
        self.leads.clicked.connect(self._lead)
        self.direct.clicked.connect(lambda: self._flag("direct_monitoring", _("direct monitoring")))
        self.wireless.clicked.connect(lambda: self._flag("wireless", "wireless"))

    def _lay_out_numbers(self, theme: Theme) -> None:
        self._titles = []
        for title, chips in (
            (_("sample rate"), self.rates), (_("sample format"), self.bits), (_("buffer, in frames"), self.frames),
            (_("how many of them"), self.count),
        ):  # fmt: skip
            label = Words(theme, "small", "mute", wraps=False)
            label.setText(title)
            self._titles.append(label)
            self.column.addWidget(label)
            self.column.addWidget(chips)

    def show_device(
        self, setup: Setup, device: Device, absent: bool, running: bool, desktop: Desktop, matching: Matching | None
    ) -> None:
        self.setup, self.device = setup, device
        kind, interface = DEVICE_KINDS[device.kind], device.kind == "interface"
        theirs = (here(device) and not interface) or device.kind == "peer"  # a rate and buffer of its own
        self.rates.offer(_choices(RATES_HZ, device.rate_hz, lambda v: f"{v / 1000:g} kHz"))
        self.bits.offer(_choices(BITS, device.bits, lambda v: f"{v} bit"))
        self.frames.offer(_choices(FRAMES, device.buffer_frames, str))
        self.count.offer(_choices(BUFFERS, device.buffers, lambda v: f"× {v}"))
        self.rates.show_on(str(device.rate_hz))
        self.bits.show_on(str(device.bits))
        self.frames.show_on(str(device.buffer_frames))
        self.count.show_on(str(device.buffers))
        for w in (self.rates, self.bits, self._titles[0], self._titles[1]):
            w.setVisible(in_numbers() and kind.has_rate and not theirs)
        for w in (self.frames, self.count, self._titles[2], self._titles[3]):
            w.setVisible(in_numbers() and kind.frames > 0 and not theirs)
        for button, on in (
            (self.leads, device.sets_clock),
            (self.direct, device.direct_monitoring),
            (self.wireless, device.wireless),
        ):
            button.setVisible(interface)
            button.setChecked(on)
        self.cards.setVisible(interface or kind.program)
        self.look.setVisible(interface or kind.program)
        self.camera.setVisible(device.kind == "camera")
        if device.kind == "camera":
            self.camera.show_camera(device, sounds_for_real(setup))
        text = matching_text(setup, device, matching)
        self.clock.say(text)
        self.clock.setVisible(bool(text))
        self._offer_cards()
        self._offer_programs(desktop.playing)
        self._offer_ends(desktop)
        self._offer_microphone()
        self.unplug.setVisible(running and not device.card and kind.frames > 0)
        self.unplug.setText(_("Plug the stand-in in again") if absent else _("Unplug the stand-in"))

    def _change(self, what: str, **fields: object) -> None:
        self.edit(f"{self.device.name} {what}", change_device(self.setup, self.device.id, **fields))

    def _card(self, name: str) -> None:
        self._change(f"is {CARD_NAMES.get(name, name) or 'a simulated stand-in'}", card=name)

    def _camera(self, name: str) -> None:
        what = _("records {name}").format(name=name) if name else _("is not recorded")
        self._change(what if name or sounds_for_real(self.setup) else _("is a simulated stand-in"), card=name)

    def _look(self) -> None:
        """Ask the system what sound cards there are now; a driver may take its time, the window does not."""
        self.look.setText(_("Looking…"))
        self._cards.ask()

    def _answered(self, asked: "Future[list[Found]]") -> None:
        self.look.setText(LOOK)
        try:
            self._found = tuple(c.name for c in asked.result())
            self.problem("" if self._found else _("No sound card was found."))
        except DeviceError as e:
            self.problem(f"{e}.")
        self._offer_cards()

    def _offer_cards(self) -> None:
        cards = self._found if self.device.kind == "interface" else tuple(c for c in self._found if c == SERVER)
        now = SERVER if here(self.device) else self.device.card
        found = {c: CARD_NAMES.get(c, c) for c in (*cards, now) if c}
        self.cards.offer([("", _("simulated stand-in")), *found.items()])
        self.cards.show_on(now)

    def _offer_ends(self, desktop: Desktop) -> None:
        """Which microphone and which headphones of this computer."""
        source, sink = chosen_ends(self.device)
        for w in self._ends:
            w.setVisible(here(self.device) and self.device.kind == "interface")
        for chips, now, there in ((self.source, source, desktop.sources), (self.sink, sink, desktop.sinks)):
            known = dict(there)
            names = {now: _("{name}, not there").format(name=now[:32]), **known} if now and now not in known else known
            chips.offer([("", _("what the desktop has chosen")), *((n, said[:40]) for n, said in names.items())])
            chips.show_on(now)

    def _end(self, name: str, source: bool) -> None:
        ends = chosen_ends(self.device)
        after = choosing(name, ends[1]) if source else choosing(ends[0], name)
        what = name or _("what the desktop has chosen")
        self._change(
            _("records from {what}").format(what=what) if source else _("plays to {what}").format(what=what), card=after
        )

    def _offer_microphone(self) -> None:
        """What whoever listens here chooses in their own program."""
        names = (microphone_name(self.setup, x.id) for x in self.setup.listeners if x.device == self.device.id)
        self._name = next((n for n in names if n), "")
        self.to_choose.say(choose_text(self.setup, self.device.id, self._name) if self._name else "")
        self.to_choose.setVisible(bool(self._name))
        self.copy.setVisible(bool(self._name))

    def _offer_programs(self, playing: tuple[str, ...]) -> None:
        """What a program plays can come here without its choosing."""
        output = next((m for m in made(self.setup) if m.output and m.of == self.device.id), None)
        taken = taken_program(self.device)
        for w in (self.programs, self.taken):
            w.setVisible(output is not None)
        if output is None:
            return
        names = dict.fromkeys((*playing, *([taken] if taken else [])))
        self.programs.offer([("", _("what chooses it")), *((n, n[:32]) for n in names)])
        self.programs.show_on(taken)
        self.taken.say(
            _("What {program} plays comes here and is heard through Brucke only, so that others can get it later than "
              "you. When "
              "Brucke ends it goes back to where it was.").format(program=taken[:32])
            if taken
            else _(
                "A program that is to be heard here chooses the output “{name}”, or is made to go through Brucke."
            ).format(name=output.shown)
        )  # fmt: skip

    def _program(self, program: str) -> None:
        self._change(
            _("takes over {program}").format(program=program) if program else _("waits to be chosen"),
            card=taking(program),
        )

    def _flag(self, field: str, what: str) -> None:
        on = not getattr(self.device, field)
        self._change(f"{what} {'on' if on else 'off'}", **{field: on})

    def _lead(self) -> None:
        self.leads.setChecked(self.device.sets_clock)
        self.edit(_("{name} sets the clock").format(name=self.device.name), let_lead(self.setup, self.device.id))
