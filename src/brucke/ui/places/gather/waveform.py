"""A track as a picture that draws itself while the file is still being read; click to go there, drag the loop's
handles."""

import threading
from pathlib import Path

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractSlider, QSizePolicy

from ....words.translation import _
from ...kit.pictured import Picture
from ...kit.wheel import WheelScrolls
from ...paint.sheet import colour
from ...theme.theme import Theme

F32 = npt.NDArray[np.float32]
LOOK_HZ = 8000
BUCKETS_A_SECOND = 20
STEP_S = 5.0


class Outline:
    """Peaks of one file, BUCKETS_A_SECOND of them, filled by a thread. `error` is the sentence of a bad file."""

    def __init__(self, path: Path):
        self.path = path
        self.seconds = 0.0
        self.done = False
        self.error = ""
        self.peaks: list[float] = []
        self._stop = False
        threading.Thread(target=self._read, daemon=True).start()

    def stop(self) -> None:
        self._stop = True

    def _read(self) -> None:
        from ....ports.sounds.files import SoundFileError
        from ....ports.sounds.track import chunks, track_info

        bucket = LOOK_HZ // BUCKETS_A_SECOND
        rest = np.zeros(0, np.float32)
        try:
            self.seconds = track_info(self.path).seconds
            for sound in chunks(self.path, LOOK_HZ):
                if self._stop:
                    return
                line = np.concatenate([rest, np.abs(sound).max(axis=0)])
                whole = len(line) // bucket
                self.peaks.extend(line[: whole * bucket].reshape(whole, bucket).max(axis=1).tolist())
                rest = line[whole * bucket :]
            if len(rest):
                self.peaks.append(float(rest.max()))
            self.seconds = len(self.peaks) / BUCKETS_A_SECOND
        except SoundFileError as e:
            self.error = str(e)
        self.done = True


class Waveform(WheelScrolls, QAbstractSlider):
    """Its value is the position in milliseconds. `sought(s)` and `looped(from, to)` in seconds; `read` when the file
    is."""

    sought = pyqtSignal(float)
    looped = pyqtSignal(float, float)
    read = pyqtSignal()

    def __init__(self, theme: Theme):
        super().__init__()
        self._theme = theme
        self.outline: Outline | None = None
        self._loop = (0.0, 0.0)
        self._held = ""  # from, to or nothing
        self._drawn = -1
        self._shape = Picture()
        self._reading = QTimer(self)
        self._reading.setInterval(60)
        self._reading.timeout.connect(self._read_on)
        self.setAccessibleName(_("Position in the track"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.follow(self, self.updateGeometry)

    def sizeHint(self) -> QSize:
        t = self._theme.tokens
        return QSize(round(t.px(180)), round(t.px(64)))

    def show_file(self, path: Path | None) -> None:
        if path == (self.outline.path if self.outline else None):
            return
        if self.outline is not None:
            self.outline.stop()
        self.outline = Outline(path) if path is not None else None
        self._drawn = -1
        if self.outline is not None:
            self._reading.start()
        self.update()

    def _read_on(self) -> None:
        """Draw what was read since; `read` once it is all there."""
        if self.outline is None or self.outline.done:
            self._reading.stop()
            self.read.emit()
        self.show_position(self.value() / 1000)

    def show_loop(self, first: float, end: float) -> None:
        if (first, end) != self._loop and not self._held:
            self._loop = (first, end)
            self.update()

    def show_position(self, seconds: float) -> None:
        """The playing position; also where newly read parts of the file are drawn."""
        o = self.outline
        if o is None:
            return
        self.setRange(0, max(1, round(o.seconds * 1000)))
        at = round(max(0.0, seconds) * 1000)
        if at // 100 != self.value() // 100 or len(o.peaks) != self._drawn:
            self._drawn = len(o.peaks)
            self.setValue(at)
            self.update()

    @property
    def seconds(self) -> float:
        return self.outline.seconds if self.outline is not None else 0.0

    def _x(self, seconds: float) -> float:
        return self.width() * min(1.0, seconds / self.seconds) if self.seconds else 0.0

    def _seconds(self, x: float) -> float:
        return min(max(x / max(1, self.width()), 0.0), 1.0) * self.seconds

    def _end(self) -> float:
        return self._loop[1] or self.seconds

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        if e is None or not self.seconds:
            return
        x, near = e.position().x(), self._theme.tokens.px(8)
        handles = e.position().y() < self._theme.tokens.px(16)
        if handles and abs(x - self._x(self._loop[0])) < near:
            self._held = "from"
        elif handles and abs(x - self._x(self._end())) < near:
            self._held = "to"
        else:
            self.sought.emit(self._seconds(x))

    def mouseMoveEvent(self, e: QMouseEvent | None) -> None:
        if e is None or not self._held:
            return
        at = self._seconds(e.position().x())
        if self._held == "from":
            self._loop = (min(at, self._end() - 0.1), self._loop[1])
        else:
            self._loop = (self._loop[0], max(at, self._loop[0] + 0.1))
        self.update()

    def mouseReleaseEvent(self, e: QMouseEvent | None) -> None:
        if self._held:
            self._held = ""
            self.looped.emit(max(0.0, self._loop[0]), self._loop[1])

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Left: -STEP_S, Qt.Key.Key_Right: STEP_S}.get(
            Qt.Key(e.key()) if e is not None else Qt.Key.Key_unknown
        )
        if step is None or e is None or e.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(e)
            return
        self.sought.emit(min(max(0.0, self.value() / 1000 + step), self.seconds))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        t = self._theme.tokens
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = self.width(), self.height()
        p.fillRect(QRectF(0, 0, w, h), colour(t, "paper"))
        o = self.outline
        if o is not None and o.peaks and o.seconds:
            key = (o.path, len(o.peaks), o.seconds, t.name, t.scale)
            self._shape.show(self, p, key, lambda q: self._paint_shape(q, o, w, h))
        first, end = self._x(self._loop[0]), self._x(self._end())
        if self.seconds:
            p.fillRect(QRectF(first, 0, end - first, t.px(5)), colour(t, "water"))
            for x, side in ((first, 1), (end, -1)):
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(colour(t, "water"))
                tip = (QPointF(x, 0), QPointF(x + side * t.px(10), 0), QPointF(x, t.px(14)))
                p.drawPolygon(QPolygonF(tip))
            at = self._x(self.value() / 1000)
            p.fillRect(QRectF(at - 1, 0, 2, h), colour(t, "coral"))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(colour(t, "water" if self.hasFocus() else "line"), 2 if self.hasFocus() else 1))
        p.drawRect(QRectF(0.5, 0.5, w - 1, h - 1))

    def _paint_shape(self, p: QPainter, o: Outline, w: float, h: float) -> None:
        peaks = np.array(o.peaks, np.float32)
        columns = max(1, round(w * len(peaks) / max(1.0, o.seconds * BUCKETS_A_SECOND)))
        edges = np.linspace(0, len(peaks), columns + 1).astype(int)
        tall = np.maximum.reduceat(peaks, np.minimum(edges[:-1], len(peaks) - 1))
        middle, scale = h * 0.58, h * 0.38 / max(0.05, float(peaks.max()))
        step = min(w, w * len(peaks) / max(1.0, o.seconds * BUCKETS_A_SECOND)) / columns
        up = [QPointF(i * step, middle - float(v) * scale) for i, v in enumerate(tall)]
        down = [QPointF(i * step, middle + float(v) * scale) for i, v in enumerate(tall)]
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(self._theme.tokens, "mute"))
        p.drawPolygon(QPolygonF([*up, *reversed(down)]))
