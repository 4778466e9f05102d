"""The whole application without its window: every service, what listens to what, and one clock for all of them.

The window, the commands that need no window, the tray, tests and benches all use this one composition.
"""

import logging
from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol, TypeVar, cast

from PyQt6.QtCore import QObject, QSettings

from ..engine.step.live import open_doors
from ..home.bus import Bus
from .chains.chain_helpers import ChainHelpers
from .control.control_inputs import CLOSES, OPENS, ControlInputs
from .control.live_acts import LiveActs
from .documents.documents import Documents
from .engine.live_engine import LiveEngine
from .frame_clock import FrameClock
from .measuring.buffer_finder import BufferFinder
from .measuring.clock_watch import ClockWatch
from .measuring.headphone_check import HeadphoneCheck
from .measuring.leak_watch import LeakWatch
from .measuring.round_trip import Measurer
from .measuring.soundcheck import SoundcheckRun
from .presence.audience import Audience
from .presence.goodbye import Goodbye
from .presence.hour_log import HourLog
from .presence.known_good_sessions import KnownGoodSessions
from .presence.mishaps import Mishaps, Watches
from .presence.moment_takes import MomentTakes
from .presence.running_order import RunningOrder
from .presence.song_pause import SongPause
from .presence.take_marks import TakeMarks
from .recording.just_happened import JustHappened
from .recording.picture_recorder import PictureRecorder
from .recording.playback import Playback
from .recording.take_recorder import TakeRecorder
from .session.session import Session
from .session.undo_requests import UndoRequests
from .sound_server.desktop import Desktop

if TYPE_CHECKING:
    from .network.two_computers import TwoComputers


class Service(Protocol):
    def close(self) -> None: ...


S = TypeVar("S", bound=Service)
LOG = logging.getLogger("brucke.app")


class Studio(QObject):
    """`running` is the engine, which may have been started already; a test recording takes `take_seconds`."""

    def __init__(
        self, session: Session, settings: QSettings, running: LiveEngine | None = None, take_seconds: float = 30.0,
        documents: Documents | None = None,
    ):  # fmt: skip
        super().__init__()
        self.session, self.settings = session, settings
        self.running = running or LiveEngine(session)
        self.documents = documents or Documents(session, settings)
        self.desktop, self.steps = Desktop(session), UndoRequests(session)
        self.checking = SoundcheckRun(session, self.running)
        self.measuring = Measurer(session, self.running)
        self.taking = TakeRecorder(session, self.running, take_seconds)
        self.pictures = PictureRecorder(session, self.running, self.taking)
        self.just_happened = JustHappened(session, self.running, self.taking, settings)
        self.playback = Playback(session, self.running, self.taking)
        self.shaping = ChainHelpers(session, self.running, self.documents.home)
        self.known_good = KnownGoodSessions(session, self.running, self.taking, self.desktop, self.documents.home)
        self.headphones = HeadphoneCheck(session, self.running, self.desktop)
        self.goodbye = Goodbye(session, self.running, self.taking)
        self.song_pause = SongPause(session, self.running, Bus("session"))
        self.audience = Audience(session, self.running, self.desktop, self.taking)
        self._services: dict[Callable[[Studio], Service], Service] = {}
        self.order = RunningOrder(session, self.running)
        self.hour = HourLog(session, self.running, self.order, self.documents.home / "hours")
        self.marks = TakeMarks(self.hour, self.taking)
        self.moment_takes = MomentTakes(session, self.taking)
        self.acts = LiveActs(session, self.running)
        self.controls = ControlInputs(session, self.acts, settings)
        self.asked_for: Callable[[str], None] = self._asked_for  # a window has more to say about it
        self.controls.asked.connect(self._hear_controls)
        self.clocks, self.leaks = ClockWatch(session, self.running), LeakWatch(session, self.running)
        watches = Watches(self.clocks, self.leaks, self.pictures)
        self.mishaps = Mishaps(session, self.running, self.desktop, self.taking, watches, self.order, settings)
        self.buffers = BufferFinder(session, self.running, self.measuring, self.taking)
        self.desktop.moved.connect(self.running.moved)
        self.desktop.carried = lambda: self.running.carried
        self.clock = FrameClock(self)
        for service in (
            self.running, self.desktop, self.measuring, self.taking, self.pictures, self.just_happened, self.playback,
            self.checking, self.shaping, self.goodbye, self.headphones, self.known_good, self.buffers, self.clocks,
            self.leaks, self.order, self.hour, self.mishaps,
        ):  # fmt: skip
            self.clock.tick.connect(service.tick)
        self._noted = ""
        self._two_computers: TwoComputers | None = None
        for changed in (self.running.changed, session.changed):
            changed.connect(self._note)
        session.noticed.connect(lambda text, tone: LOG.debug("said, %s: %s", tone, text))

    def service(self, kind: Callable[["Studio"], S]) -> S:
        """What one tool alone needs: made when it is first asked for, the same one from then on, closed at the end."""
        if kind not in self._services:
            self._services[kind] = kind(self)
        return cast(S, self._services[kind])

    @property
    def two_computers(self) -> "TwoComputers":
        """Made when it is first asked for: it waits for what the network needs."""
        if self._two_computers is None:
            from .network.two_computers import TwoComputers

            self._two_computers = TwoComputers(self.session, self.running, self.settings)
            self.clock.tick.connect(self._two_computers.tick)
        return self._two_computers

    def _note(self) -> None:
        """Into the log, each time it is another: what runs, and who is let hear, whatever it was that changed it."""
        live = self.session.live
        doors = "open" if live.on_air else "closed"
        now = f"the engine is {self.running.state}, {doors}{', silence' if live.silent else ''}"
        if now != self._noted:
            self._noted = now
            LOG.info(now)

    def _hear_controls(self, act: str) -> None:
        if act in (OPENS, CLOSES):
            if self.session.live.on_air == (act == OPENS):
                return
            act = "on_air"
        self.asked_for(act)

    def _asked_for(self, act: str) -> None:
        """By a foot switch, a controller or OSC, where no window stands between."""
        live = self.session.live
        handlers: dict[str, Callable[[], None]] = {
            "line_next": self.order.next, "line_back": self.order.back, "goodbye": self.goodbye.begin,
            "on_air": lambda: self.running.set_on_air(not live.on_air),
            "heard": lambda: self.hour.note_heard(open_doors(self.session.setup, live)),
        }  # fmt: skip
        handlers[act]()

    def end(self, lets_go: bool = False, leaves_edits: bool = False) -> None:
        """Everything, in order: what measures, what records, the engine, the sound server. Microphones of ours that
        somebody has chosen stay, silent, unless it `lets_go` of them; `leaves_edits`: what is not saved is offered at
        the next start."""
        self.clock.stop()
        self.controls.close()
        if self._two_computers is not None:
            self._two_computers.close()
        self.buffers.cancel()
        for service in (
            *self._services.values(),
            self.clocks,
            self.leaks,
            self.taking,
            self.pictures,
            self.just_happened,
            self.playback,
            self.hour,
        ):
            service.close()
        self.song_pause.bus.end()
        self.running.end()
        self.desktop.end(lets_go)
        self.documents.close(leave=leaves_edits)
        self.shaping.close()
