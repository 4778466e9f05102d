"""Geometry of the chain: cards left to right on a line, in the order the sound goes. Pure."""

from dataclasses import dataclass

from PyQt6.QtCore import QRectF

from ...translation import _
from ..paint.sheet import Box, Line, Sheet
from ..theme.fonts import height, width, wrap
from ..theme.tokens import Tokens
from .model import ProcessorCard, ShapeData

CARD_PX, DRAWING_PX, GAP_PX, PAD_PX = 196.0, 96.0, 14.0, 14.0


@dataclass(frozen=True)
class ShapeLayout:
    sheet: Sheet
    cards: tuple[QRectF, ...]


def _card_width(data: ShapeData, t: Tokens) -> float:
    need = t.px(CARD_PX)
    for card in data.cards:
        need = max(need, width(card.name, "name", t.scale) + width(card.cost, "small strong", t.scale) + t.px(44))
        for name, value in card.values:
            need = max(need, width(name, "body", t.scale) + width(value, "strong", t.scale) + t.px(44))
    return need


def _card_height(t: Tokens) -> float:
    return height("name", t.scale) + t.px(DRAWING_PX + 40) + 4 * height("body", t.scale)


def _columns(data: ShapeData, w: float, t: Tokens) -> int:
    return max(1, int((w + t.px(GAP_PX)) // (_card_width(data, t) + t.px(GAP_PX))))


def least_height(data: ShapeData, w: float, t: Tokens) -> float:
    rows = -(-max(1, len(data.cards)) // _columns(data, w, t))
    return rows * (_card_height(t) + t.px(30)) + t.px(8)


def shape_layout(data: ShapeData, chosen: int, w: float, h: float, t: Tokens) -> ShapeLayout:
    sheet = Sheet(w, h)
    if not data.cards:
        body = height("body", t.scale)
        text = _("Nothing shapes this sound: it goes out as it comes in. Add a processor.")
        for i, line in enumerate(wrap(text, "body", t.scale, w - t.px(32))):
            sheet.text(t.px(16), t.px(40) + i * body, w - t.px(32), body, line, "body", "mute", on="paper")
        return ShapeLayout(sheet, ())
    columns, wide, tall = _columns(data, w, t), _card_width(data, t), _card_height(t)
    if len(data.cards) >= columns:
        wide = (w - (columns - 1) * t.px(GAP_PX)) / columns
    found = []
    for i, card in enumerate(data.cards):
        x = i % columns * (wide + t.px(GAP_PX))
        y = i // columns * (tall + t.px(30)) + t.px(26)
        line = y - t.px(14)
        ink = f"part:{data.colour}"
        first, last = i % columns == 0, i == len(data.cards) - 1 or i % columns == columns - 1
        left, right = (0.0 if first else x - t.px(GAP_PX)), (w if last and i % columns == columns - 1 else x + wide)
        sheet.lines.append(Line(((left, line), (right, line)), ink, 2.5))
        r = t.px(6.5)
        dot = QRectF(x + wide / 2 - r, line - r, 2 * r, 2 * r)
        sheet.boxes.append(Box(dot, ink if card.on else "paper", ink, r, 2))
        rect = QRectF(x, y, wide, tall)
        _card(sheet, card, i == chosen, rect, ink, t)
        found.append(rect)
    return ShapeLayout(sheet, tuple(found))


def _card(sheet: Sheet, card: ProcessorCard, chosen: bool, rect: QRectF, ink: str, t: Tokens) -> None:
    edge = rect.adjusted(1, 1, -1, -1)
    sheet.boxes.append(Box(edge, "card", "water" if chosen else "line", t.px(8), 2.2 if chosen else 1.2))
    pad, name, body = t.px(PAD_PX), height("name", t.scale), height("body", t.scale)
    x, y, w = rect.x() + pad, rect.y() + t.px(10), rect.width() - 2 * pad
    cost = width(card.cost, "small strong", t.scale) + 2
    sheet.text(x, y, w - cost - t.px(6), name, card.name, "name", "ink" if card.on else "mute")
    sheet.text(x + w - cost, y, cost, name, card.cost, "small strong", "mute", "right")
    drawing = QRectF(x, y + name + t.px(6), w, t.px(DRAWING_PX))
    _drawing(sheet, card, drawing, ink)
    y = drawing.bottom() + t.px(8)
    for label, value in card.values:
        room = width(value, "strong", t.scale) + 2
        sheet.text(x, y, w - room - t.px(6), body, label, "body", "mute")
        sheet.text(x + w - room, y, room, body, value, "strong", "ink", "right")
        y += body
    low = rect.bottom() - t.px(10) - body
    state = _("on") if card.on else _("off")
    sheet.text(x, low, w, body, state, "strong", "water" if card.on else "mute")


def _drawing(sheet: Sheet, card: ProcessorCard, area: QRectF, ink: str) -> None:
    sheet.boxes.append(Box(area, "paper", "line", 3))
    if not card.curve:
        return
    first, last = card.straight

    def at(share: float, value: float) -> tuple[float, float]:
        return area.x() + share * area.width(), area.bottom() - value * area.height()

    sheet.lines.append(Line((at(0, first), at(1, last)), "edge"))
    step = 1 / (len(card.curve) - 1)
    points = tuple(at(i * step, v) for i, v in enumerate(card.curve))
    sheet.lines.append(Line(points, ink if card.on else "mute", 2))
