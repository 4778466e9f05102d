"""One recording as a score: one line of ink a part, thick where it sounds, on one axis with what happened; edits are
pencil. Pure."""

from collections.abc import Mapping

import msgspec
import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QRectF

from ....takes.edits import Edits, Stretch
from ....words.timing import clock_text, db_text, ms_text
from ....words.translation import _
from ...paint.ruler import marks, round_step
from ...paint.sheet import Area, Box, Line, Sheet
from ...theme.tokens import Tokens

NAMES_PX, TOP_PX, ROW_PX, RIGHT_PX = 112.0, 64.0, 96.0, 34.0
U8 = npt.NDArray[np.uint8]


class Track(msgspec.Struct, frozen=True):
    """`shape` is one value a column of what is shown, 255 for full scale; empty while it is not known yet."""

    id: str
    name: str
    colour: int
    shape: tuple[int, ...] = ()
    offered: tuple[Stretch, ...] = ()


class ScoreData(msgspec.Struct, frozen=True):
    """What is shown from `begin_s` to `end_s`. `chosen` is a stretch and the id of a track, “” all of them; `cursor_s`
    below zero where nothing is heard."""

    tracks: tuple[Track, ...]
    edits: Edits
    begin_s: float
    end_s: float
    chosen: Stretch | None = None
    chosen_track: str = ""
    happened: tuple[tuple[float, str], ...] = ()
    film: tuple[Stretch, ...] = ()
    cursor_s: float = -1.0


class Axis(msgspec.Struct, frozen=True):
    """Where times lie in a drawing."""

    left: float
    width: float
    begin_s: float
    end_s: float

    def x(self, seconds: float) -> float:
        return self.left + self.width * (seconds - self.begin_s) / (self.end_s - self.begin_s)

    def seconds(self, x: float) -> float:
        return self.begin_s + (x - self.left) / max(1.0, self.width) * (self.end_s - self.begin_s)

    def part(self, s: Stretch) -> tuple[float, float] | None:
        """(left, right) of what is shown of a stretch."""
        if s.end_s <= self.begin_s or s.begin_s >= self.end_s:
            return None
        return self.x(max(s.begin_s, self.begin_s)), self.x(min(s.end_s, self.end_s))


def axis_of(data: ScoreData, width: float, t: Tokens) -> Axis:
    left = t.px(NAMES_PX)
    return Axis(left, max(1.0, width - left - t.px(RIGHT_PX)), data.begin_s, data.end_s)


def rows(data: ScoreData, height: float, t: Tokens) -> dict[str, QRectF]:
    """By track, where its line stands."""
    top, each = t.px(TOP_PX), t.px(ROW_PX)
    if data.tracks:
        each = min(each, max(t.px(30), (height - top - t.px(20)) / len(data.tracks)))
    return {track.id: QRectF(0, top + i * each, 0, each) for i, track in enumerate(data.tracks)}


def least_height(tracks: int, t: Tokens) -> float:
    return float(t.px(TOP_PX) + tracks * t.px(40) + t.px(20))


def score_layout(data: ScoreData, width: float, height: float, t: Tokens) -> Sheet:
    sheet, axis, where = Sheet(width, height), axis_of(data, width, t), rows(data, height, t)
    bottom = max((r.bottom() for r in where.values()), default=t.px(TOP_PX))
    _ruler(sheet, data, axis, bottom, t)
    _chosen(sheet, data, axis, where, bottom, t)
    for track in data.tracks:
        _track(sheet, data, track, where[track.id], axis, t)
    for out in data.edits.left_out:
        part = axis.part(out)
        if part is not None:
            box = QRectF(part[0], t.px(TOP_PX), part[1] - part[0], bottom - t.px(TOP_PX))
            sheet.over.append(Box(box, "mute", pattern="hatched"))
            _fitting(sheet, box, _("left out"), "mute", t)
    if data.cursor_s >= 0 and data.begin_s <= data.cursor_s <= data.end_s:
        x = axis.x(data.cursor_s)
        sheet.lines.append(Line(((x, t.px(TOP_PX) - 6), (x, bottom)), "coral", 2))
    return sheet


def _ruler(sheet: Sheet, data: ScoreData, axis: Axis, bottom: float, t: Tokens) -> None:
    most = max(2, int(axis.width / t.px(110)))
    step = _clock_step((data.end_s - data.begin_s), most)
    for at in marks(data.begin_s, data.end_s, step):
        x = axis.x(at)
        sheet.grid.append(Line(((x, t.px(TOP_PX)), (x, bottom)), "line"))
        said = clock_text(at) if step >= 1 else f"{clock_text(int(at + 1e-9))}{f'{(at + 1e-9) % 1:.3f}'[1:]}"
        sheet.text(QRectF(x - t.px(50), t.px(8), t.px(100), t.px(18)), said, "small", "mute", "centre")
    last = -1e9
    for at, says in data.happened:
        if not data.begin_s <= at <= data.end_s:
            continue
        x = axis.x(at)
        sheet.lines.append(Line(((x, t.px(44)), (x, t.px(TOP_PX) - 4)), "water", 2))
        if x - last > t.px(130) and x + t.px(130) < sheet.width:
            said = says if len(says) < 20 else says[:18] + "…"
            sheet.text(QRectF(x + t.px(5), t.px(36), t.px(126), t.px(18)), said, "small", "water")
            last = x
    for film in data.film:
        part = axis.part(film)
        if part is not None:
            y = t.px(31)
            sheet.lines.append(Line(((part[0], y), (part[1], y)), "ink", 3))
    if data.film:
        sheet.text(QRectF(t.px(12), t.px(22), t.px(NAMES_PX - 16), t.px(18)), _("Picture"), "small", "mute")


def _clock_step(span: float, most: int) -> float:
    """Round on a clock, too."""
    if span / most <= 1:
        return round_step(span, most)
    return float(next((s for s in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800) if span / s <= most), 3600))


def _chosen(sheet: Sheet, data: ScoreData, axis: Axis, where: Mapping[str, QRectF], bottom: float, t: Tokens) -> None:
    part = axis.part(data.chosen) if data.chosen is not None else None
    if part is None:
        return
    row = where.get(data.chosen_track)
    top, tall = (row.top(), row.height()) if row is not None else (t.px(TOP_PX), bottom - t.px(TOP_PX))
    box = QRectF(part[0], top, max(1.0, part[1] - part[0]), tall)
    sheet.grounds.append(Box(box, "tint", "water", pattern="solid"))


def _track(sheet: Sheet, data: ScoreData, track: Track, row: QRectF, axis: Axis, t: Tokens) -> None:
    ink, middle = f"part:{track.colour}", row.center().y() + t.px(4)
    on = track.id == data.chosen_track
    name = QRectF(t.px(12), middle - t.px(11), t.px(NAMES_PX - 16), t.px(22))
    sheet.text(name, track.name, "strong", ink)
    if on:
        sheet.lines.append(Line(((t.px(4), row.top() + 4), (t.px(4), row.bottom() - 4)), ink, 3))
    sheet.lines.append(Line(((axis.left, middle), (axis.left + axis.width, middle)), f"light {ink}", 1))
    if track.shape:
        shape = np.array(track.shape, np.float64)
        # As loud as it is to an ear, more or less; nothing at all where it is silent.
        thick = (shape / 255) ** 3 * row.height() * 0.34 + 0.5 * (shape > 0)
        sheet.areas.append(Area(axis.left, axis.width / len(shape), middle, thick, ink))
    edits = data.edits.of(track.id)
    for s in edits.muted:
        _struck(sheet, axis, s, row, "ink", t)
    for s in track.offered:
        _struck(sheet, axis, s, row, "coral", t)
    first = next((axis.part(s) for s in track.offered if axis.part(s) is not None), None)
    notes = []
    if first is not None:
        notes.append((first[0], _("only what it picks up: mute it?"), "coral"))
    if edits.moved_s or edits.gain_db:
        moved = ms_text(abs(edits.moved_s), 1) + " " + (_("later") if edits.moved_s > 0 else _("sooner"))
        said = [*([moved] if edits.moved_s else []), *([db_text(edits.gain_db)] if edits.gain_db else [])]
        notes.append((axis.left, ", ".join(said), "ink"))
    for r in edits.raised:
        part = axis.part(Stretch(r.begin_s, r.end_s))
        if part is not None:
            y = row.top() + t.px(17)
            sheet.lines.append(Line(((part[0], y), (part[1], y)), "ink", 2))
            notes.append((part[0], db_text(r.gain_db), "ink"))
    taken = -1e9
    for x, text, colour in sorted(notes):
        if x > taken:
            sheet.text(QRectF(x, row.top() - t.px(2), t.px(220), t.px(18)), text, "small", colour)
            taken = x + t.px(8) * len(text)


def _struck(sheet: Sheet, axis: Axis, s: Stretch, row: QRectF, colour: str, t: Tokens) -> None:
    """Pencil strokes across a stretch."""
    part = axis.part(s)
    if part is None:
        return
    top, bottom, lean = row.top() + t.px(12), row.bottom() - t.px(4), t.px(5)
    x = part[0] + lean
    while x <= max(part[1] - lean, part[0] + lean):
        sheet.lines.append(Line(((x - lean, bottom), (x + lean, top)), colour, 1.5))
        x += t.px(14)


def _fitting(sheet: Sheet, box: QRectF, text: str, colour: str, t: Tokens) -> None:
    if box.width() > t.px(80):
        label = QRectF(box.center().x() - t.px(36), box.top() + t.px(2), t.px(72), t.px(20))
        sheet.over.append(Box(label, "paper", radius=4))
        sheet.text(label, text, "small", colour, "centre", "paper")
