"""Geometry of the grid: cells, row heads and column heads as sheets. Pure: data, size, tokens → sheet."""

from PyQt6.QtCore import QRectF

from ....words.translation import _
from ...paint.sheet import Box, Line, Sheet
from ...theme.fonts import first_fitting, height, width, wrap
from ...theme.tokens import Tokens
from .model import Cell, Heads, ShareData

RING_PX = 7.0


def least_column(data: ShareData, t: Tokens) -> float:
    """The narrowest a column may be: its head and every gain fit."""
    heads = [max(width(x.name, "name", t.scale), width(x.kind, "small", t.scale)) for x in data.listeners]
    gains = [width(c.gain, "strong", t.scale) for row in data.cells for c in row]
    notes = [width(c.note, "small strong", t.scale) for row in data.cells for c in row]
    return max([t.px(92), *heads, *gains, *notes]) + t.px(30)


def least_row(t: Tokens) -> float:
    return height("name", t.scale) + height("small", t.scale) + t.px(18)


def head_width(data: ShareData, t: Tokens) -> float:
    names = [max(width(p.name, "name", t.scale), width(p.kind, "small", t.scale)) for p in data.parts]
    return max([t.px(70), *names]) + t.px(34)


def head_height(t: Tokens) -> float:
    return height("name", t.scale) + 2 * height("small", t.scale) + t.px(8)


def question_width(data: ShareData, t: Tokens) -> float:
    """Of the two columns that say whether I hear it, and whether they do."""
    words = {w for row in data.heard_words for said in row for w in said.split()}
    return max(width(w, "small strong", t.scale) for w in ("some", "none", "them", *words)) + t.px(28)


def cell_layout(cell: Cell, chosen: bool, current: bool, w: float, h: float, t: Tokens) -> Sheet:
    """One route: its gain, how far from in step, and what is wrong with it."""
    sheet = Sheet(w, h)
    pad = t.px(4)
    box = QRectF(pad, pad, w - 2 * pad, h - 2 * pad)
    edge = "water" if current or chosen else ""
    if cell.state == "kept out":
        sheet.boxes.append(Box(box, "line", edge or "line", t.px(6), 2.5 if current else 1, "hatched"))
        words = first_fitting((_("own echo: kept out"), _("kept out"), "–"), "small", t.scale, box.width() - t.px(20))
        room, small = width(words, "small", t.scale) + t.px(10), height("small", t.scale)
        at = QRectF(box.center().x() - room / 2, box.center().y() - small / 2 - 1, room, small + 2)
        sheet.boxes.append(Box(at, "card", "", t.px(4)))
        sheet.text(at, words, "small", "mute", "centre")
        return sheet
    if cell.state == "off":
        if edge:
            sheet.boxes.append(Box(box, "tint" if chosen else "", edge, t.px(6), 2.5 if current else 1.2))
        r = t.px(RING_PX)
        ring = QRectF(w / 2 - r, h / 2 - r, 2 * r, 2 * r)
        sheet.boxes.append(Box(ring, "", "edge", r, 1.4))
        return sheet
    ink = f"part:{cell.colour}"
    fill = f"pale {ink}"
    sheet.boxes.append(Box(box, fill, edge or f"light {ink}", t.px(6), 2.5 if edge else 1))
    _on_cell(sheet, cell, box, fill, t)
    return sheet


def _on_cell(sheet: Sheet, cell: Cell, box: QRectF, fill: str, t: Tokens) -> None:
    strong, small = height("strong", t.scale), height("small", t.scale)
    left, right = box.x() + t.px(10), box.right() - t.px(10)
    wide = width(cell.gain, "strong", t.scale)
    roomy = box.height() >= strong + small + t.px(12)
    top = box.y() + (t.px(6) if roomy else (box.height() - strong) / 2)
    sheet.text(QRectF(left, top, wide + 2, strong), cell.gain, "strong", "ink", on=fill)
    low = box.bottom() - t.px(6) - small
    beside = right - left - wide - t.px(8)
    timing = first_fitting((cell.timing, cell.timing.split(" ")[0]), "small", t.scale, beside)
    if timing:
        tone = "ink" if cell.tone == "mute" else cell.tone
        room = width(timing, "small", t.scale) + 2
        sheet.text(QRectF(right - room, top, room, strong), timing, "small", tone, "right", fill)
    if not roomy:
        return
    if cell.note:
        room = min(right - left, width(cell.note, "small strong", t.scale) + t.px(12))
        note = QRectF(right - room, low - 1, room, small + 2)
        sheet.boxes.append(Box(note, "card", "coral", t.px(5), 1.5))
        sheet.text(note, cell.note, "small strong", "coral", "centre")
    elif cell.timing and not timing:
        sheet.text(
            QRectF(left, low, right - left, small),
            cell.timing,
            "small",
            "coral" if cell.tone == "coral" else "ink",
            on=fill,
        )
    elif cell.offset is not None:
        _mark(sheet, cell, left, right, low + small / 2, t)


def _mark(sheet: Sheet, cell: Cell, left: float, right: float, y: float, t: Tokens) -> None:
    """A short ruler: in step is the middle, early is left."""
    assert cell.offset is not None
    middle = (left + right) / 2
    sheet.lines.append(Line(((left, y), (right, y)), "mute", 1.4))
    sheet.lines.append(Line(((middle, y - t.px(5)), (middle, y + t.px(5))), "ink", 1.6))
    x, r = middle + cell.offset * (right - left) / 2, t.px(4.5)
    x = min(max(x, left + r), right - r)
    tone = "water" if cell.offset == 0 else "coral"
    sheet.boxes.append(Box(QRectF(x - r, y - r, 2 * r, 2 * r), tone, "", r))


def question_layout(heard: str, words: str, current: bool, w: float, h: float, t: Tokens) -> Sheet:
    """Whether all, some or none hear a part: filled, half, empty, and the words; the first of them where room is
    short."""
    sheet = Sheet(w, h)
    small = height("small strong", t.scale)
    lines = wrap(words, "small strong", t.scale, w - t.px(14))
    lines = lines if len(lines) * small + t.px(10) <= h else [first_fitting((words, heard), "small strong", t.scale, w)]
    tall = small * len(lines) + t.px(8)
    box = QRectF(t.px(4), (h - tall) / 2, w - t.px(8), tall)
    on, ink = {"all": ("water", "on_water"), "some": ("tint", "ink"), "none": ("", "mute")}[heard]
    sheet.boxes.append(Box(box, on, "water" if heard != "none" else "edge", t.px(6), 1.2))
    if current:
        sheet.boxes.append(Box(box.adjusted(-2, -2, 2, 2), "", "water", t.px(7), 2.2))
    for i, line in enumerate(lines):
        y = box.y() + t.px(4) + i * small
        sheet.text(QRectF(box.x(), y, box.width(), small), line, "small strong", ink, "centre", on or "card")
    return sheet


def _part_head_top(h: float, t: Tokens) -> float:
    return max(0.0, (h - height("name", t.scale) - height("small", t.scale) - t.px(8)) / 2)


def level_bar(w: float, h: float, t: Tokens) -> QRectF:
    """Where the level of a part moves in its head."""
    low = _part_head_top(h, t) + height("name", t.scale) + height("small", t.scale)
    return QRectF(t.px(20), min(low + t.px(2), h - t.px(7)), w - t.px(32), t.px(5))


def part_head(head: Heads, chosen: bool, w: float, h: float, t: Tokens) -> Sheet:
    """Name and kind of a part."""
    sheet = Sheet(w, h)
    name, small = height("name", t.scale), height("small", t.scale)
    if chosen:
        sheet.grounds.append(Box(QRectF(0, 0, w, h), "tint"))
    sheet.boxes.append(Box(QRectF(t.px(8), t.px(5), t.px(5), h - t.px(10)), f"part:{head.colour}"))
    on = "tint" if chosen else "card"
    top, x = _part_head_top(h, t), t.px(20)
    sheet.text(QRectF(x, top, w - x, name), head.name, "name", f"part:{head.colour}", on=on)
    sheet.text(QRectF(x, top + name, w - x, small), head.kind, "small", "mute", on=on)
    return sheet


def listener_head(head: Heads, chosen: bool, w: float, h: float, t: Tokens) -> Sheet:
    sheet = Sheet(w, h)
    name, small = height("name", t.scale), height("small", t.scale)
    if chosen:
        sheet.grounds.append(Box(QRectF(0, 0, w, h), "tint"))
    on = "tint" if chosen else "card"
    sheet.text(QRectF(t.px(10), t.px(4), w - t.px(12), name), head.name, "name", "ink", on=on)
    sheet.text(QRectF(t.px(10), t.px(4) + name, w - t.px(12), small), head.kind, "small", "mute", on=on)
    note = first_fitting((head.note,), "small strong", t.scale, w - t.px(12))
    sheet.text(QRectF(t.px(10), t.px(4) + name + small, w - t.px(12), small), note, "small strong", "coral", on=on)
    return sheet
