"""Listening to what a listener got, now or before, in the headphones; never on air."""

from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.sound.at_rate import at_rate
from ...engine.processes.messages import Pause
from ...takes.take import Take, TakeError
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session
from .take_recorder import TakeRecorder

LONGEST_S = 60.0
F32 = npt.NDArray[np.float32]


def listener_sound(folder: Path, take: Take, listener: str, rate_hz: int) -> F32:
    """[2, frames] at `rate_hz` of what a listener got, at most a minute. Errors: TakeError, OSError."""
    # Only for listening back; the window starts without these libraries.
    from ...takes.film import read_film
    from ...takes.sounds import take_sound

    name = take.far_ends.get(listener) or take.listeners[listener]
    if name.endswith(".mkv"):
        film = read_film(folder / name, LONGEST_S)
        return at_rate(film.sound, film.rate_hz, rate_hz)
    sound, rate = take_sound(folder, name, LONGEST_S)
    sound = at_rate(sound, rate, rate_hz)
    if sound.shape[0] > 2:  # every part on its own track: heard together
        sound = sound.sum(axis=0, keepdims=True)
    return np.ascontiguousarray(np.broadcast_to(sound, (2, sound.shape[1])) if sound.shape[0] == 1 else sound)


class Playback(QObject):
    """`heard` is “now” or “before” while it plays, “other” while something else does, `reading` while a file is being
    read for it."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, taking: TakeRecorder):
        super().__init__()
        self.session, self.running, self.taking = session, running, taking
        self.heard = ""
        self._pool = ThreadPoolExecutor(1)
        self._answer: Future[F32] | None = None
        self._wanted = ""
        self._played = False
        taking.changed.connect(self._taking_changed)

    @property
    def reading(self) -> bool:
        return self._answer is not None

    def _taking_changed(self) -> None:
        if self.taking.state in ("starting", "recording") and self.heard:
            self.stop()

    def listen(self, which: str, listener: str) -> None:
        """Play what `listener` got, now or before; the same key changes over in place."""
        session, taking = self.session, self.taking
        index = taking.chosen if which == "now" else taking.against
        if not self._may() or not 0 <= index < len(taking.takes) or self._answer is not None:
            return
        folder, take = taking.takes[index]
        if listener not in take.listeners and listener not in take.far_ends:
            session.noticed.emit(_("This listener was not in that recording."), "amber")
            return
        self._wanted = which
        self._answer = self._pool.submit(listener_sound, folder, take, listener, session.setup.rate_hz)

    def hear(self, sound: F32) -> bool:
        """Play `sound` [2, frames], which is of no take, once; False where nothing can be played now, which is said."""
        if not self._may() or self._answer is not None:
            return False
        self._play(sound, 0, "other")
        return True

    @property
    def may(self) -> bool:
        """Whether something can be played back now."""
        return not self._why_not() and self._monitor() is not None

    def _may(self) -> bool:
        """The same; said where it cannot."""
        why = self._why_not()
        if why:
            silent = why == self.running.why_silent
            self.session.noticed.emit(why, "heard" if self.session.live.on_air else "silent" if silent else "amber")
        return self.may

    def _why_not(self) -> str:
        if self.session.live.on_air:
            return _("They hear you: nothing is played back, it would pause the track.")
        if self.taking.state in ("starting", "recording"):
            return _("You are recording; nothing is played back into it. R ends it.")
        return self.running.why_silent

    def _monitor(self) -> int | None:
        return next((i for i, x in enumerate(self.session.setup.listeners) if x.kind == "monitor"), None)

    def tick(self) -> None:
        """Once a frame: what was read begins to play, what is over is over."""
        link = self.running.link
        if self._answer is not None and self._answer.done():
            answer, self._answer = self._answer, None
            self._begin(answer)
        elif self.heard and (link is None or (self._played and self.running.back_frame < 0)):
            self.heard = ""
            self.changed.emit()
        self._played = bool(self.heard) and self.running.back_frame >= 0

    def _begin(self, answer: Future[F32]) -> None:
        try:
            sound = answer.result()
        except (TakeError, OSError) as e:
            self.session.noticed.emit(_("Cannot be played: {why}.").format(why=e), "coral")
            return
        if self._may():  # a recording may have begun while the file was read
            self._play(sound, max(0, self.running.back_frame) if self.heard else 0, self._wanted)

    def _play(self, sound: F32, at: int, which: str) -> None:
        link, monitor = self.running.link, self._monitor()
        if link is None or monitor is None:
            return
        link.tell_world(Pause())
        link.listen_back(monitor, sound, at)
        self.heard = which
        self.changed.emit()

    def stop(self) -> None:
        if self.heard and self.running.link is not None:
            self.running.link.stop_listening_back()
        if self.heard:
            self.heard = ""
            self.changed.emit()

    def close(self) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)
