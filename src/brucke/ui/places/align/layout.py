"""Geometry of the arrivals drawing: a ruler in milliseconds, one lane per part. Pure: data, size, tokens → sheet."""

import msgspec
from PyQt6.QtCore import QRectF

from ....words.translation import _
from ...paint.ruler import marks, round_step
from ...paint.sheet import Box, Line, Sheet
from ...theme.fonts import first_fitting, height, width, wrap
from ...theme.tokens import Tokens
from .model import AlignData, Lane, Step

LEGEND = (
    ("solid", "measured"),
    ("light", "calculated"),
    ("hatched", _("waiting for the ear")),
    ("dotted", _("delay added on purpose")),
)


class AlignLayout(msgspec.Struct, frozen=True):
    """`lanes` are the rectangles a click chooses, in the order of the data."""

    sheet: Sheet
    lanes: tuple[QRectF, ...]


class _Frame(msgspec.Struct, frozen=True):
    """Where milliseconds and lanes stand. `cut_ms` of way that all share is not drawn."""

    x0: float
    x1: float
    top: float
    bottom: float
    lane: float
    most_ms: float
    cut_ms: float

    def x(self, ms: float) -> float:
        return self.x0 + (self.x1 - self.x0) * min(ms, self.most_ms) / self.most_ms


def shared_way_ms(data: AlignData) -> float:
    """The last step when every lane has it alike and it would dwarf the rest; 0 otherwise."""
    lanes = [lane for lane in data.lanes if lane.aligned and not lane.problem]
    lengths = {round(lane.steps[-1].end_ms - lane.steps[-1].start_ms, 6) if lane.steps else 0.0 for lane in lanes}
    if len(lengths) != 1 or not lanes:
        return 0.0
    last = lengths.pop()
    longest = max(lane.arrival_ms for lane in lanes)
    return last if len({lane.steps[-1].name for lane in lanes}) == 1 and last > 0.6 * longest else 0.0


def least_height(data: AlignData, w: float, t: Tokens) -> float:
    """What the drawing needs to show everything at this width."""
    return _top(t) + len(data.lanes) * _least_lane(t) + _foot(data, w, t)


def _top(t: Tokens) -> float:
    return 2 * height("small", t.scale) + t.px(20)


def _least_lane(t: Tokens) -> float:
    return height("name", t.scale) + 2 * height("small", t.scale) + t.px(14)


def _foot_lines(data: AlignData, w: float, t: Tokens) -> list[str]:
    cut = shared_way_ms(data)
    note = _("Then {cut:.0f} ms on the way there, the same for all.").format(cut=cut) if cut else ""
    return wrap(note, "small", t.scale, w - t.px(24)) if note else []


def _legend_rows(w: float, t: Tokens) -> list[list[tuple[str, str, float]]]:
    rows: list[list[tuple[str, str, float]]] = [[]]
    x = t.px(12)
    for pattern, text in LEGEND:
        room = t.px(26) + width(text, "small", t.scale) + t.px(18)
        if rows[-1] and x + room > w:
            rows.append([])
            x = t.px(12)
        rows[-1].append((pattern, text, x))
        x += room
    return rows


def _foot(data: AlignData, w: float, t: Tokens) -> float:
    rows = len(_legend_rows(w, t)) + len(_foot_lines(data, w, t))
    return rows * (height("small", t.scale) + t.px(3)) + t.px(12)


def _frame(data: AlignData, w: float, h: float, t: Tokens) -> _Frame:
    cut = shared_way_ms(data)
    names = [width(lane.name, "name", t.scale) for lane in data.lanes]
    kinds = [width(lane.kind, "small", t.scale) for lane in data.lanes]
    x0 = max([t.px(72), *names, *kinds]) + t.px(30)
    flags = [width(x.flag, "small strong", t.scale) for x in data.lanes if x.kind != "far end" and not x.problem]
    margin = max([t.px(60), *flags]) + t.px(22)
    drawn = [lane for lane in data.lanes if lane.kind != "far end" and not lane.problem] or list(data.lanes)
    most = max(
        [10.0, *(lane.arrival_ms - (0.0 if lane.unknown else cut) for lane in drawn), (data.target_ms or 0.0) - cut]
    )
    top = _top(t)
    bottom = h - _foot(data, w, t)
    return _Frame(x0, max(x0 + t.px(80), w - margin), top, bottom, (bottom - top) / max(1, len(data.lanes)), most, cut)


def align_layout(data: AlignData, chosen: str, w: float, h: float, t: Tokens) -> AlignLayout:
    """The whole drawing of one listener; `chosen` is the part whose lane is marked."""
    sheet = Sheet(w, h)
    if not data.lanes:
        size = height("body", t.scale)
        sheet.text(QRectF(t.px(16), h / 2 - size / 2, w - t.px(32), size), data.empty, "body", "mute", "centre")
        return AlignLayout(sheet, ())
    f = _frame(data, w, h, t)
    _ruler(sheet, data, f, t)
    lanes = []
    for i, lane in enumerate(data.lanes):
        y = f.top + i * f.lane
        lanes.append(QRectF(t.px(4), y, w - t.px(8), f.lane))
        _lane(
            sheet, lane, lane.part == chosen, y, w, f, t, None if data.target_ms is None else data.target_ms - f.cut_ms
        )
    _legend(sheet, data, w, f, t)
    return AlignLayout(sheet, tuple(lanes))


def _ruler(sheet: Sheet, data: AlignData, f: _Frame, t: Tokens) -> None:
    size = height("small", t.scale)
    y = f.top - size - t.px(6)
    if data.band_ms is not None:
        low, high = (f.x(max(0.0, ms - f.cut_ms)) for ms in data.band_ms)
        right = min(sheet.width - t.px(12), f.x0 + (f.x1 - f.x0) * (data.band_ms[1] - f.cut_ms) / f.most_ms)
        sheet.grounds.append(Box(QRectF(low, f.top, max(high, right) - low, f.bottom - f.top), "tint"))
    step = round_step(f.most_ms, max(2, int((f.x1 - f.x0) / (width("000", "small", t.scale) + t.px(34)))))
    for ms in marks(0, f.most_ms, step):
        x = f.x(ms)
        label = f"{ms:g}"
        room = width(label, "small", t.scale) + 4
        sheet.grid.append(Line(((x, f.top), (x, f.bottom)), "line"))
        sheet.text(QRectF(x - room / 2, y, room, size), label, "small", "mute", "centre")
    sheet.text(QRectF(t.px(12), y, f.x0 - t.px(40), size), "ms", "small", "mute")
    if data.target_ms is not None:
        x = f.x(data.target_ms - f.cut_ms)
        sheet.lines.append(Line(((x, f.top - t.px(6)), (x, f.bottom)), "water", 2, dashed=True))
        label = _("in step at {target_ms:.1f}").format(target_ms=data.target_ms - f.cut_ms)
        room = width(label, "small strong", t.scale) + 6
        left = min(max(t.px(8), x - room / 2), sheet.width - room - t.px(8))
        sheet.text(QRectF(left, y - size - t.px(4), room, size), label, "small strong", "water", "centre")


def _lane(
    sheet: Sheet, lane: Lane, chosen: bool, y: float, w: float, f: _Frame, t: Tokens, target: float | None
) -> None:
    ink = f"part:{lane.colour}"
    if chosen:
        sheet.boxes.append(Box(QRectF(t.px(4), y + t.px(4), t.px(5), f.lane - t.px(8)), ink))
    sheet.grid.append(Line(((t.px(12), y + f.lane), (w - t.px(12), y + f.lane)), "line"))
    name, small = height("name", t.scale), height("small", t.scale)
    block = name + 2 * small + t.px(6)
    top = y + (f.lane - block) / 2
    sheet.text(QRectF(t.px(16), top, f.x0 - t.px(24), name), lane.name, "name", ink)
    sheet.text(QRectF(t.px(16), top + name, f.x0 - t.px(24), small), lane.kind, "small", "mute")
    tall = name + small * 0.4
    if lane.problem:
        _unjudged(sheet, lane, top, w, f, t)
        return
    if lane.kind == "far end":
        _far_end(sheet, lane, top, tall, w, f, t)
        return
    if lane.wait_ms > 0:
        x = f.x(lane.wait_ms)
        sheet.boxes.append(Box(QRectF(f.x0, top, max(1.0, x - f.x0), tall), "mute", "line", pattern="hatched"))
        sheet.text(QRectF(f.x0, top + tall + t.px(2), w - f.x0 - t.px(8), small), lane.wait_text, "small", "mute")
    for step in lane.steps[:-1] if f.cut_ms and not lane.unknown else lane.steps:
        _step(sheet, step, ink, top, tall, f, t)
    if lane.delay_ms > 0:
        _delay(sheet, lane, ink, top, tall, f, t)
    _flag(sheet, lane, ink, top, tall, f, t, target)


def _unjudged(sheet: Sheet, lane: Lane, top: float, w: float, f: _Frame, t: Tokens) -> None:
    """No bar where nobody knows when it arrives: why, in words."""
    room = w - f.x0 - t.px(16)
    strong, small = height("small strong", t.scale), height("small", t.scale)
    sheet.text(QRectF(f.x0, top, room, strong), lane.flag, "small strong", "coral")
    lines = wrap(lane.problem, "small", t.scale, room)
    shown = lines if len(lines) <= 2 else [*lines[:1], first_fitting((lines[1],), "small", t.scale, room)]
    for i, line in enumerate(shown):
        sheet.text(QRectF(f.x0, top + strong + i * small, room, small), line, "small", "mute")


def _far_end(sheet: Sheet, lane: Lane, top: float, tall: float, w: float, f: _Frame, t: Tokens) -> None:
    """Beyond the ruler, and never aligned live: said in words."""
    small = height("small", t.scale)
    room = w - f.x0 - t.px(16)
    short = () if lane.unknown else (f"{lane.arrival_ms:.0f} ms",)
    choices = (_("{flag}; set in step in a take, not live").format(flag=lane.flag), lane.flag, *short)
    sheet.text(
        QRectF(f.x0, top + (tall - small) / 2, room, small),
        first_fitting(choices, "small", t.scale, room),
        "small",
        "mute",
    )


def _step(sheet: Sheet, step: Step, ink: str, top: float, tall: float, f: _Frame, t: Tokens) -> None:
    a, b = f.x(step.start_ms), f.x(min(step.end_ms, f.most_ms))
    if b - a < 0.5 or step.start_ms >= f.most_ms - 1e-6:
        return
    pattern = step.pattern
    sheet.boxes.append(Box(QRectF(a + 0.5, top, max(1.0, b - a - 1), tall), ink, ink, pattern=pattern))
    label = first_fitting((step.name, step.short), "small strong", t.scale, b - a - t.px(8))
    ground = ink if pattern == "solid" else f"light {ink}"
    sheet.text(
        QRectF(a, top, b - a, tall),
        label,
        "small strong",
        "on_water" if pattern == "solid" else "ink",
        "centre",
        ground,
    )


def _delay(sheet: Sheet, lane: Lane, ink: str, top: float, tall: float, f: _Frame, t: Tokens) -> None:
    """The empty box of the delay; it stands before the shared way, wherever in the path it is spent."""
    start = lane.arrival_ms - f.cut_ms - lane.delay_ms
    a, b = f.x(start), f.x(start + lane.delay_ms)
    sheet.boxes.append(Box(QRectF(a + 1, top + 1, max(1.0, b - a - 2), tall - 2), "", ink, width=1.5, pattern="dotted"))
    label = first_fitting(
        (f"delay {lane.delay_ms:.1f}", f"{lane.delay_ms:.1f}"), "small strong", t.scale, b - a - t.px(8)
    )
    sheet.text(QRectF(a, top, b - a, tall), label, "small strong", ink, "centre")


def _flag(
    sheet: Sheet, lane: Lane, ink: str, top: float, tall: float, f: _Frame, t: Tokens, target: float | None
) -> None:
    x = f.x(lane.arrival_ms - (0.0 if lane.unknown else f.cut_ms))
    if lane.unknown:  # what is known of it ends here; nothing arrives
        small = height("small strong", t.scale)
        sheet.text(
            QRectF(x + t.px(8), top + (tall - small) / 2, sheet.width - x - t.px(16), small),
            lane.flag,
            "small strong",
            "amber",
        )
        return
    sheet.lines.append(Line(((x, top - t.px(5)), (x, top + tall + t.px(5))), ink, 2.5))
    tip = ((x, top - t.px(6)), (x + t.px(12), top - t.px(1)), (x, top + t.px(4)))
    sheet.lines.append(Line(tip, ink, closed=True))
    small = height("small strong", t.scale)
    room = width(lane.flag, "small strong", t.scale) + 4
    tone = "water" if lane.good or not lane.aligned else "coral"
    end = x
    if lane.aligned and target is not None and not lane.good:
        goal = f.x(target)
        sheet.lines.append(Line(((x + 2, top + tall / 2), (goal, top + tall / 2)), "coral", 2))
        end = max(x, goal)
        if goal - x > room + t.px(16):
            sheet.text(
                QRectF((x + goal - room) / 2, top + tall / 2 - small - 1, room, small),
                lane.flag,
                "small strong",
                tone,
                "centre",
            )
            return
    goal = f.x(target) if lane.aligned and target is not None else end
    if end < goal < end + room + t.px(12):  # the words would stand across the line
        end = goal
    left = min(end + t.px(8), sheet.width - room - t.px(4))
    sheet.text(QRectF(left, top + (tall - small) / 2, room, small), lane.flag, "small strong", tone)


def _legend(sheet: Sheet, data: AlignData, w: float, f: _Frame, t: Tokens) -> None:
    small = height("small", t.scale)
    y = f.bottom + t.px(6)
    for line in _foot_lines(data, w, t):
        sheet.text(QRectF(t.px(12), y, w - t.px(24), small), line, "small", "mute")
        y += small + t.px(3)
    for row in _legend_rows(w, t):
        for pattern, text, x in row:
            box = QRectF(x, y + small * 0.2, t.px(18), small * 0.6)
            edge = "" if pattern == "hatched" else "mute"
            sheet.boxes.append(Box(box, "mute", edge, pattern=pattern))
            sheet.text(QRectF(x + t.px(24), y, width(text, "small", t.scale) + 4, small), text, "small", "mute")
        y += small + t.px(3)
