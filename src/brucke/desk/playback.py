"""Listening to what a listener got, now or before, in the headphones; never on air."""

from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, pyqtSignal

from ..takes.take import Take, TakeError
from .running import LiveEngine
from .session import Session
from .take import TakeRecorder

LONGEST_S = 60.0
F32 = npt.NDArray[np.float32]


def listener_sound(folder: Path, take: Take, listener: str) -> F32:
    """[2, frames] of what a listener got, at most a minute. Errors: TakeError, OSError."""
    # Only for listening back; the window starts without these libraries.
    from ..takes.film import read_film
    from ..takes.sounds import take_sound

    name = take.far_ends.get(listener) or take.listeners[listener]
    if name.endswith(".mkv"):
        return read_film(folder / name, LONGEST_S).sound
    sound, _ = take_sound(folder, name, LONGEST_S)
    if sound.shape[0] > 2:  # every part on its own track: heard together
        sound = sound.sum(axis=0, keepdims=True)
    return np.ascontiguousarray(np.broadcast_to(sound, (2, sound.shape[1])) if sound.shape[0] == 1 else sound)


class Playback(QObject):
    """`heard` is “now” or “before” while it plays, “other” while something else does, `reading` while a file is being read for it."""

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
        if self.taking.state == "recording" and self.heard:
            self.stop()

    def listen(self, which: str, listener: str) -> None:
        """Play what `listener` got, now or before; the same key changes over in place."""
        session, taking = self.session, self.taking
        index = taking.chosen if which == "now" else taking.against
        if not self._may() or not 0 <= index < len(taking.takes) or self._answer is not None:
            return
        folder, take = taking.takes[index]
        if listener not in take.listeners and listener not in take.far_ends:
            session.noticed.emit("This listener was not in that take.", "amber")
            return
        self._wanted = which
        self._answer = self._pool.submit(listener_sound, folder, take, listener)

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
            self.session.noticed.emit(why, "amber")
        return self.may

    def _why_not(self) -> str:
        if self.session.live.on_air:
            return "On air, nothing is played back: it would pause the track."
        if self.taking.state == "recording":
            return "A take is being recorded; nothing is played back into it. R ends it."
        if self.running.link is None or self.running.state != "running":
            return "Start first (F5): the headphones are off."
        return ""

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
            self.session.noticed.emit(f"Cannot be played: {e}.", "coral")
            return
        if not self.session.live.on_air:
            self._play(sound, max(0, self.running.back_frame) if self.heard else 0, self._wanted)

    def _play(self, sound: F32, at: int, which: str) -> None:
        link, monitor = self.running.link, self._monitor()
        if link is None or monitor is None:
            return
        link.tell_world("pause")
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
