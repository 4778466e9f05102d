"""A level meter: bars in dBFS with a held peak and marks. Geometry apart from paint."""

import msgspec
import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter

from ...words.detail import in_numbers
from ..paint.ruler import METER_MARKS_DB, level_share
from ..paint.sheet import Line, Sheet, colour, paint_sheet
from ..theme.fonts import height, width
from ..theme.tokens import Tokens

FALL_DB = 1.6  # a frame
HOLD_FRAMES = 45


class MeterGeometry(msgspec.Struct, frozen=True):
    """`bars` one rectangle per channel; the sheet holds the marks."""

    bars: tuple[QRectF, ...]
    sheet: Sheet


def meter_geometry(rect: QRectF, channels: int, tokens: Tokens, on: str = "card") -> MeterGeometry:
    """Bars at the top of `rect`, marks below; their numbers where it is said in numbers."""
    gap = tokens.px(3)
    tall = max(3.0, min(tokens.px(7), (tokens.px(17) - gap * (channels - 1)) / channels))
    bars = tuple(QRectF(rect.x(), rect.y() + i * (tall + gap), rect.width(), tall) for i in range(channels))
    sheet = Sheet(rect.right(), rect.bottom())
    low = bars[-1].bottom() + tokens.px(3)
    size = height("small", tokens.scale)
    free = rect.x() - 1e9
    for db in METER_MARKS_DB:
        x = rect.x() + level_share(db) * rect.width()
        sheet.lines.append(Line(((x, low), (x, low + tokens.px(4))), "edge"))
        if not in_numbers():
            continue
        label = f"{db:.0f}".replace("-", "−")
        room = width(label, "small", tokens.scale) + 2
        left = min(x - room / 2, rect.right() - room)
        if left > free:
            sheet.text(QRectF(left, low + tokens.px(4), room, size), label, "small", "mute", "centre", on)
            free = left + room + tokens.px(6)
    return MeterGeometry(bars, sheet)


class Ballistics:
    """Peaks that fall slowly, and the highest of the last one and a half seconds. Levels in dBFS, shape (bars,)."""

    def __init__(self, bars: int):
        self.level = np.full(bars, -120.0)
        self.held = np.full(bars, -120.0)
        self._age = np.zeros(bars, int)

    def feed(self, peaks: "np.typing.NDArray[np.float32]") -> bool:
        """Linear peaks of the newest frame; whether anything moved."""
        db = 20 * np.log10(np.maximum(peaks, 1e-6))
        level = np.maximum(db, self.level - FALL_DB)
        self._age += 1
        fresh = (level >= self.held) | (self._age > HOLD_FRAMES)
        held = np.where(fresh, level, self.held)
        self._age[fresh] = 0
        moved = bool(np.any(np.abs(level - self.level) > 0.05) or np.any(held != self.held))
        self.level, self.held = level, held
        return moved


def paint_meter(p: QPainter, g: MeterGeometry, state: Ballistics, tokens: Tokens) -> None:
    p.setPen(Qt.PenStyle.NoPen)
    for bar, level, held in zip(g.bars, state.level, state.held, strict=False):
        p.fillRect(bar, colour(tokens, "trough"))
        share = level_share(float(level))
        ink = "coral" if level > -0.3 else "meter"
        p.fillRect(QRectF(bar.x(), bar.y(), bar.width() * share, bar.height()), colour(tokens, ink))
        at = bar.x() + bar.width() * level_share(float(held))
        if held > -60:
            p.fillRect(QRectF(min(at, bar.right() - 2), bar.y() - 2, 2, bar.height() + 4), colour(tokens, "ink"))


def paint_marks(p: QPainter, g: MeterGeometry, tokens: Tokens) -> None:
    paint_sheet(p, g.sheet, tokens)
