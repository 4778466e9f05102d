"""Where the hour and the sentences of Perform stand. Pure: data and a size to a sheet."""

import math

import msgspec
from PyQt6.QtCore import QRectF

from ....words.perform import NO_ORDER
from ....words.translation import _
from ...paint.sheet import Line, Sheet
from ...theme.fonts import elided, first_fitting, height, width
from ...theme.tokens import Tokens
from .model import PerformData, Says, Span

LEAST_PX = 54.0  # no line is drawn narrower
WINDOW = 7  # so many lines are drawn at once, the one that is now among them


def shown_spans(spans: tuple[Span, ...]) -> tuple[int, tuple[Span, ...]]:
    """The lines around now, and the index of the first of them."""
    now = next((i for i, s in enumerate(spans) if s.state == "now"), 0)
    first = max(0, min(now - 2, len(spans) - WINDOW))
    return first, spans[first : first + WINDOW]


def hour_sheet(data: PerformData, w: float, h: float, t: Tokens) -> Sheet:
    """Songs are arches, talk is the deck between them; what was is filled, what comes stands open."""
    sheet = Sheet(w, h)
    side, deck = t.px(4), h - t.px(9) - height("big", t.scale)
    if not data.spans:
        size = height("big", t.scale)
        sheet.text(QRectF(side, h / 2 - size / 2, w - 2 * side, size), NO_ORDER, "big", "mute", "centre")
        return sheet
    _first, spans = shown_spans(data.spans)
    total = sum(s.wide for s in spans)
    least = t.px(LEAST_PX)
    room = w - 2 * side - least * len(spans)
    x = side
    for span in spans:
        wide = least + room * span.wide / total
        _span(sheet, span, x, wide, deck, t)
        if span.state == "now" and data.left:
            at = x + wide * span.share
            sheet.lines.append(Line(((at, t.px(4)), (at, deck + t.px(10))), "coral", 2.5))
            size = width(data.left, "big", t.scale) + 4
            left = min(max(at - size / 2, side), w - side - size)
            sheet.text(
                QRectF(left, deck + t.px(8), size, height("big", t.scale)), data.left, "big", "coral", on="paper"
            )
        x += wide
    sheet.lines.append(Line(((side, deck), (w - side, deck)), "ink", 2))
    return sheet


def _span(sheet: Sheet, span: Span, x: float, wide: float, deck: float, t: Tokens) -> None:
    strong = span.state in ("now", "next")
    ink = "coral" if span.gone else "water" if span.state in ("was", "now") else "mute"
    for at in (x, x + wide):
        sheet.lines.append(Line(((at, deck), (at, deck + t.px(8))), "ink", 2))
    roles = ("big", "name", "body") if span.state == "now" else ("name", "body") if strong else ("body",)
    role = next((r for r in roles if width(span.name, r, t.scale) <= wide - t.px(12)), roles[-1])
    size = height(role, t.scale)
    if span.kind == "song":
        rise = deck - t.px(10)
        arch = [(x + wide * i / 40, deck - rise * math.sin(math.pi * i / 40)) for i in range(41)]
        if span.share > 0:
            n = max(1, round(40 * span.share))
            sheet.lines.append(Line((*arch[: n + 1], (arch[n][0], deck)), "tint", closed=True))
        sheet.lines.append(Line(tuple(arch), ink, 3 if span.state == "now" else 1.6, dashed=span.gone))
    at = deck - size - t.px(6)
    name = elided(span.name, role, t.scale, wide - t.px(12))
    tone = "ink" if strong else "mute"
    on = "tint" if span.kind == "song" and span.share > 0.5 else "paper"
    sheet.text(QRectF(x + t.px(6), at, wide - t.px(12), size), name, role, tone, "centre", on)
    if span.state == "next":
        small = height("small strong", t.scale)
        sheet.text(QRectF(x, deck + t.px(10), wide, small), _("next"), "small strong", "mute", "centre", "paper")


def says_sheet(data: PerformData, w: float, h: float, t: Tokens) -> Sheet:
    """The moment in large type, and a line for every listener."""
    sheet = Sheet(w, h)
    # Little height: the moment smaller, so that every listener still has a line.
    least = max(1, len(data.says)) * (height("name", t.scale) + height("small", t.scale) + t.px(4))
    first = next((r for r in ("huge", "large", "big") if height(r, t.scale) + least <= h), "big")
    huge, big = height(first, t.scale), height("big", t.scale)
    title = elided(data.moment, first, t.scale, w)
    room = width(title, first, t.scale) + t.px(16)
    sheet.text(QRectF(0, 0, room, huge), title, first, "water", on="paper")
    if w - room > t.px(120):
        about = first_fitting((data.about,), "big", t.scale, w - room)
        sheet.text(QRectF(room, max(0.0, huge - big - t.px(8)), w - room, big), about, "big", "mute", on="paper")
    rows = max(1, len(data.says))
    tall = min(t.px(60), (h - huge - t.px(6)) / rows)
    form = _form(data, tall, w, t)
    for i, says in enumerate(data.says):
        _row(sheet, says, form, huge + t.px(6) + i * tall, tall, w, t)
    return sheet


class Form(msgspec.Struct, frozen=True):
    """How the lines are set, all alike: roles of the name and of the sentence, the room of the name, and whether the
    state stands below the sentence."""

    name: str
    says: str
    room: float
    below: bool


def _state_room(says: Says, t: Tokens) -> float:
    return width(says.state, "name", t.scale) + t.px(12) if says.state else 0.0


def _form(data: PerformData, tall: float, w: float, t: Tokens) -> Form:
    """The largest in which nothing is cut; the state stands beside its sentence or below it."""
    for name in ("big", "name", "small strong"):
        room = max((width(x.who, name, t.scale) for x in data.says), default=0.0) + t.px(20)
        if room > w * 0.34 and name != "small strong":
            continue
        for says in ("large", "big", "title", "name", "small strong"):
            for below in (False, True):
                size = height(says, t.scale) + (height("small", t.scale) if below else t.px(4))
                beside = [0.0 if below else _state_room(x, t) for x in data.says]
                fits = all(
                    width(x.hears, says, t.scale) <= w - room - b for x, b in zip(data.says, beside, strict=True)
                )
                if fits and size <= tall:
                    return Form(name, says, room, below)
    return Form("small strong", "small strong", w * 0.3, False)


def _row(sheet: Sheet, says: Says, form: Form, top: float, tall: float, w: float, t: Tokens) -> None:
    name, size = height(form.name, t.scale), height(form.says, t.scale)
    middle = top + tall / 2
    who = elided(says.who, form.name, t.scale, form.room - t.px(8))
    sheet.text(QRectF(0, middle - name / 2, form.room, name), who, form.name, "mute", on="paper")
    role = "small strong" if form.below else "name"
    small = height(role, t.scale)
    room = 0.0 if form.below else min(_state_room(says, t), w * 0.36)
    shift = small / 2 if form.below and says.state else 0.0
    hears = elided(says.hears, form.says, t.scale, w - form.room - room)
    line = QRectF(form.room, middle - size / 2 - shift, w - form.room - room, size)
    sheet.text(line, hears, form.says, says.tone, on="paper")
    if says.state and form.below:
        state = elided(says.state, role, t.scale, w - form.room)
        sheet.text(
            QRectF(form.room, line.bottom() - t.px(2), w - form.room, small), state, role, says.state_tone, on="paper"
        )
    elif says.state:
        state = elided(says.state, role, t.scale, room)
        sheet.text(QRectF(w - room, middle - small / 2, room, small), state, role, says.state_tone, "right", "paper")
    sheet.grid.append(Line(((0, top + tall), (w, top + tall)), "line"))
