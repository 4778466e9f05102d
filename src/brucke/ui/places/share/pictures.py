"""Cells and heads are painted once and kept, so that scrolling and changing cost what changed."""

from collections import OrderedDict
from collections.abc import Callable, Hashable

from PyQt6.QtGui import QColor, QPainter, QPixmap

from ...paint.sheet import Sheet, paint_sheet
from ...theme.theme import Theme
from ...theme.tokens import Tokens

MOST_PICTURES = 4096


class Pictures:
    """Pixmaps by what they show, the least used go first. Other colours or another text scale begin anew."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, QPixmap] = OrderedDict()
        self._tokens: Tokens | None = None

    def get(self, key: Hashable, w: int, h: int, ratio: float, theme: Theme, make: Callable[[], Sheet]) -> QPixmap:
        if theme.tokens is not self._tokens:
            self._tokens = theme.tokens
            self._kept.clear()
        full = (key, w, h, ratio)
        found = self._kept.get(full)
        if found is not None:
            self._kept.move_to_end(full)
            return found
        pixmap = QPixmap(max(1, round(w * ratio)), max(1, round(h * ratio)))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(QColor(0, 0, 0, 0))
        p = QPainter(pixmap)
        paint_sheet(p, make(), theme.tokens)
        p.end()
        self._kept[full] = pixmap
        if len(self._kept) > MOST_PICTURES:
            self._kept.popitem(last=False)
        return pixmap
