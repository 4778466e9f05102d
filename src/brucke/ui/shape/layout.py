"""Geometry of the chain: cards left to right on a line, in the order the sound goes, and before and after below. Pure."""

from dataclasses import dataclass, field

from PyQt6.QtCore import QRectF

from ...translation import _
from ..paint.sheet import Box, Line, Sheet
from ..theme.fonts import first_fitting, height, width, wrap
from ..theme.tokens import Tokens
from .model import ProcessorCard, ShapeData

CARD_PX, GAP_PX, PAD_PX, LINE_PX = 164.0, 14.0, 12.0, 26.0
DRAWING_PX = (44.0, 118.0)  # at least and at most
COMPARISON_PX = 92.0


@dataclass(frozen=True)
class ShapeLayout:
    """`cards` are what a click chooses, `drawings` where their lines move, `comparison` the rows of before and after,
    beginning `labels` from the left; empty where there is no room."""

    sheet: Sheet
    cards: tuple[QRectF, ...]
    drawings: tuple[QRectF, ...] = ()
    comparison: QRectF = field(default_factory=QRectF)
    labels: float = 0.0


def _card_width(data: ShapeData, t: Tokens) -> float:
    need = t.px(CARD_PX)
    for card in data.cards:
        need = max(need, width(card.name, "name", t.scale) + width(card.cost, "small strong", t.scale) + t.px(36))
        for name, value in card.values:
            need = max(need, width(name, "body", t.scale) + width(value, "strong", t.scale) + t.px(36))
    return need


def _words_height(data: ShapeData, t: Tokens) -> float:
    """All of a card but its drawing."""
    rows = max((len(c.values) for c in data.cards), default=0)
    return height("name", t.scale) + t.px(36) + (rows + 1) * height("body", t.scale)


def _columns(data: ShapeData, w: float, t: Tokens) -> int:
    return max(1, int((w + t.px(GAP_PX)) // (_card_width(data, t) + t.px(GAP_PX))))


def _rows(data: ShapeData, w: float, t: Tokens) -> int:
    return -(-max(1, len(data.cards)) // _columns(data, w, t))


def least_height(data: ShapeData, w: float, t: Tokens) -> float:
    return _rows(data, w, t) * (_words_height(data, t) + t.px(DRAWING_PX[0] + LINE_PX)) + t.px(4)


def shape_layout(data: ShapeData, chosen: int, w: float, h: float, t: Tokens) -> ShapeLayout:
    sheet = Sheet(w, h)
    if not data.cards:
        body = height("body", t.scale)
        text = _("Nothing shapes this sound: it goes out as it comes in. Begin with a preset, or add a processor.")
        for i, line in enumerate(wrap(text, "body", t.scale, w - t.px(32))):
            sheet.text(t.px(16), t.px(40) + i * body, w - t.px(32), body, line, "body", "mute", on="paper")
        return ShapeLayout(sheet, ())
    columns, wide, rows = _columns(data, w, t), _card_width(data, t), _rows(data, w, t)
    if len(data.cards) >= columns:
        wide = (w - (columns - 1) * t.px(GAP_PX)) / columns
    compared = h - least_height(data, w, t) >= t.px(COMPARISON_PX + 16)
    room = (h - t.px(4) - (t.px(COMPARISON_PX + 12) if compared else 0)) / rows - t.px(LINE_PX)
    drawing = min(max(room - _words_height(data, t), t.px(DRAWING_PX[0])), t.px(DRAWING_PX[1]))
    tall = drawing + _words_height(data, t)
    cards, drawings = [], []
    for i, card in enumerate(data.cards):
        rect = QRectF(i % columns * (wide + t.px(GAP_PX)), 0, wide, tall)
        rect.translate(0, i // columns * (tall + t.px(LINE_PX)) + t.px(LINE_PX - 2))
        _line(sheet, data, i, columns, rect, w, t)
        drawings.append(_card(sheet, card, i == chosen, rect, drawing, data.ink, t))
        cards.append(rect)
    if not compared:
        return ShapeLayout(sheet, tuple(cards), tuple(drawings))
    area = QRectF(0, cards[-1].bottom() + t.px(12), w, t.px(COMPARISON_PX))
    return ShapeLayout(sheet, tuple(cards), tuple(drawings), *_comparison(sheet, area, data.ink, t))


def _line(sheet: Sheet, data: ShapeData, i: int, columns: int, rect: QRectF, w: float, t: Tokens) -> None:
    """The way of the sound above a card, with its dot: empty where the processor is off."""
    card, y = data.cards[i], rect.y() - t.px(13)
    first, row_ends = i % columns == 0, i % columns == columns - 1
    left = 0.0 if first else rect.x() - t.px(GAP_PX)
    right = w if row_ends or i == len(data.cards) - 1 else rect.right()
    sheet.lines.append(Line(((left, y), (right, y)), data.ink, 2.5))
    r = t.px(6)
    dot = QRectF(rect.center().x() - r, y - r, 2 * r, 2 * r)
    sheet.boxes.append(Box(dot, data.ink if card.on else "paper", data.ink, r, 2))


def _card(sheet: Sheet, card: ProcessorCard, chosen: bool, rect: QRectF, drawing: float, ink: str, t: Tokens) -> QRectF:
    """Paints a card; where its drawing stands."""
    edge = rect.adjusted(1, 1, -1, -1)
    sheet.boxes.append(Box(edge, "card", "water" if chosen else "line", t.px(8), 2.2 if chosen else 1.2))
    pad, name, body = t.px(PAD_PX), height("name", t.scale), height("body", t.scale)
    x, y, w = rect.x() + pad, rect.y() + t.px(8), rect.width() - 2 * pad
    cost = width(card.cost, "small strong", t.scale) + 2
    sheet.text(x, y, w - cost - t.px(6), name, card.name, "name", "ink" if card.on else "mute")
    sheet.text(x + w - cost, y, cost, name, card.cost, "small strong", "mute", "right")
    area = QRectF(x, y + name + t.px(4), w, drawing)
    _drawing(sheet, card, area, ink)
    y = area.bottom() + t.px(6)
    for label, value in card.values:
        room = width(value, "strong", t.scale) + 2
        sheet.text(x, y, w - room - t.px(6), body, label, "body", "mute")
        sheet.text(x + w - room, y, room, body, value, "strong", "ink", "right")
        y += body
    state, tone = (_("on"), "water") if card.on else (_("off"), "mute")
    state, tone = (first_fitting((card.note, _("dry")), "strong", t.scale, w), "coral") if card.note else (state, tone)
    sheet.text(x, rect.bottom() - t.px(8) - body, w, body, state, "strong", tone)
    return area


def _drawing(sheet: Sheet, card: ProcessorCard, area: QRectF, ink: str) -> None:
    sheet.boxes.append(Box(area, "paper", "line", 3))

    def at(share: float, value: float) -> tuple[float, float]:
        return area.x() + share * area.width(), area.bottom() - value * area.height()

    for edge in card.edges:
        sheet.lines.append(Line((at(edge, 0), at(edge, 1)), "edge", 1, dashed=True))
    for place, tall in card.bars:
        sheet.lines.append(Line((at(place, 0), at(place, tall)), ink if card.on else "mute", 3))
    if not card.curve:
        return
    first, last = card.straight
    sheet.lines.append(Line((at(0, first), at(1, last)), "edge"))
    step = 1 / (len(card.curve) - 1)
    points = tuple(at(i * step, v) for i, v in enumerate(card.curve))
    sheet.lines.append(Line(points, ink if card.on else "mute", 2))


def _comparison(sheet: Sheet, area: QRectF, ink: str, t: Tokens) -> tuple[QRectF, float]:
    """The card of before and after; what moves in it is painted later."""
    sheet.boxes.append(Box(area.adjusted(1, 1, -1, -1), "card", "line", t.px(8), 1.2))
    names = (_("Before"), "mute"), (_("After"), ink)
    body = height("body", t.scale)
    labels = max(width(n, "strong", t.scale) for n, _tone in names) + t.px(16)
    inner = area.adjusted(t.px(14), t.px(6), -t.px(14), -t.px(6))
    for i, (name, tone) in enumerate(names):
        y = inner.y() + inner.height() / 2 * (i + 0.5) - body / 2
        sheet.text(inner.x(), y, labels, body, name, "strong", tone)
    return inner, labels
