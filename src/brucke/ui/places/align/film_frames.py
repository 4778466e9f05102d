"""Pictures of a film over the waveform of its sound, laid as they would be once the offset is mended: geometry, then paint."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ....takes.shots import AROUND_S, Shots
from ....words.timing import ms_text
from ...kit.card import paint_card
from ...paint.sheet import colour
from ...theme.fonts import font, height
from ...theme.theme import Theme

COUNT = 7
SHOWN_S = 0.2  # of sound, to each side


@dataclass(frozen=True)
class Frame:
    """Which picture, where it is drawn, and at which x of the waveform it would be seen; `apart_s` from its sound. `now`: what would be seen when it sounds."""

    index: int
    rect: QRectF
    x: float
    apart_s: float
    now: bool


def layout(shots: Shots, event: int, later_s: float, width: float, high: float, pad: float) -> list[Frame]:
    """The pictures in a row above the waveform, which has the lower half."""
    which = shots.near(event, COUNT, later_s)
    at = float(shots.events_s[event]) + later_s
    gap = pad * 0.5
    each = (width - 2 * pad - (COUNT - 1) * gap) / COUNT
    tall = min(each * shots.pictures.shape[1] / max(1, shots.pictures.shape[2]), high * 0.5)
    seen = [i for i in which if shots.times_s[i] <= at + 1e-9]
    frames = []
    for k, i in enumerate(which):
        apart = float(shots.times_s[i]) - at
        x = width / 2 + apart / SHOWN_S * (width / 2 - pad)
        rect = QRectF(pad + k * (each + gap), pad, each, tall)
        frames.append(Frame(i, rect, float(np.clip(x, pad, width - pad)), apart, bool(seen) and i == seen[-1]))
    return frames


class FilmFrames(QWidget):
    def __init__(self, theme: Theme):
        super().__init__()
        self.theme = theme
        self.shots: Shots | None = None
        self.event, self.later_s = 0, 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(round(self.theme.tokens.px(860)), round(self.theme.tokens.px(300)))

    def minimumSizeHint(self) -> QSize:
        return QSize(round(self.theme.tokens.px(560)), round(self.theme.tokens.px(220)))

    def show_shots(self, shots: Shots | None, event: int, later_s: float) -> None:
        self.shots, self.event, self.later_s = shots, event, later_s
        there = shots is not None and len(shots.events_s)
        self.setAccessibleName(
            f"Pictures over the sound, event {event + 1} of {len(shots.events_s)}, picture {ms_text(later_s)} later" if there and shots is not None else "No pictures yet"
        )  # fmt: skip
        self.update()

    def frames(self) -> list[Frame]:
        if self.shots is None or not len(self.shots.events_s):
            return []
        return layout(self.shots, self.event, self.later_s, self.width(), self.height(), self.theme.tokens.px(14))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p = QPainter(self)
        paint_card(p, self.theme, QRectF(self.rect()))
        frames = self.frames()
        if frames and self.shots is not None:
            self._paint(p, self.shots, frames)

    def _paint(self, p: QPainter, shots: Shots, frames: list[Frame]) -> None:
        t = self.theme.tokens
        small = height("small", t.scale)
        top = frames[0].rect.bottom() + small * 1.5
        bottom = self.height() - t.px(12) - small
        self._paint_wave(p, shots, top + small, bottom)
        p.setFont(font("small", t.scale))
        for f in frames:
            one = shots.pictures[f.index]
            image = QImage(one.tobytes(), one.shape[1], one.shape[0], one.shape[1], QImage.Format.Format_Grayscale8)
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(f.rect, image)
            p.setPen(QPen(colour(t, "water" if f.now else "line"), 3 if f.now else 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(f.rect)
            below = QPointF(f.rect.center().x(), f.rect.bottom() + small * 1.2)
            p.setPen(QPen(colour(t, "water" if f.now else "mute"), 1.2))
            p.drawText(
                QRectF(f.rect.left(), f.rect.bottom(), f.rect.width(), small * 1.2),
                int(Qt.AlignmentFlag.AlignCenter),
                ms_text(f.apart_s, 0),
            )
            p.drawPolyline(QPolygonF([below, QPointF(f.x, top + small), QPointF(f.x, bottom)]))
        middle = self.width() / 2
        p.setPen(QPen(colour(t, "coral"), 1.6, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(middle, top), QPointF(middle, bottom))
        p.setPen(colour(t, "coral"))
        p.drawText(QRectF(middle - 150, bottom, 300, small), int(Qt.AlignmentFlag.AlignCenter), "it sounds")

    def _paint_wave(self, p: QPainter, shots: Shots, top: float, bottom: float) -> None:
        t = self.theme.tokens
        sound = shots.sound[self.event]
        reach, middle = round(SHOWN_S * shots.rate_hz), round(AROUND_S * shots.rate_hz)
        piece = sound[middle - reach : middle + reach]
        columns = max(2, round(self.width() - 2 * t.px(14)))
        edges = np.linspace(0, len(piece), columns + 1).astype(int)
        highs = np.maximum.reduceat(piece, np.minimum(edges[:-1], len(piece) - 1))
        lows = np.minimum.reduceat(piece, np.minimum(edges[:-1], len(piece) - 1))
        loud = float(np.abs(piece).max()) or 1.0
        zero, half = (top + bottom) / 2, (bottom - top) / 2
        p.setPen(QPen(colour(t, "ink"), 1))
        p.drawLine(QPointF(t.px(14), zero), QPointF(t.px(14) + columns, zero))
        for k in range(columns):
            x = t.px(14) + k
            p.drawLine(QPointF(x, zero - highs[k] / loud * half), QPointF(x, zero - lows[k] / loud * half))
