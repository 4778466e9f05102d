"""Paint once, show often: a widget that changes seldom keeps its picture until something it shows changes."""

from collections.abc import Callable, Hashable

from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtWidgets import QWidget


class Picture:
    """The picture of one widget. `show` paints it anew only when `key`, its size or its device scale changed."""

    def __init__(self) -> None:
        self._key: tuple[Hashable, ...] = ()
        self._pixmap: QPixmap | None = None

    def show(self, widget: QWidget, painter: QPainter, key: Hashable, paint: Callable[[QPainter], None]) -> None:
        ratio = widget.devicePixelRatioF()
        full = (key, widget.width(), widget.height(), ratio)
        if self._pixmap is None or full != self._key:
            pixmap = QPixmap(round(widget.width() * ratio), round(widget.height() * ratio))
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(QColor(0, 0, 0, 0))
            inner = QPainter(pixmap)
            paint(inner)
            inner.end()
            self._key, self._pixmap = full, pixmap
        painter.drawPixmap(0, 0, self._pixmap)
