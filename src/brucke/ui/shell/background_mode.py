"""The window hides and the sound goes on: in the tray where there is one, minimised where there is none."""

import time
from collections.abc import Callable
from typing import Protocol

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QSettings
from PyQt6.QtWidgets import QWidget

from ...app.frame_clock import FrameClock
from ...app.presence.at_home import AtHome
from ...app.presence.audience import Audience
from ...app.presence.goodbye import Goodbye
from ...engine.step.live import open_doors, with_door
from ...home.autostart import is_on, starter, switch
from ...home.installing import homes
from ...home.tray_host import TrayHost
from ...words import at_home as words
from ...words.translation import _
from ..theme.theme import Theme
from .hands import Hands
from .home_dialog import HomeDialog
from .notice import Notice
from .tray import Tray
from .tray_model import Now

TRAY_WITHIN_S = 10.0  # at login the tray may come later than we do
SAID = "hidden/said"


class Hidden(Protocol):
    """What hides."""

    clock: FrameClock
    notice: Notice
    audience: Audience
    goodbye: Goodbye
    hands: Hands

    def do(self, id: str) -> None: ...
    def hide(self) -> None: ...
    def showMinimized(self) -> None: ...
    def isVisible(self) -> bool: ...
    def isMinimized(self) -> bool: ...
    def to_front(self) -> None: ...
    def leave(self) -> None: ...


class BackgroundMode(QObject):
    """Whether the window is to end when it closes is asked of `closes`."""

    def __init__(self, window: Hidden, home: AtHome, host: TrayHost, settings: QSettings, ask: Callable[[str], str]):
        super().__init__()
        self.w, self.home, self.host, self.settings, self.ask = window, home, host, settings, ask
        self.tray: Tray | None = None
        self._waits_until = 0.0
        host.changed.connect(self._host_changed)
        home.asked.connect(self._asked_by_notification)
        self._host_changed()

    @property
    def stays(self) -> bool:
        """Whether closing the window leaves the sound on."""
        return bool(self.settings.value("hidden/stays", True, bool))

    def set_stays(self, on: bool) -> None:
        self.settings.setValue("hidden/stays", on)

    # Closing the window

    def closes(self) -> bool:
        """Asked by the window that is closed: whether it ends. Where something sounds, it hides instead."""
        home = self.home
        if not self.stays or (home.running.state == "stopped" and not home.wanted):
            return True
        if home.session.live.on_air:
            answer = self.ask(words.still_heard_text(home.session.setup, home.open_ids))
            if not answer:
                return False
            if answer == words.CLOSES:
                home.running.set_on_air(False)
        self.hide()
        return False

    def hide(self) -> None:
        """Said the first time."""
        first = not self.settings.value(SAID, False, bool)
        self.settings.setValue(SAID, True)
        if self.host.there:
            self.w.hide()
            if first:
                self.home.say_hidden(self.w.audience.hears_text())
        else:
            self.w.showMinimized()
            if first:
                text = _(
                    "This desktop has no tray: Brucke is minimised instead, and the sound goes on. Ctrl+Q ends it."
                )
                self.w.notice.say(text, "amber")
        self.see()

    def begin_hidden(self) -> None:
        """At login: in the tray as soon as there is one."""
        self._waits_until = time.monotonic() + TRAY_WITHIN_S
        self.see()

    def see(self) -> None:
        """Whether anybody sees the window has changed."""
        hidden = not self.w.isVisible() or self.w.isMinimized()
        self._pace()
        if hidden:
            self.home.hidden = True
        else:
            self._waits_until = 0.0
            self.home.seen()

    def _pace(self) -> None:
        seen = self.w.isVisible() and not self.w.isMinimized()
        self.w.clock.set_slow(not seen and not self.w.goodbye.fading)

    def _host_changed(self) -> None:
        if self.host.there and self.tray is None:
            self._waits_until = 0.0
            self.tray = Tray(self.asked)
        elif not self.host.there and self.tray is not None:
            self.tray.end()
            self.tray = None
            if not self.w.isVisible():  # nothing else would lead back to it
                self.w.showMinimized()
                self.see()

    # Once a frame

    def tick(self) -> None:
        self._pace()
        if self._waits_until and time.monotonic() > self._waits_until:
            self._waits_until = 0.0
            self.w.showMinimized()
            self.see()
        if self.tray is not None:
            self.tray.show_now(self._now())

    def _now(self) -> Now:
        home = self.home
        session, running = home.session, home.running
        return Now(
            session.setup, session.live, session.timing, running.state != "stopped", self.w.audience.hears_text(),
            next(iter(self.w.audience.past_us()), home.trouble), self.w.goodbye.fading,
        )  # fmt: skip

    # What was chosen

    def asked(self, id: str) -> None:
        session, running = self.home.session, self.home.running
        kind, _slash, what = id.partition("/")
        if kind == "door":
            is_open = what in open_doors(session.setup, session.live)
            running.set_doors(with_door(session.setup, session.live, what, not is_open))
        elif kind == "moment":
            session.set_live(replace(session.live, moment=what))
        elif kind == "mute_me":
            self.w.hands.toggle_mute()  # no key that would be let go
        elif kind == "show":
            self.w.to_front()
        elif kind == "quit":
            self.w.leave()
        else:
            self.w.do(id)

    def _asked_by_notification(self, what: str) -> None:
        self.w.to_front()
        if what == "align":
            self.w.do("align")

    def choose(self, theme: Theme, parent: QWidget) -> None:
        """What is chosen for this desktop."""
        where = homes()
        dialog = HomeDialog(
            theme,
            self.home,
            self.stays,
            self.set_stays,
            is_on(where),
            lambda on: switch(where, on, starter(where)),
            parent,
        )
        dialog.exec()

    def end(self) -> None:
        self.home.end()
        if self.tray is not None:
            self.tray.end()
