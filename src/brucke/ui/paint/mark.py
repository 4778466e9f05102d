"""Our mark in the tray: a bridge. Its shape says what is so: open, closed, silent, and whether something is wrong."""

from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap

from ..theme.tokens import NIGHT

State = Literal["silent", "closed", "open"]
SIZES = (16, 22, 24, 32, 48)
GROUND, LINE, WATER, CORAL = NIGHT.tint, NIGHT.ink, NIGHT.water, NIGHT.coral  # on any panel, by day and by night


def paint_mark(p: QPainter, rect: QRectF, state: State, trouble: bool) -> None:
    """A round ground that stands out on any panel. Silent: the bare deck. Closed: the arch, walled up. Open: the arch,
    and an arrow that leaves under it. Trouble: a corner with a stroke and a dot."""
    u = rect.width() / 16
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(GROUND))
    p.drawEllipse(rect)
    p.translate(rect.topLeft())
    pen = QPen(QColor(LINE), 1.5 * u)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(pen)
    p.drawLine(QPointF(2.8 * u, 10.6 * u), QPointF(13.2 * u, 10.6 * u))
    if state != "silent":
        arch = QPainterPath(QPointF(3.2 * u, 10.4 * u))
        arch.quadTo(QPointF(8 * u, 1.6 * u), QPointF(12.8 * u, 10.4 * u))
        p.setPen(QPen(QColor(WATER if state == "open" else LINE), 1.5 * u))
        p.setBrush(QColor(LINE) if state == "closed" else Qt.BrushStyle.NoBrush)
        p.drawPath(arch)
    if state == "open":
        pen.setColor(QColor(WATER))
        p.setPen(pen)
        p.drawLine(QPointF(5.2 * u, 13 * u), QPointF(10.6 * u, 13 * u))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(WATER))
        head = QPainterPath(QPointF(9.4 * u, 11.2 * u))
        for x, y in ((12.4, 13.0), (9.4, 14.8)):
            head.lineTo(QPointF(x * u, y * u))
        head.closeSubpath()
        p.drawPath(head)
    if trouble:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(CORAL))
        corner = QPainterPath(QPointF(12 * u, 0))
        for x, y in ((16, 7.2), (8, 7.2)):
            corner.lineTo(QPointF(x * u, y * u))
        corner.closeSubpath()
        p.drawPath(corner)
        p.setPen(QPen(QColor(GROUND), 1.2 * u))
        p.drawLine(QPointF(12 * u, 2.6 * u), QPointF(12 * u, 4.6 * u))
        p.drawPoint(QPointF(12 * u, 6.1 * u))


def mark_icon(state: State, trouble: bool) -> QIcon:
    icon = QIcon()
    for size in SIZES:
        pixmap = QPixmap(size, size)
        pixmap.fill(QColor(0, 0, 0, 0))
        p = QPainter(pixmap)
        paint_mark(p, QRectF(0, 0, size, size), state, trouble)
        p.end()
        icon.addPixmap(pixmap)
    return icon
