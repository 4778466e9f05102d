"""The chain as a drawing with a button over every processor; what moves is painted over it."""

from PyQt6.QtCore import QRect, QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent

from ...kit.buttons_drawing import ButtonsDrawing
from ...paint.sheet import Sheet, paint_sheet
from ...theme.theme import Theme
from .layout import ShapeLayout, least_height, shape_layout
from .live import STILL, BandLive, Ends, band_live, end_sheet, ends, live_sheet, sentence_sheet
from .model import NOTHING, ShapeData
from .watch import ChainWatch

WORDS_EVERY = 12  # of the window's clock: words that change faster than they are read say nothing


class ChainDrawing(ButtonsDrawing):
    """Ids are the slots, as text."""

    def __init__(self, theme: Theme):
        super().__init__(theme, NOTHING)
        self._layout = ShapeLayout(Sheet(0, 0), ())
        self.live: dict[int, BandLive] = {}
        self.ends = Ends()
        self._ticks = 0

    def ids(self) -> list[str]:
        return [str(i) for i in range(len(self.data.bands))]

    def labels(self) -> list[str]:
        return [
            ", ".join(
                [b.name, "on" if b.on else "off", b.doing, b.cost, *(f"{name} {value}" for name, value in b.values)]
            )
            for b in self.data.bands
        ]

    def rects(self) -> tuple[QRectF, ...]:
        return self._layout.bands

    def minimumSizeHint(self) -> QSize:
        return self.showing(least_height(self.data, self.wide(), self.theme.tokens))

    @property
    def _marked(self) -> int:
        return int(self._chosen) if self._chosen else -1

    def make_sheet(self, width: float, height: float) -> Sheet:
        self._layout = shape_layout(self.data, self._marked, width, height, self.theme.tokens)
        return self._layout.sheet

    def show_data(self, data: ShapeData, chosen: str) -> None:
        """Another chain begins without what moved in the one before."""
        if [b.kind for b in data.bands] != [b.kind for b in self.data.bands]:
            self.live, self.ends = {}, Ends()
        elif data != self.data:
            self.live = {i: live for i, live in self.live.items() if data.bands[i] == self.data.bands[i]}
        super().show_data(data, chosen)

    def feed(self, watch: ChainWatch, rate_hz: float) -> None:
        """What the chain tells now; only drawings and sentences that change are painted again."""
        self.sheet()
        self._ticks += 1
        found, count = self._layout, len(self.data.bands)
        for i, (band, area) in enumerate(zip(self.data.bands, found.drawings, strict=False)):
            old, now = self.live.get(i, STILL), band_live(band, i, watch, rate_hz, i == count - 1)
            if old.doing and self._ticks % WORDS_EVERY:
                now = BandLive(now.spectrum, now.histogram, now.level, now.reductions, now.bars, old.doing)
            if now == old:
                continue
            self.live[i] = now
            self.update(area.adjusted(-6, -6, 6, 6).toAlignedRect())
            if now.doing != old.doing:
                self.update(found.sentences[i].toAlignedRect())
        moved = ends(watch)
        if moved != self.ends:
            self.ends = moved
            for area in (found.comes_in, found.goes_out, *found.values):
                self.update(area.toAlignedRect())

    def paintEvent(self, e: QPaintEvent | None) -> None:
        super().paintEvent(e)
        p, t, found, ink = QPainter(self), self.theme.tokens, self._layout, self.data.ink
        dirty = e.rect() if e is not None else QRect(self.rect())
        for i, (band, area) in enumerate(zip(self.data.bands, found.drawings, strict=False)):
            live = self.live.get(i, STILL)
            if dirty.intersects(area.toAlignedRect()):
                paint_sheet(p, live_sheet(band, live, area, ink, t), t)
            sentence = found.sentences[i]
            if dirty.intersects(sentence.toAlignedRect()):
                paint_sheet(p, sentence_sheet(band, live, sentence, i == self._marked, t), t)
        rows = ((found.comes_in, self.ends.before, self.ends.level_before, "mute"),
            (found.goes_out, self.ends.after, self.ends.level_after, ink))  # fmt: skip
        for (area, levels, text, tone), value in zip(rows, found.values, strict=False):
            if dirty.intersects(area.united(value).toAlignedRect()):
                paint_sheet(p, end_sheet(levels, text, area, value, tone, t), t)
