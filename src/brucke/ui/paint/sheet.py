"""A drawing as data: boxes, lines and texts with their rectangles. Layouts make sheets, one painter paints them.

Colours are names of tokens, or `part:N`, so that nothing can be painted that is not a token.
"""

from dataclasses import dataclass, field
from functools import lru_cache

import msgspec
import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from ..theme.fonts import font
from ..theme.tokens import Tokens, mixed


class Text(msgspec.Struct, frozen=True):
    """`align` is left, right or centre; texts are never cut, the layout gives them room."""

    rect: QRectF
    text: str
    role: str = "body"
    colour: str = "ink"
    align: str = "left"
    on: str = "card"


class Box(msgspec.Struct, frozen=True):
    """`pattern` is solid, light, hatched or dotted (an empty dotted outline)."""

    rect: QRectF
    fill: str = ""
    edge: str = ""
    radius: float = 0.0
    width: float = 1.0
    pattern: str = "solid"


class Bars(msgspec.Struct, frozen=True):
    """Many plain rectangles of one colour, painted at once."""

    rects: list[QRectF]
    fill: str


class Area(msgspec.Struct, frozen=True):
    """Columns `step` wide from `left` on, each `half` [columns] above and below `middle`, as one shape."""

    left: float
    step: float
    middle: float
    half: npt.NDArray[np.float64]
    fill: str


class Line(msgspec.Struct, frozen=True):
    points: tuple[tuple[float, float], ...]
    colour: str = "line"
    width: float = 1.0
    dashed: bool = False
    closed: bool = False


@dataclass
class Sheet:
    """What is painted, in this order: grounds, grid, boxes, bars, areas, lines, what lies over them, texts."""

    width: float
    height: float
    grounds: list[Box] = field(default_factory=list)
    grid: list[Line] = field(default_factory=list)
    boxes: list[Box] = field(default_factory=list)
    bars: list[Bars] = field(default_factory=list)
    areas: list[Area] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    over: list[Box] = field(default_factory=list)
    texts: list[Text] = field(default_factory=list)

    def text(self, box: QRectF, text: str, role: str, colour: str, align: str = "left", on: str = "card") -> None:
        if text:
            self.texts.append(Text(box, text, role, colour, align, on))


@lru_cache(maxsize=512)
def colour(tokens: Tokens, name: str) -> QColor:
    """Token name; `part:2`; `light part:2` (more than half way to the card), `name/0.3` mixed into the card."""
    if name.startswith("part:"):
        return QColor(tokens.part(int(name[5:])))
    if name.startswith("light "):
        return QColor(mixed(colour(tokens, name[6:]).name(), tokens.card, 0.6))
    if name.startswith("pale "):
        return QColor(mixed(colour(tokens, name[5:]).name(), tokens.card, 0.86))
    return QColor(getattr(tokens, name))


@lru_cache(maxsize=64)
def _hatch(ink: str, ratio: float, step: int) -> QPixmap:
    """A tile of diagonal lines, made for one device scale."""
    size = round(step * ratio)
    tile = QPixmap(size, size)
    tile.fill(QColor(0, 0, 0, 0))
    p = QPainter(tile)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(QColor(ink), ratio))
    for offset in (-size, 0, size):
        p.drawLine(QPointF(offset, size), QPointF(offset + size, 0))
    p.end()
    tile.setDevicePixelRatio(ratio)
    return tile


def _paint_area(p: QPainter, area: Area, tokens: Tokens) -> None:
    """A column of pixels each, soft at its ends. One picture: objects of Qt, one a column, take longer to make than all
    of it to paint."""
    half, ink = area.half.astype(np.float32), colour(tokens, area.fill)
    tall = int(np.ceil(half.max(initial=0.0))) + 1
    away = np.abs(np.arange(2 * tall, dtype=np.float32) + np.float32(0.5 - tall))[:, None]
    share = np.clip(half + np.float32(0.5) - away, 0.0, 1.0) * (half > 0)
    pixels = np.empty((*share.shape, 4), np.uint8)
    for k, channel in enumerate((ink.blue(), ink.green(), ink.red(), 255)):
        pixels[..., k] = share * np.float32(channel)  # premultiplied
    raw, form = pixels.tobytes(), QImage.Format.Format_ARGB32_Premultiplied
    image = QImage(raw, share.shape[1], share.shape[0], 4 * share.shape[1], form)
    p.drawImage(QRectF(area.left, area.middle - tall, area.step * len(half), 2 * tall), image)


def paint_sheet(p: QPainter, sheet: Sheet, tokens: Tokens) -> None:
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for box in sheet.grounds:
        _paint_box(p, box, tokens)
    for line in sheet.grid:
        _paint_line(p, line, tokens)
    for box in sheet.boxes:
        _paint_box(p, box, tokens)
    for bars in sheet.bars:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(tokens, bars.fill))
        p.drawRects(bars.rects)  # type: ignore[call-overload]
    for area in sheet.areas:
        _paint_area(p, area, tokens)
    for line in sheet.lines:
        _paint_line(p, line, tokens)
    for box in sheet.over:
        _paint_box(p, box, tokens)
    for text in sheet.texts:
        flags = {"left": Qt.AlignmentFlag.AlignLeft, "right": Qt.AlignmentFlag.AlignRight}.get(
            text.align, Qt.AlignmentFlag.AlignHCenter
        )
        p.setFont(font(text.role, tokens.scale))
        p.setPen(colour(tokens, text.colour))
        p.drawText(text.rect, int(flags | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextSingleLine), text.text)


def _paint_box(p: QPainter, box: Box, tokens: Tokens) -> None:
    pen = QPen(Qt.PenStyle.NoPen)
    if box.edge:
        pen = QPen(colour(tokens, box.edge), box.width)
        if box.pattern == "dotted":
            pen.setStyle(Qt.PenStyle.DotLine)
    p.setPen(pen)
    if box.pattern == "hatched":
        device = p.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        p.setBrushOrigin(box.rect.topLeft())
        brush = QBrush(_hatch(colour(tokens, box.fill).name(), ratio, max(6, round(7 * tokens.scale))))
        p.setBrush(brush)
    elif box.fill and box.pattern != "dotted":
        p.setBrush(colour(tokens, f"light {box.fill}" if box.pattern == "light" else box.fill))
    else:
        p.setBrush(Qt.BrushStyle.NoBrush)
    if box.radius:
        p.drawRoundedRect(box.rect, box.radius, box.radius)
    else:
        p.drawRect(box.rect)


def _paint_line(p: QPainter, line: Line, tokens: Tokens) -> None:
    pen = QPen(colour(tokens, line.colour), line.width)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    if line.dashed:
        pen.setStyle(Qt.PenStyle.DashLine)
    points = [QPointF(x, y) for x, y in line.points]
    if line.closed:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour(tokens, line.colour))
        p.drawPolygon(QPolygonF(points))
        return
    p.setPen(pen)
    p.setBrush(Qt.BrushStyle.NoBrush)
    path = QPainterPath(points[0])
    for point in points[1:]:
        path.lineTo(point)
    p.drawPath(path)
