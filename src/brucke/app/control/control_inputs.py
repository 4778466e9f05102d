"""Foot switches and controllers by MIDI, and OSC: one thread that hears them all, and does at once what must not wait.

What a control asks of the application itself (the next line, goodbye) is handed to the window's thread.
"""

import queue
import threading
import time
from collections.abc import Callable
from functools import partial
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, QSettings, Qt, pyqtSignal

from ...core.control.bindings import AT_ONCE, Binding, bindings_json, read_bindings
from ...core.control.midi_message import lamp_bytes
from ...core.control.osc_message import osc_act
from ...core.control.pressed_controls import Done, PressedControls
from ...words import control as words
from ..session.session import Session
from .live_acts import LiveActs, is_so
from .midi_listener import MidiListener

WAITS_S = 0.02
STUCK_S = 30.0
MOST = 4096  # messages that may wait; what comes beyond is dropped
PORT = 9000
OPENS, CLOSES = "on_air:1", "on_air:0"  # as it is to be, however often it is asked for
LOOPBACK = "127.0.0.1"
# What is proposed to the desktop, which may give others.
GLOBAL_KEYS = {
    "mute_me": "CTRL+ALT+m", "silence": "CTRL+ALT+s", "line_next": "CTRL+ALT+Page_Down",
    "line_back": "CTRL+ALT+Page_Up",
    **{f"moment_{n}": f"CTRL+ALT+{n}" for n in (1, 2, 3)}, "goodbye": "CTRL+ALT+End",
}  # fmt: skip


class Wanted(msgspec.Struct, frozen=True):
    """What is to be listened to, as the settings say; they belong to the window's thread."""

    midi: bool
    osc: bool
    portal: bool
    port: int
    allowed: tuple[str, ...]


class ControlInputs(QObject):
    """`asked(act)` in the window's thread; `heard(control)` whatever is pressed while it `learns`; `ports` are the MIDI
    inputs that are listened to."""

    asked = pyqtSignal(str)
    heard = pyqtSignal(str)
    changed = pyqtSignal()
    _said = pyqtSignal(str, str)
    _stuck = pyqtSignal(str)
    _ports_changed = pyqtSignal()

    def __init__(self, session: Session, acts: LiveActs, settings: QSettings):
        super().__init__()
        self.session, self.acts, self.settings = session, acts, settings
        self.learns = False
        self.ports: tuple[str, ...] = ()
        self.osc_port = 0
        self.dropped = 0
        self.bindings = read_bindings(str(settings.value("control/bindings", "[]")))
        self._pressed = PressedControls(self.bindings)
        self._bound = self._pressed.controls
        self._wanted = Wanted(False, False, False, PORT, ())
        self._queue: queue.Queue[Callable[[], None] | None] = queue.Queue(MOST)
        self._midi: MidiListener | None = None
        self._osc: Any = None
        self._portal: Any = None
        self.portal_state = ""  # what the desktop's portal for shortcuts said last
        self.portal_keys: tuple[str, ...] = ()
        self._thread: threading.Thread | None = None
        self._stuck_told: set[str] = set()
        self._lamps: dict[str, bool] = {}
        queued = Qt.ConnectionType.QueuedConnection
        self._said.connect(session.noticed, queued)  # type: ignore[call-arg]
        self._stuck.connect(self._say_stuck, queued)  # type: ignore[call-arg]
        self._ports_changed.connect(self._light, queued)  # type: ignore[call-arg]
        self._ports_changed.connect(self.changed, queued)  # type: ignore[call-arg]
        session.changed.connect(self._light)
        if self.midi or self.osc or self.portal:
            self._begin()

    # Settings

    @property
    def midi(self) -> bool:
        return bool(self.settings.value("control/midi", False, bool))

    @property
    def osc(self) -> bool:
        return bool(self.settings.value("control/osc", False, bool))

    @property
    def allowed(self) -> tuple[str, ...]:
        """Addresses that OSC is taken from; only this computer's own where nothing is listed."""
        return tuple(str(self.settings.value("control/osc_from", "")).split()) or (LOOPBACK,)

    @property
    def wanted_port(self) -> int:
        text = str(self.settings.value("control/osc_port", PORT))
        return int(text) if text.isascii() and text.isdigit() and int(text) < 2**16 else PORT

    def bind(self, bindings: tuple[Binding, ...]) -> None:
        self.settings.setValue("control/bindings", bindings_json(bindings))
        self.bindings = bindings
        self._bound = {b.control for b in bindings}
        self._put(lambda: self._pressed.bind(bindings))
        self._lamps.clear()
        self._light()
        self.changed.emit()

    def switch_midi(self, on: bool) -> None:
        self.settings.setValue("control/midi", on)
        self._renew()

    def switch_osc(self, on: bool, allowed: str = "", port: int = PORT) -> None:
        """`allowed`: addresses with spaces between them; anything but this computer's own opens it to the network."""
        self.settings.setValue("control/osc", on)
        self.settings.setValue("control/osc_from", allowed)
        self.settings.setValue("control/osc_port", port)
        self._renew()

    @property
    def portal(self) -> bool:
        return bool(self.settings.value("control/portal", False, bool))

    def switch_portal(self, on: bool) -> None:
        """Keys while another window has the focus, which the desktop asks for and gives."""
        self.settings.setValue("control/portal", on)
        self._renew()

    # The thread

    def _begin(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="control", daemon=True)
            self._thread.start()
        wanted = Wanted(self.midi, self.osc, self.portal, self.wanted_port, self.allowed)
        self._put(partial(self._open, wanted))

    def _renew(self) -> None:
        if self._thread is not None or self.midi or self.osc or self.portal:
            self._begin()

    def _put(self, work: Callable[[], None] | None) -> None:
        """Any thread. Nothing waits: a flood loses what comes beyond."""
        if self._thread is None and work is not None:
            work()
            return
        try:
            self._queue.put_nowait(work)
        except queue.Full:
            self.dropped += 1

    def _run(self) -> None:
        while True:
            try:
                work = self._queue.get(timeout=WAITS_S)
                if work is None:
                    break
                work()
            except queue.Empty:
                pass
            except Exception as e:  # what a library makes of a strange message ends nothing
                self._said.emit(words.FAILED.format(why=str(e)[:200]), "amber")
            now = time.monotonic()
            self._do(self._pressed.tick(now))
            self._see_stuck(now)
        for close in (self._close_midi, self._close_osc, self._close_portal):
            close()

    def _open(self, wanted: Wanted) -> None:
        """What is switched on is listened to; what goes on as it was is not touched. In this thread."""
        before, self._wanted = self._wanted, wanted
        if wanted.midi != before.midi:
            self._close_midi()
            if wanted.midi:
                self._midi = MidiListener(
                    self._midi_came,
                    lambda names, gone: self._put(partial(self._see_ports, names, gone)),
                    lambda: self._said.emit(words.NO_MIDI, "coral"),
                )
        if wanted.portal != before.portal or self.portal_state in ("gone", "refused", "none"):
            self._close_portal()
            if wanted.portal:
                self._open_portal()
        other = (wanted.osc, wanted.port, wanted.allowed) != (before.osc, before.port, before.allowed)
        if other or (wanted.osc and not self.osc_port):  # a port that was taken may be free by now
            self._open_osc(wanted)
        self._ports_changed.emit()

    def _open_osc(self, wanted: Wanted) -> None:
        from ...ports.control.osc_server import OscError, OscServer

        self._close_osc()
        if wanted.osc:
            outside = any(a != LOOPBACK for a in wanted.allowed)
            host, port = "0.0.0.0" if outside else LOOPBACK, wanted.port
            try:
                self._osc = OscServer(host, port, wanted.allowed, self._osc_came)
                self.osc_port = self._osc.port
            except OscError as e:
                self._said.emit(words.NO_OSC.format(why=e), "coral")

    def _open_portal(self) -> None:
        from ...ports.control.portal_shortcuts import PortalShortcuts

        def heard(act: str, pressed: bool) -> None:
            self._put(partial(self._do, [(act, "down" if pressed else "up")]))

        def told(state: str, keys: tuple[str, ...]) -> None:
            self.portal_state, self.portal_keys = state, keys
            self._ports_changed.emit()

        asked = [(act, words.act_text(act), keys) for act, keys in GLOBAL_KEYS.items()]
        self._portal = PortalShortcuts(asked, heard, told)

    def _close_midi(self) -> None:
        midi, self._midi, self.ports = self._midi, None, ()
        if midi is not None:
            midi.close()

    def _close_osc(self) -> None:
        osc, self._osc, self.osc_port = self._osc, None, 0
        if osc is not None:
            osc.close()

    def _close_portal(self) -> None:
        portal, self._portal, self.portal_state, self.portal_keys = self._portal, None, "", ()
        if portal is not None:
            portal.close()

    def _midi_came(self, control: str, pressed: bool | None) -> None:
        """In the thread of the listener. What does nothing takes nobody's place in the queue."""
        if self.learns or control in self._bound:
            self._put(partial(self._control, control, pressed))

    def _see_ports(self, ports: tuple[str, ...], gone: tuple[str, ...]) -> None:
        self.ports = ports
        self._lamps.clear()
        self._ports_changed.emit()
        if gone:
            held = self._pressed.forget()
            muted = any(b.act == "mute_me" and b.control in held for b in self.bindings)
            text = words.GONE_HELD if muted else words.GONE
            self._said.emit(text.format(name=gone[0]), "coral")

    def _control(self, control: str, pressed: bool | None) -> None:
        now = time.monotonic()
        if self.learns and pressed is not False:
            self.heard.emit(control)
            return
        if control not in self._pressed.controls:
            return
        if pressed is None:
            self._do([*self._pressed.feed(control, True, now), *self._pressed.feed(control, False, now)])
        else:
            self._do(self._pressed.feed(control, pressed, now))

    def _osc_came(self, address: str, values: tuple[Any, ...]) -> None:
        """In the thread of the socket."""
        found = osc_act(address, values)
        if found is None:
            return
        act, value = found
        if act in AT_ONCE:
            self._put(lambda: self.acts.do(act, "down", value))
        elif act == "on_air" and value is not None:
            self._put(lambda: self.asked.emit(OPENS if value else CLOSES))
        else:
            self._put(lambda: self.asked.emit(act))

    def _do(self, done: list[Done]) -> None:
        for act, phase in done:
            if act in AT_ONCE:
                self.acts.do(act, phase)
            elif phase == "down":
                self.asked.emit(act)

    def _see_stuck(self, now: float) -> None:
        down = self._pressed.down
        self._stuck_told &= down.keys()
        for control, since in down.items():
            if now - since > STUCK_S and control not in self._stuck_told:
                self._stuck_told.add(control)
                self._stuck.emit(control)

    def _say_stuck(self, control: str) -> None:
        said = words.STUCK.format(control=words.control_text(control), seconds=round(STUCK_S))
        self.session.stands.emit(said, "coral", lambda: control in self._pressed.down)

    # Lamps

    def _light(self) -> None:
        """Controls that have a lamp show what is so."""
        if self._midi is None:
            return
        for b in self.bindings:
            if b.act in AT_ONCE and not b.held:
                on = is_so(self.session.setup, self.session.live, b.act)
                if self._lamps.get(b.control) != on:
                    self._lamps[b.control] = on
                    self._put(partial(self._send, lamp_bytes(b.control, on)))

    def _send(self, message: list[int]) -> None:
        if self._midi is not None and message:
            self._midi.light(message)

    def close(self) -> None:
        if self._thread is not None:
            self._put(None)
            self._thread.join(3.0)
