"""Geometry of the parts and of the equipment. Pure: data, size, tokens → sheet and rectangles."""

import msgspec
from PyQt6.QtCore import QRectF

from ....core.checks.level_advice import GOOD_DB
from ....words.detail import in_numbers
from ....words.translation import _
from ...paint.ruler import METER_MARKS_DB, level_share
from ...paint.sheet import Box, Line, Sheet
from ...theme.fonts import first_fitting, height, width, wrap
from ...theme.tokens import Tokens
from .model import DeviceRow, GatherData, PartRow


class PartsLayout(msgspec.Struct, frozen=True):
    """`rows` are what a click chooses, `bars` the level bars of every row."""

    sheet: Sheet
    rows: tuple[QRectF, ...]
    bars: tuple[tuple[QRectF, ...], ...]


class EquipmentLayout(msgspec.Struct, frozen=True):
    sheet: Sheet
    rows: tuple[QRectF, ...]


class _Columns(msgspec.Struct, frozen=True):
    """Where each column begins; `narrow` puts where it comes from under the name."""

    name: float
    comes: float
    mode: float
    trim: float
    level: float
    right: float
    narrow: bool


def _widest(texts: list[str], role: str, t: Tokens) -> float:
    return max([0.0, *(width(x, role, t.scale) for x in texts)])


def _columns(rows: tuple[PartRow, ...], w: float, t: Tokens) -> _Columns:
    gap = t.px(18)
    name = t.px(30)
    named = max(_widest([r.name for r in rows], "name", t), _widest([r.kind for r in rows], "small", t), t.px(60))
    comes = max(_widest([r.comes_from for r in rows], "body", t), width(_("comes from"), "small", t.scale))
    mode = max(_widest([r.mode for r in rows], "body", t), width("channels", "small", t.scale))
    trim = max(_widest([r.trim for r in rows], "strong", t), width("trim", "small", t.scale))
    notes = _widest([r.note or r.quiet for r in rows], "small", t)
    level = max(t.px(150), notes)
    right = w - t.px(24)
    wide = name + named + gap + comes + gap + mode + gap + trim + gap + level
    if wide <= right:
        at_mode = name + named + gap + comes + gap
        return _Columns(
            name, name + named + gap, at_mode, at_mode + mode + gap, at_mode + mode + trim + 2 * gap, right, False
        )
    at_mode = name + max(named, min(comes, right - name - mode - trim - level - 3 * gap)) + gap
    return _Columns(name, name, at_mode, at_mode + mode + gap, at_mode + mode + trim + 2 * gap, right, True)


def row_height(data: GatherData, w: float, t: Tokens) -> float:
    narrow = _columns(data.parts, w, t).narrow
    return height("name", t.scale) + (2 if narrow else 1) * height("small", t.scale) + t.px(14)


def parts_height(data: GatherData, w: float, t: Tokens) -> float:
    return _head(t) + max(1, len(data.parts)) * row_height(data, w, t) + t.px(8)


def _head(t: Tokens) -> float:
    return height("small", t.scale) + t.px(18)


def parts_layout(data: GatherData, chosen: str, w: float, h: float, t: Tokens) -> PartsLayout:
    """Every part as a row: name and kind, where from, channels, trim, level."""
    sheet = Sheet(w, h)
    small = height("small", t.scale)
    if not data.parts:
        text = _("Nothing comes in yet. Add a part: a microphone, a backing track, a call's far end.")
        body = height("body", t.scale)
        lines = wrap(text, "body", t.scale, w - t.px(32))
        y = (h - len(lines) * body) / 2
        for i, line in enumerate(lines):
            sheet.text(QRectF(t.px(16), y + i * body, w - t.px(32), body), line, "body", "mute", "centre")
        return PartsLayout(sheet, (), ())
    c = _columns(data.parts, w, t)
    heads = [("part", c.name), ("channels", c.mode), ("trim", c.trim), ("level", c.level)]
    if not c.narrow:
        heads.append((_("comes from"), c.comes))
    for text, x in heads:
        sheet.text(QRectF(x, t.px(8), width(text, "small", t.scale) + 4, small), text, "small", "mute")
    _level_marks(sheet, c, t, small)
    tall = row_height(data, w, t)
    rows, bars = [], []
    for i, row in enumerate(data.parts):
        y = _head(t) + i * tall
        rect = QRectF(t.px(2), y, w - t.px(4), tall)
        rows.append(rect)
        bars.append(_part_row(sheet, row, row.part == chosen, rect, c, t))
    return PartsLayout(sheet, tuple(rows), tuple(bars))


def _level_marks(sheet: Sheet, c: _Columns, t: Tokens, small: float) -> None:
    free = c.level + width("level", "small", t.scale) + t.px(10)
    for db in METER_MARKS_DB if in_numbers() else ():
        label = f"{db:.0f}".replace("-", "−")
        room = width(label, "small", t.scale) + 2
        x = min(c.level + level_share(db) * (c.right - c.level) - room / 2, c.right - room + t.px(6))
        if x > free:
            sheet.text(QRectF(x, t.px(8), room, small), label, "small", "mute", "centre")
            free = x + room + t.px(4)


def _part_row(sheet: Sheet, row: PartRow, chosen: bool, rect: QRectF, c: _Columns, t: Tokens) -> tuple[QRectF, ...]:
    ink, on = f"part:{row.colour}", "tint" if chosen else "card"
    name, small, body = height("name", t.scale), height("small", t.scale), height("body", t.scale)
    if chosen:
        sheet.grounds.append(Box(rect.adjusted(1, 0, -1, 0), "tint"))
    sheet.grid.append(Line(((t.px(12), rect.bottom()), (sheet.width - t.px(12), rect.bottom())), "line"))
    sheet.boxes.append(Box(QRectF(t.px(12), rect.y() + t.px(7), t.px(5), rect.height() - t.px(14)), ink))
    top = rect.y() + t.px(7)
    room = (c.mode if c.narrow else c.comes) - c.name - t.px(8)
    sheet.text(QRectF(c.name, top, room, name), row.name, "name", ink, on=on)
    sheet.text(QRectF(c.name, top + name, room, small), row.kind, "small", "mute", on=on)
    if c.narrow:
        device = row.comes_from.split(" · ")
        shown = first_fitting((row.comes_from, device[-1], device[0]), "small", t.scale, room)
        sheet.text(QRectF(c.name, top + name + small, room, small), shown, "small", "mute", on=on)
    middle = rect.y() + (rect.height() - body) / 2
    if not c.narrow:
        sheet.text(QRectF(c.comes, middle, c.mode - c.comes, body), row.comes_from, "body", "ink", on=on)
    sheet.text(QRectF(c.mode, middle, c.trim - c.mode, body), row.mode, "body", "ink", on=on)
    sheet.text(QRectF(c.trim, middle, c.level - c.trim, body), row.trim, "strong", "ink", on=on)
    return _bars(sheet, row, chosen, rect, c, t, on)


def _bars(
    sheet: Sheet, row: PartRow, chosen: bool, rect: QRectF, c: _Columns, t: Tokens, on: str
) -> tuple[QRectF, ...]:
    """Level bars with ticks, and what is wrong below them."""
    small = height("small", t.scale)
    wide = c.right - c.level
    tall, gap = t.px(7), t.px(3)
    count = row.bars
    block = count * tall + max(0, count - 1) * gap + t.px(6) + small
    y = rect.y() + (rect.height() - block) / 2
    bars = tuple(QRectF(c.level, y + i * (tall + gap), wide, tall) for i in range(count))
    if bars:
        low = bars[-1].bottom() + t.px(2)
        for db in METER_MARKS_DB:
            x = c.level + level_share(db) * wide
            sheet.lines.append(Line(((x, low), (x, low + t.px(4))), "edge"))
    under = y + block - small
    text, tone = (row.note, "coral") if row.note else (row.quiet, "mute")
    sheet.text(QRectF(c.level, under, wide, small), text, "small", tone, on=on)
    if chosen and bars and not text:
        a, b = (c.level + level_share(db) * wide for db in GOOD_DB)
        sheet.lines.append(Line(((a, under), (b, under)), "water", 2))
        room = width(_("good range"), "small", t.scale) + 4
        left = min(max(c.level, (a + b - room) / 2), c.right - room)
        sheet.text(QRectF(left, under, room, small), _("good range"), "small", "water", "centre", on)
    return bars


# Equipment


def equipment_height(data: GatherData, w: float, t: Tokens) -> float:
    return t.px(16) + len(data.devices) * _device_height(data, w, t)


def _device_cells(d: DeviceRow) -> tuple[str, ...]:
    return d.rate, d.bits, d.buffer, d.cost, d.clock


def _device_columns(data: GatherData, w: float, t: Tokens) -> tuple[list[float], bool]:
    """Where name and cells begin; whether the cells stand under the name instead."""
    gap, x = t.px(20), t.px(30) + t.px(20)
    x += _widest([d.name for d in data.devices], "name", t)
    starts = []
    for i in range(5):
        starts.append(x)
        x += _widest([_device_cells(d)[i] for d in data.devices], "strong", t) + (gap if i < 4 else 0)
    return starts, x > w - t.px(20)


def _device_height(data: GatherData, w: float, t: Tokens) -> float:
    low = _device_columns(data, w, t)[1]
    if not low:
        return height("name", t.scale) + t.px(14)
    return height("name", t.scale) + 2 * height("small", t.scale) + t.px(14)


def equipment_layout(data: GatherData, chosen: str, w: float, h: float, t: Tokens) -> EquipmentLayout:
    """Every device as a row; what disagrees is joined by a bracket."""
    sheet = Sheet(w, h)
    starts, low = _device_columns(data, w, t)
    tall = _device_height(data, w, t)
    rows, marked = [], []
    for i, d in enumerate(data.devices):
        rect = QRectF(t.px(2), t.px(8) + i * tall, w - t.px(4), tall)
        rows.append(rect)
        if d.disagrees or (any(x.disagrees for x in data.devices) and d.clock):
            marked.append(rect.center().y())
        _device_row(sheet, d, d.device == chosen, rect, starts, low, t)
    if len(marked) > 1:
        x = t.px(24)
        sheet.lines.append(
            Line(((x, marked[0]), (x - t.px(8), marked[0]), (x - t.px(8), marked[-1]), (x, marked[-1])), "coral", 2)
        )
    return EquipmentLayout(sheet, tuple(rows))


def _device_row(
    sheet: Sheet, d: DeviceRow, chosen: bool, rect: QRectF, starts: list[float], low: bool, t: Tokens
) -> None:
    on = "tint" if chosen else "card"
    name, small, body = height("name", t.scale), height("small", t.scale), height("body", t.scale)
    if chosen:
        sheet.grounds.append(Box(rect.adjusted(1, 0, -1, 0), "tint"))
    x = t.px(30)
    top = rect.y() + (t.px(7) if low else (rect.height() - name) / 2)
    sheet.text(QRectF(x, top, (sheet.width if low else starts[0]) - x, name), d.name, "name", "ink", on=on)
    tones = ("coral" if d.disagrees else "ink", "mute", "ink", "ink", "coral" if d.missing else "mute")
    if low:
        first = "  ·  ".join(c for c in _device_cells(d)[:4] if c and c != "–")
        sheet.text(
            QRectF(x, top + name, sheet.width - x, small), first, "small", tones[0] if d.disagrees else "mute", on=on
        )
        sheet.text(QRectF(x, top + name + small, sheet.width - x, small), d.clock, "small", tones[4], on=on)
        return
    for i, text in enumerate(_device_cells(d)):
        right = starts[i + 1] if i < 4 else sheet.width
        strong = "strong" if i in (0, 3) else "body"
        y = rect.y() + (rect.height() - body) / 2
        sheet.text(QRectF(starts[i], y, right - starts[i], body), text, strong, tones[i], on=on)
