"""Goodbye: the song fades, every listener is closed, the recorder ends."""

import time

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import Part
from ...engine.step.live import FADED_DB
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session

FADE_S = 4.0
SETTLES_S = 0.5  # the player pauses a little later than it is asked to


class Goodbye(QObject):
    """`fading` while the song does; `said` once nobody hears anything any more."""

    said = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, taking: TakeRecorder):
        super().__init__()
        self.session, self.running, self.taking = session, running, taking
        self.fading = False
        self._began = self._ended = 0.0
        session.replaced.connect(self._forget)

    def begin(self) -> None:
        """Asked for once more while the song fades: at once."""
        self._ended = 0.0
        if self.fading:
            self._end()
            return
        if self._sounds():
            self.fading, self._began = True, time.monotonic()
            said = _("Goodbye: the song fades, then they hear you no longer. Esc goes on.")
            self.session.stands.emit(said, "amber", lambda: self.fading)
        else:
            self._end()

    def cancel(self) -> bool:
        """The song is back where it was. Whether it was fading."""
        was, self.fading = self.fading, False
        if was:
            self.running.set_fade(0.0)
            self.session.noticed.emit(_("The song goes on; they hear what they did."), "water")
        return was

    def tick(self) -> None:
        if self._ended and time.monotonic() - self._ended > SETTLES_S:
            self._ended = 0.0
            self.running.set_fade(0.0)
        if not self.fading:
            return
        share = (time.monotonic() - self._began) / FADE_S
        if share >= 1 or self.running.link is None:
            self._end()
        else:
            self.running.set_fade(FADED_DB * share)

    def _forget(self) -> None:
        self.fading, self._ended = False, 0.0
        self.running.set_fade(0.0)

    def _theirs(self) -> list[Part]:
        """Songs that other programs play."""
        return [p for p in self.session.setup.parts if p.kind == "lead" and not p.tracks]

    def _sounds(self) -> bool:
        """Whether there may be a song to fade: of a program only the program knows."""
        if self.running.state != "running" or self.session.live.silent:
            return False
        return self.running.playing or any(p.id not in self.session.live.muted for p in self._theirs())

    def _end(self) -> None:
        """Silent first, then closed, then ended: nothing is heard on the way."""
        self.fading = False
        self.running.set_fade(FADED_DB)
        live = self.session.live
        # Nobody but the program itself can stop what it plays.
        theirs = {p.id for p in self._theirs()} if self.running.state == "running" else set()
        self.session.set_live(replace(live, muted=live.muted | theirs))
        self.running.set_on_air(False)
        if self.running.playing:
            self.running.play(False)
        if self.taking.state == "recording":
            self.taking.record()
        self._ended = time.monotonic()
        self.said.emit()
