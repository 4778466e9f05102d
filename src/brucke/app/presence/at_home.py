"""At home on the desktop: kept awake while somebody hears you, closed when nobody may be sitting here, told while
hidden.

Nothing here ever opens a door.
"""

import time
from datetime import datetime

from PyQt6.QtCore import QObject, QSettings, pyqtSignal

from ...engine.step.live import open_doors, with_door
from ...home.bus import Bus
from ...home.notifications import Notifications
from ...home.presence import Presence
from ...home.staying_awake import StayingAwake
from ...words import at_home as words
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from ..sound_server.desktop import Desktop
from ..sound_server.lost_consumers import Unheard

AGAIN_S = 2.0  # what could not be started is tried again
MISSED_S = 3.0  # what is not there for so long is told


class AtHome(QObject):
    """`hidden` is set by whoever hides the window. `asked(what)`: a notification's action was chosen. `wanted`: sound
    is to be there, and is started as soon as what it needs is."""

    asked = pyqtSignal(str)

    def __init__(
        self,
        session: Session,
        running: LiveEngine,
        taking: TakeRecorder,
        desktop: Desktop,
        settings: QSettings,
        own: Bus,
        system: Bus,
    ):
        super().__init__()
        self.session, self.running, self.taking, self.desktop = session, running, taking, desktop
        self.settings = settings
        self.awake = StayingAwake(own, system)
        self.presence = Presence(own, system)
        self.notifications = Notifications(own)
        self.hidden = self.wanted = False
        self.unopened = ""  # why the last setup is not the one that is open
        self._unheard = Unheard()
        self._told: dict[str, words.News] = {}
        self._slept = self._sleeping = False
        self._tried = 0.0
        self._missing: dict[str, float] = {}  # devices that are not there, since when
        presence = self.presence
        presence.sleeps.connect(self._sleeps)
        presence.woke.connect(lambda: self._after("woke"))
        presence.locked.connect(lambda: self._after("locked"))
        presence.left.connect(lambda: self._after("left"))
        presence.woke.connect(self._is_awake)
        running.slept.connect(self._woke_untold)
        desktop.moved.connect(lambda _device: self._after("moved"))
        session.replaced.connect(self._another)
        self.notifications.acted.connect(self._acted)

    # What is chosen

    def choice(self, event: str) -> str:
        value = str(self.settings.value(f"away/{event}", ""))
        return value if value in words.CHOICES[event] else words.CHOICES[event][0]

    def choose(self, event: str, what: str) -> None:
        self.settings.setValue(f"away/{event}", what)

    # Sound is to be there

    def begin(self) -> None:
        """The last setup sounds as soon as what it needs is there."""
        self.wanted = bool(self.session.setup.parts)
        if self.wanted:
            self.running.start()

    def _another(self) -> None:
        self.wanted, self.unopened = False, ""
        self._withdraw_all()

    def _try_again(self, now: float) -> None:
        if self.running.state != "stopped":
            return
        if not self.running.why_not:  # it was stopped by hand, or cannot be started at all
            self.wanted = False
        elif now - self._tried > AGAIN_S:
            self._tried = now
            self.running.start()

    # Who may be sitting here

    @property
    def open_ids(self) -> tuple[str, ...]:
        return open_doors(self.session.setup, self.session.live)

    def _after(self, event: str) -> None:
        self._act(event, self.choice(event))

    def _act(self, event: str, choice: str) -> None:
        """Close, stop or neither, and say so."""
        closed = self.open_ids
        stopped = choice == words.STOPS and self.running.state != "stopped"
        if choice != words.GOES_ON and self.session.live.on_air:
            self.running.set_on_air(False)
        if stopped:
            self.wanted = False
            self.running.stop()
        text = words.happened_text(event, closed if choice != words.GOES_ON else (), stopped)
        if text:
            self.session.noticed.emit(text, "amber")

    def _sleeps(self) -> None:
        """Nobody knows who sits here when it wakes: everyone is closed, and what is recorded ends whole."""
        self._act("sleeps", words.CLOSES)
        if self.taking.state == "recording":
            self.taking.record()
        self._sleeping = True

    def _is_awake(self) -> None:
        """Whatever was not done before it slept: the next sleep is held up again, and nothing of the last one lets go
        of that."""
        self._sleeping = False

    def _woke_untold(self) -> None:
        """Seen by the clocks; on a desktop without a login service nobody had said that it would sleep."""
        self._act("sleeps", words.CLOSES)
        self._after("woke")
        self._slept = self.hidden  # who sees the window has been told there

    # Once a frame

    def tick(self) -> None:
        now = time.monotonic()
        if self._sleeping and self.taking.state in ("idle", "proving"):
            self._sleeping = False
            self.presence.may_sleep()
        if self.wanted:
            self._try_again(now)
        recording = self.taking.state == "recording"
        on_air = self.session.live.on_air and self.running.state != "stopped"
        open_ids = self.open_ids if on_air else ()
        self.awake.keep(words.awake_reason(self.session.setup, open_ids, on_air, recording))
        self._tell(self._news(open_ids, now))

    @property
    def sleep_ahead(self) -> str:
        """That the computer may go to sleep though it should not, as nobody who could keeps it awake; “” where that is
        not so."""
        return self.awake_text if self.awake.reason and not (self.awake.kept or self.awake.asked) else ""

    @property
    def awake_text(self) -> str:
        return words.awake_text(self.awake.reason, self.awake.kept, self.awake.asked)

    @property
    def trouble(self) -> str:
        """What is wrong now, in a few words; “” nothing."""
        return ", ".join(n.title for n in self._told.values() if n.urgent)

    # What is told

    def _news(self, open_ids: tuple[str, ...], now: float) -> dict[str, words.News]:
        """What matters now."""
        setup = self.session.setup
        self._missing = {d: self._missing.get(d, now) for d in self.session.facts.missing}
        missing = [d for d, since in self._missing.items() if now - since > MISSED_S]
        flowing = [x for x, consumers in self.desktop.consumers.items() if any(e.flows for e in consumers)]
        found = []
        if missing:
            found.append(words.missing_news(setup, missing))
        if self.running.state == "stopped" and self.running.why_not:
            found.append(words.stopped_news(self.running.why_not))
        if self.taking.state == "recording" and self.taking.recording.state == "lost":
            found.append(words.unwritten_news())
        if self.desktop.state == "down":
            found.append(words.server_news())
        for listener, at in self._unheard.see(open_ids, flowing, now).items():
            since = datetime.fromtimestamp(datetime.now().timestamp() - (now - at)).strftime("%H:%M")
            found.append(words.unheard_news(setup, listener, since))
        if self.unopened:
            found.append(words.unopened_news(self.unopened))
        if self._slept:
            found.append(words.slept_news())
        return {n.code: n for n in found}

    def _tell(self, news: dict[str, words.News]) -> None:
        """Each once while it is so; whoever sees the window has seen it."""
        for code, n in news.items():
            before = self._told.get(code)
            if self.hidden and (before is None or not n.things <= before.things):
                self.notifications.say(code, n.title, n.text, n.action, n.urgent)
            self._told[code] = n
        for code in [c for c in self._told if c not in news]:
            del self._told[code]
            self.notifications.withdraw(code)

    def say_hidden(self, hears: str) -> None:
        """The first time that the window closes and the sound goes on."""
        n = words.hidden_news(hears)
        self.notifications.say(n.code, n.title, n.text, n.action, n.urgent)

    def seen(self) -> None:
        """The window is in front: what was told is seen."""
        self.hidden = self._slept = False
        for code in (*self._told, "hidden"):
            self.notifications.withdraw(code)

    def _withdraw_all(self) -> None:
        for code in self._told:
            self.notifications.withdraw(code)
        self._told.clear()
        self._unheard = Unheard()

    def _acted(self, code: str) -> None:
        n = self._told.get(code)
        does = n.does if n is not None else "show"
        if does.startswith("close/"):
            listener = does.removeprefix("close/")
            self.running.set_doors(with_door(self.session.setup, self.session.live, listener, False))
        elif does == "start":
            self.wanted = True
            self.running.start()
        else:
            self.asked.emit(does)

    def end(self) -> None:
        """The window ends."""
        self.awake.keep("")
        self.presence.may_sleep()
        self._withdraw_all()
