"""Parts and equipment as drawings with a button over every row, and levels that move."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent

from ...kit.buttons_drawing import ButtonsDrawing
from ...kit.meter import Ballistics, MeterGeometry, paint_meter
from ...paint.sheet import Sheet, colour
from ...theme.theme import Theme
from .layout import EquipmentLayout, PartsLayout, equipment_height, equipment_layout, parts_height, parts_layout
from .model import GatherData

if TYPE_CHECKING:
    import numpy.typing as npt

NOTHING = GatherData((), (), "", "mute")
QUIET_DB, TAPPED_DB, TAPPED_FRAMES = -45.0, -30.0, 30


class PartsDrawing(ButtonsDrawing):
    """One row per part; the levels are painted over the drawing, only what changed. A part that was quiet and is
    suddenly loud lights up: tap the microphone and see which row it is."""

    def __init__(self, theme: Theme):
        super().__init__(theme, NOTHING)
        self._layout = PartsLayout(Sheet(0, 0), (), ())
        self._levels: dict[str, Ballistics] = {}
        self._slow: dict[str, float] = {}
        self.tapped: dict[str, int] = {}

    def ids(self) -> list[str]:
        return [r.part for r in self.data.parts]

    def labels(self) -> list[str]:
        return [
            f"{r.name}, {r.kind}, from {r.comes_from}, {r.mode}, trim {r.trim}{', ' + r.note if r.note else ''}"
            for r in self.data.parts
        ]

    def rects(self) -> tuple[QRectF, ...]:
        return self._layout.rows

    def minimumSizeHint(self) -> QSize:
        return self.showing(parts_height(self.data, self.wide(), self.theme.tokens))

    def make_sheet(self, width: float, height: float) -> Sheet:
        self._layout = parts_layout(self.data, self._chosen, width, height, self.theme.tokens)
        return self._layout.sheet

    def feed(self, part: str, peaks: "npt.NDArray[np.float32]", input_peak: float) -> None:
        """The newest linear peaks of a part [sides], and its loudest sample before the trim."""
        if part not in self.ids():
            return
        i = self.ids().index(part)
        bars = self._layout.bars[i] if i < len(self._layout.bars) else ()
        state = self._levels.get(part)
        if state is None or len(state.level) != len(bars):
            state = self._levels[part] = Ballistics(len(bars))
        moved = state.feed(peaks[: len(bars)])
        lit = self._tap(part, 20 * float(np.log10(max(input_peak, 1e-6))))
        if (moved or lit) and bars:
            row = self._layout.rows[i]
            self.update((row if lit else bars[0].united(bars[-1]).adjusted(-3, -3, 3, 3)).toAlignedRect())

    def _tap(self, part: str, db: float) -> bool:
        slow = self._slow.get(part, -120.0)
        self._slow[part] = slow + (0.3 if db > slow else 0.02) * (db - slow)
        left = self.tapped.get(part, 0)
        if slow < QUIET_DB and db > TAPPED_DB:
            self.tapped[part] = TAPPED_FRAMES
        elif left:
            self.tapped[part] = left - 1
        return left != self.tapped.get(part, 0)

    def paintEvent(self, e: QPaintEvent | None) -> None:
        super().paintEvent(e)
        p = QPainter(self)
        t = self.theme.tokens
        for row, rect, bars in zip(self.data.parts, self._layout.rows, self._layout.bars, strict=False):
            if e is not None and not e.rect().intersects(rect.toAlignedRect()):
                continue
            if self.tapped.get(row.part):
                p.fillRect(
                    QRectF(t.px(4), rect.y() + t.px(7), t.px(16), rect.height() - t.px(14)),
                    colour(t, f"part:{row.colour}"),
                )
            if bars:
                state = self._levels.get(row.part) or Ballistics(len(bars))
                paint_meter(p, MeterGeometry(bars, self._layout.sheet), state, t)


class EquipmentDrawing(ButtonsDrawing):
    """One row per device."""

    def __init__(self, theme: Theme):
        super().__init__(theme, NOTHING)
        self._layout = EquipmentLayout(Sheet(0, 0), ())

    def ids(self) -> list[str]:
        return [d.device for d in self.data.devices]

    def labels(self) -> list[str]:
        return [
            ", ".join(x for x in (d.name, d.rate, d.bits, d.buffer, d.cost, d.clock) if x) for d in self.data.devices
        ]

    def rects(self) -> tuple[QRectF, ...]:
        return self._layout.rows

    def minimumSizeHint(self) -> QSize:
        return self.showing(equipment_height(self.data, self.wide(), self.theme.tokens))

    def make_sheet(self, width: float, height: float) -> Sheet:
        self._layout = equipment_layout(self.data, self._chosen, width, height, self.theme.tokens)
        return self._layout.sheet
