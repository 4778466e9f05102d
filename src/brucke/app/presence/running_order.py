"""Where one is in the running order: one key goes on, one goes back, and a song that ends goes where its line says."""

import time

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.setup import OrderLine
from ...core.edits.order_edits import backing_track, track_index
from ...core.edits.part_edits import choose_track
from ...words.perform import LAST_LINE, NO_ORDER, gone_text, not_begun_text, song_text
from ..engine.live_engine import LiveEngine
from ..session.session import Session

# A track that repeats is held so much before its end, which the window sees thirty times a second: nothing of its
# beginning is heard again.
BEFORE_END_S = 0.06
NEAR_END_S = 0.6
FIRST_LINE_AGAIN_S = 3.0  # going back this long after a line began, it begins again


class RunningOrder(QObject):
    """`at` is the line one is in, −1 before the first; `ended` once its song has ended; `came(line)` as each begins.
    It belongs to the hour, not to the document: no undo moves it."""

    changed = pyqtSignal()
    came = pyqtSignal(OrderLine)

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.at, self.ended = -1, False
        self._began = self._was_at_s = 0.0
        self._plays = False
        self._order = session.setup.order
        session.replaced.connect(self._begin_anew)
        session.changed.connect(self._fit)

    def _begin_anew(self) -> None:
        self.at, self.ended, self._order = -1, False, self.session.setup.order
        self.changed.emit()

    def _fit(self) -> None:
        """The line one is in stays it, wherever it stands after lines were moved, added or taken away. Where it was
        taken away itself one has ended the line before it."""
        old, order = self._order, self.session.setup.order
        if order is old:
            return
        self._order = order
        if 0 <= self.at < len(old):
            line = old[self.at]
            places = [i for i, x in enumerate(order) if x is line] or [i for i, x in enumerate(order) if x == line]
            if places:
                self.at = min(places, key=lambda i: abs(i - self.at))
            elif len(order) != len(old):
                self.at, self.ended, self._plays = min(self.at, len(order)) - 1, True, False
        self.changed.emit()

    @property
    def line(self) -> OrderLine | None:
        order = self.session.setup.order
        return order[self.at] if 0 <= self.at < len(order) else None

    @property
    def following(self) -> OrderLine | None:
        """The line that comes next."""
        order = self.session.setup.order
        return order[self.at + 1] if self.at + 1 < len(order) else None

    @property
    def spent_s(self) -> float:
        """Seconds since the line began."""
        return time.monotonic() - self._began if self.line is not None else 0.0

    @property
    def left_s(self) -> float | None:
        """Seconds left of the song; None where none plays, or nobody knows."""
        line = self.line
        if line is None or line.kind != "song" or self.ended or not self._plays:
            return None
        position, _length = self.running.track
        end = self._end_s(line)
        return max(0.0, end - max(0.0, position)) if end else None

    def _end_s(self, line: OrderLine) -> float:
        length = self.running.track[1]
        part = backing_track(self.session.setup)
        loop = part.tracks[part.track].loop_to_s if part is not None and part.tracks[part.track].loops else 0.0
        to_s = line.to_s if line.to_s > line.from_s else 0.0
        return min(to_s or loop or length, length)

    def next(self) -> None:
        """The next line begins."""
        if not self.session.setup.order:
            self.session.noticed.emit(NO_ORDER, "mute")
        elif self.following is None:
            self.session.noticed.emit(LAST_LINE, "mute")
        else:
            self.go(self.at + 1)

    def back(self) -> None:
        """This line again, or just after its beginning the one before."""
        if self.line is not None:
            again = self.spent_s > FIRST_LINE_AGAIN_S or self.at == 0
            self.go(self.at if again else self.at - 1)

    def go(self, at: int) -> None:
        """Begin one line: its moment, and its song or none. A song that cannot begin is said, and nothing changes."""
        setup = self.session.setup
        line = setup.order[at]
        index, part = track_index(setup, line), backing_track(setup)
        if line.kind == "song" and self.running.why_silent:
            self.session.noticed.emit(not_begun_text(line, self.running.why_silent), "silent")
            return
        if line.kind == "song" and (index < 0 or part is None):
            self.session.noticed.emit(gone_text(line), "coral")
            return
        if self.running.playing:
            self.running.play(False)
        if part is not None and line.kind == "song" and index != part.track:
            self.session.edit(song_text(line), choose_track(setup, part.id, index), "perform")
            chosen = backing_track(self.session.setup)
            if chosen is None or chosen.track != index:
                return  # it was refused, and said
        self._call_up(line.moment)
        self.at, self.ended, self._began = at, False, time.monotonic()
        self._plays, self._was_at_s = False, line.from_s
        if line.kind == "song":
            self.running.begin_at(line.from_s)
            self.running.play(True)
            self._plays = True
        self.came.emit(line)
        self.changed.emit()

    def _call_up(self, moment: str) -> None:
        if moment and self.session.setup.moment(moment) is not None and moment != self.session.live.moment:
            self.session.set_live(replace(self.session.live, moment=moment))

    def tick(self) -> None:
        """Once a frame: whether the song has ended."""
        line = self.line
        if line is None or not self._plays or self.ended or self.spent_s < 1.0:
            return
        position, end = self.running.track[0], self._end_s(line)
        stands = not self.running.playing and end > 0 and self._was_at_s > end - NEAR_END_S
        turned = end > 0 and self._was_at_s > end - NEAR_END_S and position < self._was_at_s - NEAR_END_S
        self._was_at_s = position
        if stands or turned or (end > 0 and position >= end - BEFORE_END_S):
            self._end(line)

    def _end(self, line: OrderLine) -> None:
        self.running.play(False)
        self.ended, self._plays = True, False
        self._call_up(line.after)
        self.changed.emit()
        if line.goes_on and self.following is not None:
            self.go(self.at + 1)
