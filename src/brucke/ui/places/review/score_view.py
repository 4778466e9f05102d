"""The score of a recording: drag a stretch, the wheel with Ctrl comes nearer, arrows go on."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from ....takes.edits import UNEDITED, Stretch
from ....words.timing import clock_text
from ....words.translation import _
from ...kit.sheet_view import SheetView
from ...paint.sheet import Sheet
from ...theme.theme import Theme
from .score_layout import ScoreData, Track, axis_of, least_height, rows, score_layout

LEAST_S = 0.02  # of what is shown: one frame of 48 000 is a twentieth of a column then
NEARER = 1.4
SHAPES = 1600  # columns at most


class ScoreDrawing(SheetView):
    """`chose` where a stretch or a track was chosen; `moved` where another stretch of time is shown. `shapes(begin,
    seconds, columns)` tells the tracks of what is shown."""

    chose = pyqtSignal()
    moved = pyqtSignal()

    def __init__(self, theme: Theme, shapes: Callable[[float, float, int], tuple[Track, ...]]):
        super().__init__(theme)
        self.data = ScoreData((), UNEDITED, 0.0, 1.0)
        self.seconds = 1.0
        self._shapes, self._pressed = shapes, -1.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(False)

    def show_score(self, data: ScoreData, seconds: float) -> None:
        """Of a recording that lasts so long; what is shown of it and chosen in it stays."""
        begin, end = self.data.begin_s, self.data.end_s
        if seconds != self.seconds:  # it is known by now
            begin, end = 0.0, max(LEAST_S, seconds)
        self.seconds = max(LEAST_S, seconds)
        now = replace(
            data, begin_s=begin, end_s=end, chosen=self.data.chosen, chosen_track=self.data.chosen_track,
            tracks=self._shapes(begin, end - begin, self._columns()),
        )  # fmt: skip
        if now != self.data:
            self.data = now
            self._describe()
            self.renew()

    def show_cursor(self, at_s: float) -> None:
        if round(at_s, 2) != round(self.data.cursor_s, 2):
            self.data = replace(self.data, cursor_s=at_s)
            self.renew()

    def _columns(self) -> int:
        return max(50, min(SHAPES, round(axis_of(self.data, self.width(), self.tokens).width)))

    def _describe(self) -> None:
        d, chosen = self.data, self.data.chosen
        track = next((t.name for t in d.tracks if t.id == d.chosen_track), _("all tracks"))
        said = _("The recording from {a} to {b}.").format(a=clock_text(d.begin_s), b=clock_text(d.end_s))
        if chosen is not None:
            said += " " + _("Chosen: {a:.2f} to {b:.2f} s of {track}.").format(
                a=chosen.begin_s, b=chosen.end_s, track=track
            )
        self.setAccessibleName(said)

    def minimumSizeHint(self) -> QSize:
        t = self.tokens
        return QSize(round(t.px(420)), round(least_height(max(1, len(self.data.tracks)), t)))

    def sizeHint(self) -> QSize:
        return self.minimumSizeHint()

    def make_sheet(self, width: float, height: float) -> Sheet:
        return score_layout(self.data, width, height, self.tokens)

    # What is shown

    def show_from(self, begin_s: float, seconds: float) -> None:
        seconds = max(LEAST_S, min(self.seconds, seconds))
        begin = max(0.0, min(self.seconds - seconds, begin_s))
        self.data = replace(
            self.data, begin_s=begin, end_s=begin + seconds, tracks=self._shapes(begin, seconds, self._columns())
        )
        self._describe()
        self.renew()
        self.moved.emit()

    def nearer(self, times: float, at_s: float | None = None) -> None:
        d = self.data
        chosen = d.chosen
        if at_s is None:
            at_s = (chosen.begin_s + chosen.end_s) / 2 if chosen is not None else (d.begin_s + d.end_s) / 2
        span = (d.end_s - d.begin_s) / times
        share = (at_s - d.begin_s) / (d.end_s - d.begin_s)
        share = share if 0 <= share <= 1 else 0.5
        self.show_from(at_s - share * span, span)

    def choose(self, chosen: Stretch | None, track: str) -> None:
        if chosen is not None:
            a, b = sorted((max(0.0, chosen.begin_s), min(self.seconds, chosen.end_s)))
            chosen = Stretch(a, b) if b - a > 1e-6 else None
        self.data = replace(self.data, chosen=chosen, chosen_track=track)
        self._describe()
        self.renew()
        self.chose.emit()

    def resizeEvent(self, e) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(e)
        d = self.data
        if d.tracks:
            self.data = replace(d, tracks=self._shapes(d.begin_s, d.end_s - d.begin_s, self._columns()))

    # Hands

    def _track_at(self, y: float) -> str:
        where = rows(self.data, self.height(), self.tokens)
        return next((id for id, r in where.items() if r.top() <= y < r.bottom()), "")

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and e.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self._pressed = axis_of(self.data, self.width(), self.tokens).seconds(e.position().x())
            self.choose(None, self._track_at(e.position().y()))

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        if e is not None and self._pressed >= 0:
            now = axis_of(self.data, self.width(), self.tokens).seconds(e.position().x())
            a, b = sorted((self._pressed, now))
            self.choose(Stretch(a, b), self.data.chosen_track)

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        self._pressed = -1.0

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        """With Ctrl nearer or farther; sideways along the time; else the page's."""
        if e is None:
            return
        d, turn, side = self.data, e.angleDelta().y(), e.angleDelta().x()
        if e.modifiers() & Qt.KeyboardModifier.ControlModifier and turn:
            at = axis_of(d, self.width(), self.tokens).seconds(e.position().x())
            self.nearer(NEARER if turn > 0 else 1 / NEARER, at)
        elif side or e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.show_from(d.begin_s - (side or turn) / 1200 * (d.end_s - d.begin_s), d.end_s - d.begin_s)
        else:
            e.ignore()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        if e is None:
            return
        d, span = self.data, self.data.end_s - self.data.begin_s
        ids = ["", *(t.id for t in d.tracks)]
        key, shift = Qt.Key(e.key()), bool(e.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        at = ids.index(d.chosen_track) if d.chosen_track in ids else 0
        if e.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(e)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.choose(d.chosen, ids[(at + (1 if key == Qt.Key.Key_Down else -1)) % len(ids)])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._by_arrow(span / 50 * (1 if key == Qt.Key.Key_Right else -1), shift)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.nearer(NEARER if key == Qt.Key.Key_Plus else 1 / NEARER)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.show_from(0.0 if key == Qt.Key.Key_Home else self.seconds, span)
        elif key == Qt.Key.Key_A:
            self.choose(Stretch(d.begin_s, d.end_s), d.chosen_track)
        else:
            super().keyPressEvent(e)

    def _by_arrow(self, seconds: float, longer: bool) -> None:
        """What is chosen goes on, or becomes longer with Shift; what is shown follows."""
        d = self.data
        begin, end = (d.chosen.begin_s, d.chosen.end_s) if d.chosen is not None else (d.begin_s, d.begin_s)
        if longer:
            end = max(begin + 1e-3, min(self.seconds, end + seconds))
        else:
            length = max(end - begin, abs(seconds))
            begin = max(0.0, min(self.seconds - length, begin + seconds))
            end = begin + length
        self.choose(Stretch(begin, end), d.chosen_track)
        span = d.end_s - d.begin_s
        if end > d.end_s or begin < d.begin_s:
            self.show_from((begin if begin < d.begin_s else end - span), span)
