"""What moves in the drawings of a chain: spectra, histograms, the moving point, reductions. Pure: data → sheet."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF

from ... import words_shape as words
from ..paint.sheet import Box, Line, Sheet
from ..theme.fonts import height, width
from ..theme.tokens import Tokens
from .model import LEVEL_DB, Curve, ProcessorCard, spectrum_curve
from .watch import SHOWN, ChainWatch

SPECTRAL = ("noise_removal", "high_pass", "equaliser")
DYNAMIC = ("compressor", "limiter", "de_esser", "multiband")
SILENT_DB = -59.0


@dataclass(frozen=True)
class CardLive:
    """`spectrum` heights 0…1 left to right; `histogram` shares; `level` 0…1 of the moving point, below 0 without;
    `reductions` in dB, one for each band; `bars` lengths before and after; `note` beside them."""

    spectrum: Curve = ()
    histogram: Curve = ()
    level: float = -1.0
    reductions: tuple[float, ...] = ()
    bars: tuple[float, ...] = ()
    note: str = ""


STILL = CardLive()


def _level_share(db: float) -> float:
    return min(1.0, 1 - db / LEVEL_DB) if db > SILENT_DB else -1.0


def card_live(card: ProcessorCard, slot: int, watch: ChainWatch, rate_hz: float) -> CardLive:
    """What one card shows now."""
    if not watch.lively:
        return STILL
    if card.kind in SPECTRAL:
        return STILL if watch.spectrum is None else CardLive(spectrum=spectrum_curve(watch.spectrum, rate_hz))
    if card.kind == "gate":
        share = tuple(watch.histogram(slot).round(2).tolist())
        open_ = float(watch.told[slot, 1]) < 1.0
        return CardLive(histogram=share, note=words.GATE_OPEN if open_ else words.GATE_SHUT)
    if card.kind in DYNAMIC:
        bands = 3 if card.kind == "multiband" else 1
        reductions = tuple(round(float(x), 1) + 0.0 for x in watch.told[slot, 1 : 1 + bands])
        level = _level_share(watch.level_db(slot)) if card.kind in ("compressor", "limiter") else -1.0
        note = words.reduction_text(max(reductions)) if card.on else ""
        return CardLive(level=round(level, 2), reductions=reductions, note=note)
    if card.kind == "gain":
        before, after = watch.level_db(slot), watch.level_db(slot + 1)
        if before <= SILENT_DB:
            return STILL
        bars = tuple(round(max(0.0, _level_share(db)), 2) for db in (before, after))
        return CardLive(bars=bars, note=words.level_change_text(before, after))
    return STILL


def live_sheet(card: ProcessorCard, live: CardLive, area: QRectF, ink: str, t: Tokens) -> Sheet:
    """Over one drawing, which already shows the curve."""
    sheet = Sheet(area.right(), area.bottom())

    def at(share: float, value: float) -> tuple[float, float]:
        return area.x() + share * area.width(), area.bottom() - value * area.height()

    if live.spectrum:
        top = [at(i / (len(live.spectrum) - 1), v) for i, v in enumerate(live.spectrum)]
        sheet.lines.append(Line((at(0, 0), *top, at(1, 0)), "trough", closed=True))
        sheet.lines.append(Line(tuple(top), "edge", 1))
        _curve(sheet, card.curve, at, ink if card.on else "mute")
    if live.histogram:
        wide = area.width() / len(live.histogram)
        for i, share in enumerate(live.histogram):
            if share > 0:
                tall = share * (area.height() - t.px(6))
                sheet.boxes.append(Box(QRectF(area.x() + i * wide + 1, area.bottom() - tall, wide - 2, tall), "edge"))
        _curve(sheet, card.curve, at, ink if card.on else "mute")
    if card.threshold is not None:
        sheet.lines.append(Line((at(card.threshold, 0), at(card.threshold, 1)), "coral", 1.5, dashed=True))
    if live.level >= 0 and card.curve:
        i = round(live.level * (len(card.curve) - 1))
        x, y = at(live.level, card.curve[i])
        r = t.px(5)
        sheet.boxes.append(Box(QRectF(x - r, y - r, 2 * r, 2 * r), "coral", "card", r, 1.5))
    if len(live.reductions) == 3:
        _hanging(sheet, card, live.reductions, area, t)
    for i, share in enumerate(live.bars):
        tall = t.px(7)
        bar = QRectF(area.x() + t.px(4), area.y() + t.px(6 + 11 * i), share * (area.width() - t.px(8)), tall)
        sheet.boxes.append(Box(bar, "mute" if i == 0 else ink))
    if live.note:
        small = height("small strong", t.scale)
        room = width(live.note, "small strong", t.scale) + 4
        x, y = area.right() - room - t.px(4), area.bottom() - small - t.px(2)
        sheet.boxes.append(Box(QRectF(x - t.px(2), y, room + t.px(4), small), "paper", "", t.px(3)))
        sheet.text(x, y, room, small, live.note, "small strong", "ink", "right", "paper")
    return sheet


def _curve(sheet: Sheet, curve: Curve, at, ink: str) -> None:  # type: ignore[no-untyped-def]
    """Once more, above what moves."""
    if curve:
        sheet.lines.append(Line(tuple(at(i / (len(curve) - 1), v) for i, v in enumerate(curve)), ink, 2))


def _hanging(sheet: Sheet, card: ProcessorCard, reductions: tuple[float, ...], area: QRectF, t: Tokens) -> None:
    """How much each band is held back, hanging from above; 18 dB are the whole height."""
    edges = [0.0, *card.edges, 1.0]
    for i, db in enumerate(reductions):
        left, right = (area.x() + e * area.width() for e in edges[i : i + 2])
        tall = min(1.0, db / 18) * area.height()
        if tall > 0.5:
            bar = QRectF(left + t.px(3), area.y() + 1, right - left - t.px(6), tall)
            sheet.boxes.append(Box(bar, "edge"))


# Before and after


@dataclass(frozen=True)
class Comparison:
    """Levels 0…1, oldest first, and what they fall to between the sounds, in words."""

    before: Curve = ()
    after: Curve = ()
    quiet_before: str = ""
    quiet_after: str = ""


def comparison(watch: ChainWatch, slots: int) -> Comparison:
    if not watch.lively or not slots:
        return Comparison()

    def heights(slot: int) -> Curve:
        return tuple(np.clip(1 - watch.past(slot, SHOWN) / LEVEL_DB, 0, 1).round(2).tolist())

    last = watch.told.shape[0] - 1
    return Comparison(
        heights(0), heights(last), words.quiet_text(watch.quiet_db(0)), words.quiet_text(watch.quiet_db(last))
    )  # fmt: skip


def comparison_sheet(data: Comparison, area: QRectF, ink: str, labels: float, t: Tokens) -> Sheet:
    """Two rows of bars between `labels` on the left and what it falls to on the right."""
    sheet = Sheet(area.right(), area.bottom())
    body = height("small", t.scale)
    right = max(width(text, "small strong", t.scale) for text in (data.quiet_before, data.quiet_after, " ")) + t.px(8)
    half = area.height() / 2
    for i, (levels, text, colour) in enumerate(
        ((data.before, data.quiet_before, "mute"), (data.after, data.quiet_after, ink))
    ):
        middle = area.y() + half * (i + 0.5)
        room = QRectF(area.x() + labels, area.y() + i * half, area.width() - labels - right - t.px(12), half)
        wide = room.width() / SHOWN
        for k, level in enumerate(levels):
            x = room.right() - (len(levels) - k) * wide
            tall = max(1.0, level * (half - t.px(6)))
            sheet.boxes.append(Box(QRectF(x, middle - tall / 2, max(1.0, wide - 1), tall), colour))
        sheet.text(area.right() - right, middle - body / 2, right, body, text, "small strong", colour, "right")
    return sheet
