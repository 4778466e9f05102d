"""Geometry of the sound's way down the page: one band a processor, between what comes in and what goes out. Pure."""

import msgspec
from PyQt6.QtCore import QRectF

from ....words.translation import _
from ...paint.sheet import Box, Line, Sheet
from ...theme.fonts import elided, height, width
from ...theme.tokens import Tokens
from .model import ProcessorBand, ShapeData

WAY_PX, WORDS_PX = 60.0, 300.0  # where words begin, and their room
MOST_BAND_PX = 84.0


class ShapeLayout(msgspec.Struct, frozen=True):
    """`bands` are what a click chooses, `drawings` where their lines move, `sentences` where what they do now stands;
    `comes_in` and `goes_out` are the rows of levels at both ends of the way, with `values` beside them."""

    sheet: Sheet
    bands: tuple[QRectF, ...]
    drawings: tuple[QRectF, ...] = ()
    sentences: tuple[QRectF, ...] = ()
    comes_in: QRectF = msgspec.field(default_factory=QRectF)
    goes_out: QRectF = msgspec.field(default_factory=QRectF)
    values: tuple[QRectF, ...] = ()


def _least_band(t: Tokens) -> float:
    return height("name", t.scale) + height("small", t.scale) + t.px(8)


def _end(t: Tokens) -> float:
    return height("small", t.scale) + t.px(16)


def least_height(data: ShapeData, w: float, t: Tokens) -> float:
    return 2 * _end(t) + max(1, len(data.bands)) * _least_band(t) + t.px(12)


def _cost_room(data: ShapeData, t: Tokens) -> float:
    return max([t.px(92), *(width(b.cost, "strong", t.scale) + t.px(12) for b in data.bands), width("−88.8 dBFS",
        "small strong", t.scale)])  # fmt: skip


def shape_layout(data: ShapeData, chosen: int, w: float, h: float, t: Tokens) -> ShapeLayout:
    """The whole way of one chain; `chosen` is the band that is marked."""
    sheet = Sheet(w, h)
    end, least, count = _end(t), _least_band(t), len(data.bands)
    tall = min(max(least, (h - 2 * end - t.px(12)) / max(1, count)), t.px(MOST_BAND_PX))
    top = t.px(6) + end
    cost = _cost_room(data, t)
    left = t.px(WAY_PX)
    words = min(t.px(WORDS_PX), (w - left - cost) * 0.5)
    bands, drawings, sentences = [], [], []
    for i, band in enumerate(data.bands):
        rect = QRectF(0, top + i * tall, w, tall)
        bands.append(rect)
        drawing, sentence = _band(sheet, band, rect, (left, words, cost), i == chosen, data.ink, t)
        drawings.append(drawing)
        sentences.append(sentence)
    bottom = top + max(1, count) * tall
    if not count:
        sheet.text(QRectF(left, top, w - left - t.px(12), tall), _("It goes out as it comes in. Add a processor, or "
                                                                   "take a preset."), "body", "mute")  # fmt: skip
    _way(sheet, data, bands, (t.px(6), bottom + end), t)
    value = cost + t.px(8)
    ends = [_end_row(sheet, label, QRectF(left, y, w - left, end), value, t) for label,
        y in ((_("comes in"), t.px(6)), (_(
        "goes out"), bottom))]  # fmt: skip
    (comes, in_value), (goes, out_value) = ends
    return ShapeLayout(sheet, tuple(bands), tuple(drawings), tuple(sentences), comes, goes, (in_value, out_value))


def _end_row(sheet: Sheet, label: str, row: QRectF, value: float, t: Tokens) -> tuple[QRectF, QRectF]:
    small = height("small", t.scale)
    room = width(label, "small", t.scale) + t.px(24)
    sheet.text(QRectF(row.x(), row.y() + (row.height() - small) / 2, room, small), label, "small", "mute")
    levels = QRectF(row.x() + room, row.y() + t.px(3), row.width() - room - value - t.px(12), row.height() - t.px(6))
    at = QRectF(row.right() - value - t.px(12), row.y() + (row.height() - small) / 2, value, small)
    return levels, at


def _way(sheet: Sheet, data: ShapeData, bands: list[QRectF], ends: tuple[float, float], t: Tokens) -> None:
    """The sound's way at the left, a ring for every processor: empty where it is off."""
    x, r = t.px(28), t.px(7)
    first, last = ends
    sheet.lines.append(Line(((x, first + t.px(4)), (x, last - t.px(4))), data.ink, 3))
    for band, rect in zip(data.bands, bands, strict=True):
        ring = QRectF(x - r, rect.center().y() - r, 2 * r, 2 * r)
        sheet.over.append(Box(ring, data.ink if band.on and not band.note else "card", data.ink, r, 2.2))


def _band(
    sheet: Sheet, band: ProcessorBand, rect: QRectF, rooms: tuple[float, float, float], chosen: bool, ink: str,
    t: Tokens
) -> tuple[QRectF, QRectF]:  # fmt: skip
    """Paints a band; where its drawing and its sentence stand."""
    left, words, cost = rooms
    ground = "tint" if chosen else "card"
    if chosen:
        sheet.grounds.append(Box(rect.adjusted(1, 0, -1, 0), "tint"))
    sheet.grid.append(Line(((left, rect.bottom()), (rect.width() - t.px(12), rect.bottom())), "line"))
    name, small = height("name", t.scale), height("small", t.scale)
    y = rect.y() + (rect.height() - name - small) / 2
    sheet.text(QRectF(left, y, words, name), elided(band.name, "name", t.scale, words), "name",
        "ink" if band.on else "mute", on=ground)  # fmt: skip
    right = rect.width() - cost - t.px(12)
    strong = height("strong", t.scale)
    tone = "ink" if band.costs else "mute"
    sheet.text(QRectF(right, rect.center().y() - strong / 2, cost, strong), band.cost, "strong", tone, "right", ground)
    sentence = QRectF(left, y + name, words, small)
    x = left + words + t.px(12)
    drawing = QRectF(x, rect.y() + t.px(4), max(t.px(60), right - x - t.px(8)), rect.height() - t.px(8))
    _drawing(sheet, band, drawing, ink)
    return drawing, sentence


def _drawing(sheet: Sheet, band: ProcessorBand, area: QRectF, ink: str) -> None:
    def at(share: float, value: float) -> tuple[float, float]:
        return area.x() + share * area.width(), area.bottom() - value * area.height()

    sheet.lines.append(Line((at(0, 0), at(1, 0)), "line"))
    for edge in band.edges:
        sheet.lines.append(Line((at(edge, 0), at(edge, 1)), "edge", 1, dashed=True))
    for place, tall in band.bars:
        sheet.lines.append(Line((at(place, 0), at(place, tall)), ink if band.on else "mute", 3))
    if not band.curve:
        return
    first, last = band.straight
    if first or last:
        sheet.lines.append(Line((at(0, first), at(1, last)), "line"))
    step = 1 / (len(band.curve) - 1)
    points = tuple(at(i * step, v) for i, v in enumerate(band.curve))
    sheet.lines.append(Line(points, ink if band.on else "mute", 2))
