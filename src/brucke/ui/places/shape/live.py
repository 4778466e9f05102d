"""What moves in the drawings of a chain: spectra, histograms, the moving point, reductions. Pure: data → sheet."""

import msgspec
import numpy as np
from PyQt6.QtCore import QRectF

from ....words.doing import level_text, now_text
from ...paint.sheet import Bars, Box, Line, Sheet
from ...theme.fonts import elided
from ...theme.tokens import Tokens
from .model import LEVEL_DB, Curve, ProcessorBand, spectrum_curve
from .watch import SHOWN, ChainWatch

SILENT_DB = -59.0


class BandLive(msgspec.Struct, frozen=True):
    """`spectrum` heights 0…1 left to right; `histogram` shares; `level` 0…1 of the moving point, below 0 without;
    `reductions` in dB, one for each band; `bars` lengths before and after; `doing` what it does now, in words."""

    spectrum: Curve = ()
    histogram: Curve = ()
    level: float = -1.0
    reductions: tuple[float, ...] = ()
    bars: tuple[float, ...] = ()
    doing: str = ""


STILL = BandLive()


def _level_share(db: float) -> float:
    return min(1.0, 1 - db / LEVEL_DB) if db > SILENT_DB else -1.0


def band_live(band: ProcessorBand, slot: int, watch: ChainWatch, rate_hz: float, last: bool = False) -> BandLive:
    """What one band shows now; `last` in its chain, its sound goes out."""
    if not watch.lively:
        return STILL
    after = watch.told.shape[0] - 1 if last else slot + 1
    tells = band.processor.TELLS
    reductions = tuple(round(float(x), 1) + 0.0 for x in watch.told[slot, 1 : 1 + tells.reductions])
    doing = now_text(band.processor, reductions, round(watch.quiet_db(slot) - watch.quiet_db(after)))
    match tells.moves:
        case "spectrum":
            spectrum = () if watch.spectrum is None else spectrum_curve(watch.spectrum, rate_hz)
            return BandLive(spectrum=spectrum, doing=doing)
        case "histogram":
            return BandLive(histogram=tuple(watch.histogram(slot).round(2).tolist()), doing=doing)
        case "level":
            return BandLive(level=round(_level_share(watch.level_db(slot)), 2), reductions=reductions, doing=doing)
        case "both sides":
            shares = [_level_share(watch.level_db(i)) for i in (slot, after)]
            bars = tuple(round(max(0.0, x), 2) for x in shares) if shares[0] >= 0 else ()
            return BandLive(bars=bars, doing=doing)
    return BandLive(reductions=reductions, doing=doing) if reductions else STILL


def live_sheet(card: ProcessorBand, live: BandLive, area: QRectF, ink: str, t: Tokens) -> Sheet:
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
        wide, most = area.width() / len(live.histogram), area.height() - t.px(6)
        tall = [(i, share * most) for i, share in enumerate(live.histogram) if share > 0]
        rects = [QRectF(area.x() + i * wide + 1, area.bottom() - h, wide - 2, h) for i, h in tall]
        sheet.bars.append(Bars(rects, "edge"))
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
        high = t.px(7)
        bar = QRectF(area.x() + t.px(4), area.y() + t.px(6 + 11 * i), share * (area.width() - t.px(8)), high)
        sheet.boxes.append(Box(bar, "mute" if i == 0 else ink))
    return sheet


def _curve(sheet: Sheet, curve: Curve, at, ink: str) -> None:  # type: ignore[no-untyped-def]
    """Once more, above what moves."""
    if curve:
        sheet.lines.append(Line(tuple(at(i / (len(curve) - 1), v) for i, v in enumerate(curve)), ink, 2))


def _hanging(sheet: Sheet, card: ProcessorBand, reductions: tuple[float, ...], area: QRectF, t: Tokens) -> None:
    """How much each band is held back, hanging from above; 18 dB are the whole height."""
    edges = [0.0, *card.edges, 1.0]
    for i, db in enumerate(reductions):
        left, right = (area.x() + e * area.width() for e in edges[i : i + 2])
        tall = min(1.0, db / 18) * area.height()
        if tall > 0.5:
            bar = QRectF(left + t.px(3), area.y() + 1, right - left - t.px(6), tall)
            sheet.boxes.append(Box(bar, "edge"))


def sentence_sheet(band: ProcessorBand, live: BandLive, area: QRectF, chosen: bool, t: Tokens) -> Sheet:
    """What a band does now, in words; what is set where nothing runs."""
    sheet = Sheet(area.right(), area.bottom())
    text = band.note or live.doing or band.doing
    tone = "coral" if band.note else "ink" if chosen else "mute"
    shown = elided(text, "small", t.scale, area.width())
    sheet.text(area, shown, "small", tone, on="tint" if chosen else "card")
    return sheet


# What comes in and what goes out


class Ends(msgspec.Struct, frozen=True):
    """Levels 0…1, oldest first, and the newest in words, at both ends of the way."""

    before: Curve = ()
    after: Curve = ()
    level_before: str = ""
    level_after: str = ""


def ends(watch: ChainWatch) -> Ends:
    if not watch.lively:
        return Ends()

    def heights(slot: int) -> Curve:
        return tuple(np.clip(1 - watch.past(slot, SHOWN) / LEVEL_DB, 0, 1).round(2).tolist())

    last = watch.told.shape[0] - 1
    return Ends(heights(0), heights(last), *(level_text(watch.loudest_db(slot)) for slot in (0, last)))


def end_sheet(levels: Curve, text: str, area: QRectF, value: QRectF, ink: str, t: Tokens) -> Sheet:
    """One row of levels, and the loudest of the last seconds beside it."""
    sheet = Sheet(max(area.right(), value.right()), area.bottom())
    wide, middle, height = area.width() / SHOWN, area.center().y(), area.height()
    left, thick = area.right() - len(levels) * wide, max(1.0, wide - 1)
    tall = [max(1.0, level * height) for level in levels]
    rects = [QRectF(left + k * wide, middle - h / 2, thick, h) for k, h in enumerate(tall)]
    sheet.bars.append(Bars(rects, ink))
    sheet.text(value, text, "small strong", "ink", "right")
    return sheet
