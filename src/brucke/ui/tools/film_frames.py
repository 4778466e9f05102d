"""Pictures of a film on an arch over its sound, each where it would be seen once the offset is mended: geometry, then
paint."""

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...takes.shots import AROUND_S, Shots
from ...words.timing import ms_text
from ...words.translation import _
from ..kit.card import paint_card
from ..paint.sheet import colour
from ..theme.fonts import font, height, width
from ..theme.theme import Theme

COUNT = 7
SHOWN_S = 0.2  # of sound, to each side
DECK, LARGER = 0.56, 1.7


class Frame(msgspec.Struct, frozen=True):
    """Which picture, where it is drawn, and at which x of the sound it would be seen; `apart_s` from its sound. `now`:
    what would be seen when it sounds."""

    index: int
    rect: QRectF
    x: float
    apart_s: float
    now: bool


def arch_y(x: float, room: float, pad: float, crown: float, deck: float) -> float:
    """The height of an arch that stands on the deck at both edges."""
    return deck - (deck - crown) * (1 - ((x - room / 2) / (room / 2 - pad)) ** 2)


def layout(shots: Shots, event: int, later_s: float, room: float, high: float, pad: float) -> list[Frame]:
    """The pictures on an arch whose deck lies at half the height, over the moments when they would be seen; what is
    seen when it sounds is larger."""
    which = shots.near(event, COUNT, later_s)
    at = float(shots.events_s[event]) + later_s
    apart = [float(shots.times_s[i]) - at for i in which]
    xs = [float(np.clip(room / 2 + a / SHOWN_S * (room / 2 - pad), pad, room - pad)) for a in apart]
    wide = float(np.median(np.diff(xs))) * 0.94 if len(xs) > 1 else room / COUNT
    ratio = shots.pictures.shape[1] / max(1, shots.pictures.shape[2])
    deck = high * DECK
    largest = (deck - 2 * pad) * 0.6
    wide = float(np.clip(wide, pad, largest / ratio / LARGER))
    seen = [k for k, a in enumerate(apart) if a <= 1e-9]
    frames = []
    for k, i in enumerate(which):
        now = bool(seen) and k == seen[-1]
        w = wide * (LARGER if now else 1)
        y = arch_y(xs[k], room, pad, pad + wide * LARGER * ratio / 2, deck)
        rect = QRectF(xs[k] - w / 2, y - w * ratio / 2, w, w * ratio)
        frames.append(Frame(i, rect, xs[k], apart[k], now))
    return frames


class FilmFrames(QWidget):
    def __init__(self, theme: Theme):
        super().__init__()
        self.theme = theme
        self.shots: Shots | None = None
        self.index, self.later_s = 0, 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        theme.follow(self, self.update)

    def sizeHint(self) -> QSize:
        return QSize(round(self.theme.tokens.px(860)), round(self.theme.tokens.px(300)))

    def minimumSizeHint(self) -> QSize:
        return QSize(round(self.theme.tokens.px(560)), round(self.theme.tokens.px(220)))

    def show_shots(self, shots: Shots | None, index: int, later_s: float) -> None:
        self.shots, self.index, self.later_s = shots, index, later_s
        there = shots is not None and len(shots.events_s)
        self.setAccessibleName(
            _("Pictures over the sound, event {index} of {what}, picture {ms} later").format(index=index + 1,
            what=len(shots.events_s), ms=ms_text(later_s))
            if there and shots is not None else
            _("No pictures yet")
        )  # fmt: skip
        self.update()

    def frames(self) -> list[Frame]:
        if self.shots is None or not len(self.shots.events_s):
            return []
        return layout(self.shots, self.index, self.later_s, self.width(), self.height(), self.theme.tokens.px(14))

    def paintEvent(self, e: QPaintEvent | None) -> None:
        p = QPainter(self)
        paint_card(p, self.theme, QRectF(self.rect()))
        frames = self.frames()
        if frames and self.shots is not None:
            self._paint(p, self.shots, frames)

    def _paint(self, p: QPainter, shots: Shots, frames: list[Frame]) -> None:
        t = self.theme.tokens
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        small, pad = height("small", t.scale), t.px(14)
        deck, bottom = self.height() * DECK, self.height() - t.px(12) - small
        self._paint_wave(p, shots, deck + 2 * small, bottom)
        self._paint_arch(p, frames, deck, pad)
        p.setFont(font("small", t.scale))
        free = -1e9
        for f in sorted(frames, key=lambda f: f.now):
            one = shots.pictures[f.index]
            image = QImage(one.tobytes(), one.shape[1], one.shape[0], one.shape[1], QImage.Format.Format_Grayscale8)
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.setPen(QPen(colour(t, "water" if f.now else "mute"), 1.2))
            p.drawLine(QPointF(f.x, f.rect.bottom()), QPointF(f.x, deck + 2 * small))
            p.drawImage(f.rect, image)
            p.setPen(QPen(colour(t, "water" if f.now else "line"), 3 if f.now else 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(f.rect)
        for f in frames:
            p.setPen(colour(t, "water" if f.now else "mute"))
            text = ms_text(f.apart_s, 0)
            room = width(text, "small", t.scale) + t.px(8)
            if f.x - room / 2 > free:
                p.fillRect(QRectF(f.x - room / 2, deck + 3, room, small), colour(t, "card"))
                p.drawText(QRectF(f.x - room / 2, deck + 3, room, small), int(Qt.AlignmentFlag.AlignCenter), text)
                free = f.x + room / 2
        middle = self.width() / 2
        p.setPen(QPen(colour(t, "coral"), 1.6, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(middle, deck + 1.2 * small), QPointF(middle, bottom))
        p.setPen(colour(t, "coral"))
        p.drawText(QRectF(middle - 150, bottom, 300, small), int(Qt.AlignmentFlag.AlignCenter), _("it sounds"))

    def _paint_arch(self, p: QPainter, frames: list[Frame], deck: float, pad: float) -> None:
        t, wide = self.theme.tokens, float(self.width())
        crown = pad + max(f.rect.height() for f in frames) / 2
        points = [QPointF(x, arch_y(x, wide, pad, crown, deck)) for x in np.linspace(pad, wide - pad, 60)]
        p.setPen(QPen(colour(t, "edge"), 2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(QPolygonF(points))
        p.setPen(QPen(colour(t, "ink"), 1.6))
        p.drawLine(QPointF(pad, deck), QPointF(wide - pad, deck))

    def _paint_wave(self, p: QPainter, shots: Shots, top: float, bottom: float) -> None:
        t = self.theme.tokens
        sound = shots.sound[self.index]
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
