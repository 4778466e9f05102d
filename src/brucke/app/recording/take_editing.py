"""One recording that is edited: what was done to it, back and forth; how loud its tracks are; what of it is heard; and
bleed that is looked for. No file that was recorded changes."""

from collections.abc import Callable, Iterator
from concurrent.futures import Future
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.sound.at_rate import at_rate
from ...takes.edits import Edits, Stretch, after_edits_s, kept, move_to, mute
from ...takes.take import Take, TakeError
from ...words.translation import _
from ..jobs.background import BackgroundQueue
from ..jobs.subprocess_job import SubprocessJob
from ..studio import Studio
from .split_off import split_off

if TYPE_CHECKING:
    from ...takes.edited import Sounds

LONGEST_S = 60.0  # that is played at once
F32 = npt.NDArray[np.float32]


class TakeEditing(QObject):
    """`folder` is the recording's; `outlines` by part once they are known; `offered` stretches of bleed by part, which
    nobody has muted yet."""

    changed = pyqtSignal()

    def __init__(self, studio: Studio):
        super().__init__()
        self.taking, self.session, self.playback = studio.taking, studio.session, studio.playback
        self.folder = Path()
        self.seconds = 0.0
        self.outlines_hz = 1  # values of an outline a second
        self.outlines: dict[str, npt.NDArray[np.uint8]] = {}
        self.offered: dict[str, tuple[Stretch, ...]] = {}
        self._done: list[tuple[str, Edits]] = []
        self._at = 0
        self._queue = BackgroundQueue("outline")
        self._reading: Future[tuple[float, int, dict[str, npt.NDArray[np.uint8]]]] | None = None
        self._hearing: Future[F32] | None = None
        self._looks = ("", "")  # what is looked for, and of which part
        self.said = ""  # of what was looked for last
        self._work: Callable[[Callable[[], None]], None] = lambda write: write()
        self.job = SubprocessJob()
        self.job.changed.connect(self.changed)
        self.job.ended.connect(self._looked)
        studio.clock.tick.connect(self.tick)

    @property
    def take(self) -> Take | None:
        return next((t for f, t in self.taking.takes if f == self.folder), None)

    @property
    def edits(self) -> Edits:
        return self.take.edits if self.take is not None else Edits()

    def open(self, folder: Path) -> None:
        self.folder, self.outlines, self.offered, self.seconds, self.said = folder, {}, {}, 0.0, ""
        self._done, self._at = [("", self.edits)], 0
        take = self.take
        if take is not None:
            self._reading = self._queue.do(lambda: _look(folder, take))
        self.changed.emit()

    # What is done, and back

    def do(self, what: str, edits: Edits, work: Callable[[Callable[[], None]], None]) -> None:
        """`work` runs what waits for the disk. What cannot be written is said, and is not done."""
        if edits != self.edits and self._write(edits, work):
            self._done[self._at + 1 :] = [(what, edits)]
            self._at += 1
            self.changed.emit()

    @property
    def can_undo(self) -> str:
        """What would be undone, “” nothing."""
        return self._done[self._at][0] if self._at > 0 else ""

    @property
    def can_redo(self) -> str:
        return self._done[self._at + 1][0] if self._at + 1 < len(self._done) else ""

    def step(self, forth: bool, work: Callable[[Callable[[], None]], None]) -> None:
        to = self._at + (1 if forth else -1)
        if 0 <= to < len(self._done) and self._write(self._done[to][1], work):
            self._at = to
            self.changed.emit()

    def _write(self, edits: Edits, work: Callable[[Callable[[], None]], None]) -> bool:
        try:
            self.taking.change(self.folder, work, edits=edits)
        except (OSError, TakeError, StopIteration) as e:
            why = (getattr(e, "strerror", None) or str(e)).rstrip(".") or _("it is not there any more")
            self.session.noticed.emit(_("Not changed: {why}. The recording is as it was.").format(why=why), "coral")
            return False
        return True

    def split_off(self, stretch: Stretch, work: Callable[[Callable[[], None]], None]) -> Path | None:
        """A stretch as a recording of its own, which is in the list then; this one stays as it is. None where that
        could not be done, which is said."""
        found: list[Path] = []
        edits, folder, seconds = self.edits, self.folder, self.seconds
        try:
            work(lambda: found.append(split_off(folder, edits, stretch, seconds)))
        except (OSError, TakeError) as e:  # shutil's error is one of the first
            why = (getattr(e, "strerror", None) or str(e)).rstrip(".")
            self.session.noticed.emit(_("Not split off: {why}. The recording is as it was.").format(why=why), "coral")
            return None
        self.taking.take_back(found[0])
        said = _("{name} is a recording of its own. This one stays as it is.").format(name=found[0].name)
        self.session.noticed.emit(said, "water")
        return found[0]

    # What is heard

    def hear(self, part: str, listener: str, stretch: Stretch) -> None:
        """A part by itself, or what a `listener` got where `part` is “”: of what is left of the stretch, a minute at
        most."""
        take = self.take
        if take is None or self._hearing is not None:
            return
        if not self.playback.may:
            self.playback.hear(np.zeros((2, 1), np.float32))  # which says why not, and plays nothing
            return
        folder, rate = self.folder, self.session.setup.rate_hz

        def read() -> F32:
            from ...rehearse.remix import remix
            from ...takes.edited import Sounds

            return heard(Sounds(folder, take, remix), part, listener, stretch, rate)

        self._hearing = self._queue.do(read)
        self.changed.emit()

    @property
    def reading(self) -> bool:
        return self._hearing is not None

    def tick(self) -> None:
        """Once a frame."""
        if self._reading is not None and self._reading.done():
            reading, self._reading = self._reading, None
            if reading.exception() is None:
                self.seconds, self.outlines_hz, self.outlines = reading.result()
            else:
                said = _("Its tracks cannot be drawn: {why}.").format(why=reading.exception())
                self.session.noticed.emit(said, "coral")
            self.changed.emit()
        if self._hearing is not None and self._hearing.done():
            hearing, self._hearing = self._hearing, None
            if hearing.exception() is not None:
                self.session.noticed.emit(_("Cannot be played: {why}.").format(why=hearing.exception()), "coral")
            else:
                self.playback.hear(hearing.result())
            self.changed.emit()

    # Bleed

    @property
    def looking(self) -> str:
        """What is looked for: “bleed”, “in_step” or “”."""
        return self._looks[0]

    def look_for_bleed(self, part: str) -> None:
        self._begin("bleed", part, ["bleed", str(self.folder), "--part", part])

    def set_in_step(self, part: str, work: Callable[[Callable[[], None]], None]) -> None:
        """A far end is moved to where it was meant, and it is said how that is known."""
        self._work = work
        where = [word for folder in self.session.folders for word in ("--sounds", str(folder))]
        self._begin("in_step", part, ["in-step", str(self.folder), "--part", part, *where])

    def _begin(self, what: str, part: str, command: list[str]) -> None:
        if not self.looking:
            self._looks = (what, part)
            self.job.start(command)
            self.changed.emit()

    def stop_looking(self) -> None:
        self.job.end()

    def _looked(self, done: bool) -> None:
        (what, part), self._looks = self._looks, ("", "")
        if done and what == "in_step":
            self._set_in_step(part)
        elif done:
            found = self.job.result["parts"].get(part, [])
            self.offered[part] = tuple(Stretch(s["begin_s"], s["end_s"]) for s in found)
            if not found:
                said = _("Nowhere does this track hold only what it picks up of others.")
                self.session.noticed.emit(said, "water")
        elif self.job.said:
            self.session.noticed.emit(_("Not looked through: {why}.").format(why=self.job.said.rstrip(".")), "amber")
        self.changed.emit()

    def _set_in_step(self, part: str) -> None:
        found, said = self.job.result["parts"][part], " ".join(self.job.result["says"])
        if found["by"] != "nothing":
            self.do(_("set in step"), move_to(self.edits, part, -found["late_ms"] / 1e3), self._work)
        tone = "amber" if found["by"] in ("nothing", "stored") else "water"
        self.session.noticed.emit(said, tone)
        self.said = said

    def cut_bleed(self, part: str, work: Callable[[Callable[[], None]], None]) -> None:
        """All that is offered at once, one step back."""
        offered = self.offered.get(part, ())
        if offered:
            self.do(_("its bleed muted"), mute(self.edits, part, offered), work)
            self.leave_bleed(part)

    def leave_bleed(self, part: str) -> None:
        self.offered.pop(part, None)
        self.changed.emit()

    def close(self) -> None:
        self.job.close()


def _look(folder: Path, take: Take) -> tuple[float, int, dict[str, npt.NDArray[np.uint8]]]:
    from ...takes.edited import Sounds
    from ...takes.overview import A_SECOND, overview

    return Sounds(folder, take).seconds, A_SECOND, overview(folder, take)


def heard(sounds: "Sounds", part: str, listener: str, stretch: Stretch, rate_hz: int) -> F32:
    """[2, frames] at `rate_hz` of what is left of a stretch, of one part or of what a listener got. Errors:
    TakeError."""
    edits, seconds = sounds.take.edits, sounds.seconds
    begins = [s for s in kept(edits, seconds) if s.end_s > stretch.begin_s and s.begin_s < stretch.end_s]
    if not begins:
        raise TakeError("this stretch was left out")
    first = after_edits_s(edits, max(stretch.begin_s, begins[0].begin_s), seconds) or 0.0
    last = after_edits_s(edits, min(stretch.end_s, begins[-1].end_s), seconds) or first
    if part:
        rate, _channels, blocks = sounds.part(part)
    else:
        rate, blocks = sounds.mix(listener)
    sound = _between(sounds.left(rate, blocks), round(first * rate), round(min(last, first + LONGEST_S) * rate))
    two = sound[:2] if sound.shape[0] > 1 else np.repeat(sound, 2, axis=0)
    return at_rate(np.ascontiguousarray(two), rate, rate_hz)


def _between(blocks: Iterator[F32], first: int, last: int) -> F32:
    at, found = 0, []
    for block in blocks:
        low, high = max(0, first - at), min(block.shape[1], last - at)
        if low < high:
            found.append(block[:, low:high])
        at += block.shape[1]
        if at >= last:
            break
    return np.concatenate(found, axis=1) if found else np.zeros((1, 1), np.float32)
