"""Geometry of what was left: a ruler around the lead, one row per part and listener. Pure."""

from collections.abc import Callable

from PyQt6.QtCore import QRectF

from ....words.detail import choose
from ....words.translation import _
from ...paint.ruler import marks, round_step
from ...paint.sheet import Box, Line, Sheet
from ...theme.fonts import first_fitting, height, width
from ...theme.tokens import Tokens
from .model import Group, Mark, ReviewData

Across = Callable[[float], float]  # from milliseconds to pixels
Frame = tuple[float, float, float]  # left and right of the ruler, width of all


def _rows(data: ReviewData) -> int:
    return sum(1 + max(1, len(g.marks)) for g in data.groups)


def least_height(data: ReviewData, t: Tokens) -> float:
    small, strong = height("small", t.scale), height("strong", t.scale)
    return t.px(60) + 2 * small + _rows(data) * (strong + t.px(6)) + small


def _extent(data: ReviewData) -> float:
    far = [abs(v) for g in data.groups for m in g.marks for v in (m.now_ms or 0.0, m.before_ms or 0.0)]
    return max([5.0, *far]) * 1.15


def review_layout(data: ReviewData, w: float, h: float, t: Tokens) -> Sheet:
    """Hollow: before. Solid with its ±: now. Left of the middle is early, right is late."""
    sheet = Sheet(w, h)
    small = height("small", t.scale)
    if not data.groups:
        return sheet
    names = [width(x, "strong", t.scale) for g in data.groups for x in (g.name, *(m.name for m in g.marks))]
    texts = [width(m.text, "small", t.scale) for g in data.groups for m in g.marks]
    x0 = max(names) + t.px(44)
    right = max([t.px(60), *texts]) + t.px(20)
    stacked = w - x0 - right < t.px(180)
    x1 = w - t.px(28) if stacked else w - right
    top = t.px(20) + 2 * small
    row = (h - top - small - t.px(18)) / _rows(data)
    extent = _extent(data)
    middle, half = (x0 + x1) / 2, (x1 - x0) / 2 - t.px(8)

    def x(ms: float) -> float:
        return middle + half * ms / extent

    _ruler(sheet, x, extent, (x0, x1, top, h - small - t.px(14)), t)
    y = top
    for group in data.groups:
        y = _group(sheet, group, x, y, row, (x0, x1, w), stacked, t)
    _legend(sheet, w, h - small - t.px(8), t)
    return sheet


def _ruler(sheet: Sheet, x: Across, extent: float, frame: tuple[float, float, float, float], t: Tokens) -> None:
    x0, x1, top, bottom = frame
    small = height("small", t.scale)
    step = round_step(2 * extent, max(2, int((x1 - x0) / (width("−00.0", "small", t.scale) + t.px(26)))))
    for ms in marks(-extent, extent, step):
        at = x(ms)
        sheet.grid.append(Line(((at, top), (at, bottom)), "line"))
        label = f"{ms:g}".replace("-", "−")
        room = width(label, "small", t.scale) + 4
        sheet.text(QRectF(at - room / 2, top - small - t.px(4), room, small), label, "small", "mute", "centre")
    sheet.grid.append(Line(((x(0), top), (x(0), bottom)), "water", 2))
    y = t.px(10)
    for label, left, align in (("early", x0, "left"), (_("late, ms"), x1 - t.px(80), "right")):
        sheet.text(QRectF(left, y, t.px(80), small), label, "small", "mute", align)
    centre = _("with the music")
    room = width(centre, "small strong", t.scale) + 4
    if x1 - x0 > room + t.px(170):
        sheet.text(QRectF(x(0) - room / 2, y, room, small), centre, "small strong", "water", "centre")


def _group(sheet: Sheet, g: Group, x: Across, y: float, row: float, frame: Frame, stacked: bool, t: Tokens) -> float:
    x0, x1, w = frame
    strong = height("strong", t.scale)
    sheet.text(QRectF(t.px(16), y + (row - strong) / 2, x0 - t.px(20), strong), g.name, "strong", "ink")
    sheet.grid.append(Line(((t.px(12), y), (w - t.px(12), y)), "line"))
    y += row
    if not g.marks:
        reason = first_fitting((g.reason or _("nothing to compare"), _("not measured")), "small", t.scale, w - t.px(40))
        sheet.text(QRectF(t.px(28), y, w - t.px(40), row), reason, "small", "mute")
        return y + row
    for m in g.marks:
        _mark(sheet, m, x, y, row, (x0, x1, w), stacked, t)
        y += row
    return y


def _mark(sheet: Sheet, m: Mark, x: Across, y: float, row: float, frame: Frame, stacked: bool, t: Tokens) -> None:
    x0, x1, w = frame
    ink = f"part:{m.colour}"
    strong, small = height("strong", t.scale), height("small", t.scale)
    sheet.text(QRectF(t.px(28), y + (row - strong) / 2, x0 - t.px(36), strong), m.name, "strong", ink)
    middle, r = y + row / 2, t.px(5)
    if m.now_ms is None:
        room = w - x0 - t.px(12)
        text = first_fitting((m.text, _("not known")), "small", t.scale, room)
        sheet.text(QRectF(x0, y + (row - small) / 2, room, small), text, "small", "coral")
        return
    if m.before_ms is not None:
        at = x(m.before_ms)
        sheet.lines.append(Line(((at, middle), (x(m.now_ms), middle)), "edge", 1, dashed=True))
        sheet.boxes.append(Box(QRectF(at - r, middle - r, 2 * r, 2 * r), "card", ink, radius=r, width=1.8))
    at = x(m.now_ms)
    reach = max(abs(x(m.plus_minus_ms) - x(0)), 1.0)
    sheet.lines.append(
        Line(((max(x0, at - reach), middle), (min(x1, at + reach), middle)), ink, 2)
    )  # the ± never runs through the words
    sheet.boxes.append(Box(QRectF(at - r, middle - r, 2 * r, 2 * r), ink, ink, radius=r))
    if not stacked:
        sheet.text(
            QRectF(x1 + t.px(8), y + (row - small) / 2, w - x1 - t.px(12), small),
            m.text,
            "small",
            "ink" if m.good else "coral",
        )


def _legend(sheet: Sheet, w: float, y: float, t: Tokens) -> None:
    small = height("small", t.scale)
    x, r = t.px(16), t.px(5)
    for filled, text in ((False, "before"), (True, choose("now", _("now, with its ±")))):
        box = QRectF(x, y + small / 2 - r, 2 * r, 2 * r)
        sheet.boxes.append(Box(box, "mute" if filled else "card", "mute", radius=r, width=1.8))
        room = width(text, "small", t.scale) + 4
        sheet.text(QRectF(x + t.px(16), y, room, small), text, "small", "mute")
        x += t.px(16) + room + t.px(16)
    note = _("measured in what they got")
    room = width(note, "small", t.scale) + 4
    if x + room < w - t.px(12):
        sheet.text(QRectF(w - room - t.px(12), y, room, small), note, "small", "mute", "right")
