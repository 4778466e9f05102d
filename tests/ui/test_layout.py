"""Nothing is cut, nothing overlaps, nothing is painted that is not a token: three sizes, two text scales, two
themes."""

import itertools
import re
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QRectF
from PyQt6.QtWidgets import QAbstractButton, QLabel, QScrollArea, QWidget

import brucke.ui
from brucke.core.aligning.align import align, timing
from brucke.core.checks.soundcheck import soundcheck
from brucke.core.document.setup import Setup
from brucke.core.edits import chain_edits, part_edits, route_edits
from brucke.core.edits.route_edits import change_device
from brucke.core.knowledge.evidence import Facts
from brucke.core.sound.processors import MAX_SLOTS
from brucke.core.timing.paths import Situation
from brucke.core.timing.take_verdict import ListenerProof, PartLeft, PictureLeft
from brucke.takes.take import Take
from brucke.ui.kit.button import Button
from brucke.ui.kit.label import Words
from brucke.ui.kit.meter import meter_geometry
from brucke.ui.kit.scale import scale_sheet
from brucke.ui.paint.sheet import colour
from brucke.ui.places.align.layout import align_layout, least_height
from brucke.ui.places.align.model import align_data
from brucke.ui.places.gather.layout import equipment_height, equipment_layout, parts_height, parts_layout
from brucke.ui.places.gather.model import gather_data
from brucke.ui.places.review.layout import least_height as review_height
from brucke.ui.places.review.layout import review_layout
from brucke.ui.places.review.model import review_data
from brucke.ui.places.shape.layout import least_height as chain_height
from brucke.ui.places.shape.layout import shape_layout
from brucke.ui.places.shape.live import band_live, end_sheet, ends, live_sheet, sentence_sheet
from brucke.ui.places.shape.model import shape_data
from brucke.ui.places.shape.watch import ChainWatch, spectrum_of
from brucke.ui.places.share.channel_map import point_layout
from brucke.ui.places.share.layout import (
    cell_layout,
    head_height,
    head_width,
    least_column,
    least_row,
    level_bar,
    listener_head,
    part_head,
    question_layout,
    question_width,
)
from brucke.ui.places.share.model import share_data
from brucke.ui.theme.fonts import metrics
from brucke.ui.theme.tokens import LIGHT, NIGHT, PAIRS, contrast
from brucke.words.processors import OFFERED

from .conftest import pause

SIZES = ((1024, 700), (1280, 800), (2560, 1440))
CASES = [(s, k, t) for s in SIZES for k in (1.0, 1.75) for t in (LIGHT, NIGHT)]


def longer(text):
    """The string forty per cent longer, as another language may be."""
    return text + "n" * round(0.4 * len(text))


def check_sheet(sheet, tokens):
    for text in sheet.texts:
        need = metrics(text.role, tokens.scale).horizontalAdvance(text.text)
        assert need <= text.rect.width() + 1, f"cut: {text.text!r} needs {need:.0f} of {text.rect.width():.0f}"
        assert metrics(text.role, tokens.scale).height() <= text.rect.height() + 1, f"cut in height: {text.text!r}"
        assert text.rect.left() >= -1, text.text
        assert text.rect.right() <= sheet.width + 1, f"outside: {text.text!r}"
        assert text.rect.bottom() <= sheet.height + 1, f"below: {text.text!r}"
        ratio = contrast(colour(tokens, text.colour).name(), colour(tokens, text.on).name())
        assert ratio >= 4.5, f"{text.text!r}: {text.colour} on {text.on} has {ratio:.2f}"
    for a, b in itertools.combinations(sheet.texts, 2):
        over = ink_of(a, tokens).intersected(ink_of(b, tokens))
        assert over.width() < 1 or over.height() < 1, f"{a.text!r} runs into {b.text!r}"


def ink_of(text, tokens):
    """The rectangle the glyphs really take."""
    m = metrics(text.role, tokens.scale)
    wide, tall = m.horizontalAdvance(text.text), m.capHeight()
    left = {"left": text.rect.left(), "right": text.rect.right() - wide}.get(
        text.align, text.rect.center().x() - wide / 2
    )
    return QRectF(left, text.rect.center().y() - tall / 2, wide, tall)


def stretched(setup):
    parts = tuple(replace(p, name=longer(p.name)) for p in setup.parts)
    return replace(setup, parts=parts, listeners=tuple(replace(x, name=longer(x.name)) for x in setup.listeners))


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
@pytest.mark.parametrize("words_longer", [False, True])
def test_the_arrivals_drawing_is_whole_at_every_size(app, nightboat, size, scale, theme, words_longer):
    tokens = theme.scaled(scale)
    setup = stretched(nightboat) if words_longer else nightboat
    wide = size[0] - tokens.px(48) if size[0] < tokens.px(960) else size[0] - tokens.px(48 + 336)
    for made in (setup, align(Situation(setup))):
        for t in timing(Situation(made)).listeners:
            data = align_data(made, t)
            tall = max(size[1] - tokens.px(300), least_height(data, wide, tokens))
            found = align_layout(data, data.lanes[0].part, wide, tall, tokens)
            check_sheet(found.sheet, tokens)
            assert len(found.lanes) == len(data.lanes)
            for a, b in itertools.pairwise(found.lanes):
                assert a.bottom() <= b.top() + 0.01


def a_take(setup, late):
    left = {p: PartLeft(median_ms=late, error_ms=0.7, scatter_ms=6, windows=9) for p in ("voice", "cello")}
    picture = PictureLeft(
        part="picture", left_ms=6 * late, against_sound_ms=1, plus_minus_ms=4, claps=8, period_ms=33.3
    )
    proof = {
        "lounge_call": ListenerProof(left=left),
        "shore_stream": ListenerProof(left=left, picture=picture),
        "recorder": ListenerProof(reason="not_found"),
    }
    return Take(date="2026-11-24T19:42:00+00:00", setup=setup, proof=proof)


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
def test_the_review_drawing_is_whole_at_every_size(app, nightboat, size, scale, theme):
    tokens = theme.scaled(scale)
    setup = stretched(nightboat)
    wide = size[0] - tokens.px(48) if size[0] < tokens.px(960) else size[0] - tokens.px(48 + 336)
    for before in (None, a_take(setup, 12.0)):
        data = review_data(a_take(setup, -0.4), before)
        check_sheet(
            review_layout(data, wide, max(size[1] - tokens.px(300), review_height(data, tokens)), tokens), tokens
        )


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
@pytest.mark.parametrize("words_longer", [False, True])
def test_parts_and_equipment_are_whole_at_every_size(app, nightboat, size, scale, theme, words_longer):
    tokens = theme.scaled(scale)
    setup = stretched(nightboat) if words_longer else nightboat
    setup = change_device(setup, "player", rate_hz=44100)
    setup = part_edits.change_part(setup, "cello", quiet=True)
    wide = max(place_width(size, tokens), tokens.px(420))
    facts = Facts(missing=("camera",))
    data = gather_data(setup, facts, {"voice": 12}, frozenset({"harp"}))
    tall = parts_height(data, wide, tokens)
    for chosen in ("", "voice", "cello", "picture"):
        found = parts_layout(data, chosen, wide, tall, tokens)
        check_sheet(found.sheet, tokens)
        assert len(found.rows) == len(setup.parts)
        assert all(rows_apart(found.rows))
        assert all(bar.right() <= wide for bars in found.bars for bar in bars)
    for chosen in ("", "table"):
        found = equipment_layout(data, chosen, wide, equipment_height(data, wide, tokens), tokens)
        check_sheet(found.sheet, tokens)
        assert all(rows_apart(found.rows))
    nothing = gather_data(Setup(), Facts(), {}, frozenset())
    check_sheet(parts_layout(nothing, "", wide, parts_height(nothing, wide, tokens), tokens).sheet, tokens)


def rows_apart(rows):
    return [a.bottom() <= b.top() + 0.01 for a, b in itertools.pairwise(rows)]


def place_width(size, tokens):
    return size[0] - tokens.px(48) if size[0] < tokens.px(960) else size[0] - tokens.px(48 + 336)


def troubled(setup):
    """Something wrong on many cells."""
    setup = part_edits.duplicate_part(setup, "voice")
    setup = part_edits.set_channels(setup, "voice_2", setup.part("voice").channels)
    setup = route_edits.set_gain(setup, "cello", "shore_stream", -60)
    setup = route_edits.allow_own_return(setup, "lounge", "lounge_call", True)
    return route_edits.set_processed(
        route_edits.set_gain(setup, "voice", "recorder", -12.5), "voice", "recorder", False
    )


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
@pytest.mark.parametrize("words_longer", [False, True])
def test_every_cell_and_head_of_the_grid_is_whole(app, nightboat, size, scale, theme, words_longer):
    tokens = theme.scaled(scale)
    for setup in (nightboat, troubled(nightboat), align(Situation(nightboat))):
        setup = stretched(setup) if words_longer else setup
        known = Situation(setup)
        data = share_data(setup, timing(known), soundcheck(known))
        w, h = least_column(data, tokens), least_row(tokens)
        for tall in (h, tokens.px(84)):
            for row in data.cells:
                for cell in row:
                    for chosen, current in ((False, False), (True, False), (True, True)):
                        check_sheet(cell_layout(cell, chosen, current, w, tall, tokens), tokens)
        for head in data.parts:
            wide = head_width(data, tokens)
            check_sheet(part_head(head, True, wide, h, tokens), tokens)
            assert QRectF(0, 0, wide, h).contains(level_bar(wide, h, tokens))
        for head in data.listeners:
            check_sheet(listener_head(head, True, w, head_height(tokens), tokens), tokens)
        for heard, said in (("all", "all"), ("some", "some"), ("none", "none"), ("all", "everyone but themselves")):
            check_sheet(question_layout(heard, said, True, question_width(data, tokens), h, tokens), tokens)
    for ink in range(8):
        for gain in (None, 0.0, -60.0, 12.0):
            wide, tall = (metrics("small", scale).horizontalAdvance("−24.0") + tokens.px(8), tokens.px(10) + metrics(
                "small", scale).height())  # fmt: skip
            check_sheet(point_layout(gain, ink, True, wide, tall, tokens), tokens)
    for wide in (160, 260, 500):
        check_sheet(scale_sheet(wide * scale, tokens), tokens)


@pytest.mark.parametrize(
    "kinds", [list(OFFERED)[:8], list(OFFERED)[-8:], list(OFFERED)[3:6]], ids=["first", "last", "few"]
)
@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
def test_a_chain_is_whole_at_every_size_with_all_that_moves_in_it(app, nightboat, rng, size, scale, theme, kinds):
    tokens = theme.scaled(scale)
    setup, owner = nightboat, "part/cello"
    for code in kinds:
        setup = chain_edits.add_processor(setup, owner, OFFERED[code][0])
    setup = chain_edits.change_processor(setup, owner, 2, on=False)
    wide = max(place_width(size, tokens), tokens.px(420))
    data, watch = shape_data(setup, owner), ChainWatch()
    for _ in range(200):
        watch.feed(np.abs(0.2 * rng.standard_normal((MAX_SLOTS + 1, 4))).astype(np.float32) * [[1, 60, 60, 60]])
    watch.spectrum = spectrum_of(rng.standard_normal((2, 4096)))
    for more in (0, 60, 400):
        found = shape_layout(data, 2, wide, chain_height(data, wide, tokens) + more, tokens)
        moving, last = [], len(kinds) - 1
        for i, band in enumerate(data.bands):
            live = band_live(band, i, watch, 48000, i == last)
            moving.append(live_sheet(band, live, found.drawings[i], data.ink, tokens))
            moving += [sentence_sheet(band, shown, found.sentences[i], i == 2, tokens) for shown in (live,)]
        now = ends(watch)
        for levels, text, area, value in (
            (now.before, now.level_before, found.comes_in, found.values[0]),
            (now.after, now.level_after, found.goes_out, found.values[1]),
        ):
            moving.append(end_sheet(levels, text, area, value, data.ink, tokens))
        for sheet in moving:
            found.sheet.texts.extend(sheet.texts)
            for rect in (*(b.rect for b in sheet.boxes), *(r for b in sheet.bars for r in b.rects)):
                assert QRectF(-9, -9, wide + 18, found.sheet.height + 18).contains(rect)
        assert sum(bool(sheet.texts) for sheet in moving) == len(kinds) + 2, "every band is a sentence"
        check_sheet(found.sheet, tokens)
        assert len(found.bands) == len(kinds)
        for a, b in itertools.combinations(found.bands, 2):
            assert not a.intersects(b)
        assert all(QRectF(0, 0, wide + 1, found.sheet.height).contains(card) for card in found.bands)


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
def test_the_first_page_is_whole_at_every_size(window, size, scale, theme):
    window.theme.set(night=theme is NIGHT, scale=scale)
    window.resize(*size)
    window.do("new")
    pause(0.08)
    assert (window.width(), window.height()) == size
    check_widgets(window)
    t = window.theme.tokens
    for button in window.gather.start.templates.values():
        for role, line, room in button.texts():
            assert metrics(role, t.scale).horizontalAdvance(line) <= min(room, button.width() - t.px(30)) + 2


@pytest.mark.parametrize("scale", [1.0, 1.75])
@pytest.mark.parametrize("width", [120, 240, 800])
def test_meter_marks_never_collide(app, scale, width):
    tokens = LIGHT.scaled(scale)
    g = meter_geometry(QRectF(10, 5, width, 60 * scale), 2, tokens)
    check_sheet(g.sheet, tokens)
    assert g.bars[0].bottom() < g.bars[1].top()


def visible(window, kind):
    return [w for w in window.findChildren(kind) if w.isVisible() and not w.visibleRegion().isEmpty()]


def clipped_by(widget):
    """Scrolled away is not cut; only the widget's own box counts."""
    return any(isinstance(p, QScrollArea) for p in parents(widget))


def parents(widget):
    while widget is not None:
        yield widget
        widget = widget.parentWidget()


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
def test_the_window_is_whole_at_every_size(window, size, scale, theme):
    window.theme.set(night=theme is NIGHT, scale=scale)
    window.resize(*size)
    window.notice.say("The engine stopped. It is being started again with the same setup.", "coral")
    if scale == 1.75 and size == (1280, 800):
        window.session.edit("rate", change_device(window.session.setup, "player", rate_hz=44100), "gather")
    window.checking.renew()
    for place in window.places:
        window.go_to(place)
        window.align.side.evidence.how.setChecked(True)
        pause(0.08)
        assert (window.width(), window.height()) == size, "the window never forces itself larger"
        settled(lambda: check_widgets(window))
        for holder in (window.deck, window.strip):
            assert holder.geometry().bottom() <= window.height()


def settled(check):
    """A busy machine may need longer than one look until everything has its place."""
    for _ in range(20):
        try:
            return check()
        except AssertionError:
            pause(0.1)
    return check()


def check_widgets(window):
    for label in visible(window, Words):
        need = label.heightForWidth(label.width()) if label.wordWrap() else label.sizeHint().height()
        assert label.height() >= need - 1, f"cut in height: {label.text()!r}"
        if not label.wordWrap():
            assert label.width() >= label.sizeHint().width() - 1, f"cut: {label.text()!r}"
    for button in visible(window, Button):
        assert button.width() >= button.sizeHint().width() - 1, f"cut: {button.text()!r}"
    check_siblings(window)


def check_siblings(window):
    groups = {}
    for w in visible(window, QWidget):
        if isinstance(w, Words | QAbstractButton | QLabel):
            groups.setdefault(w.parentWidget(), []).append(w)
    for group in groups.values():
        for a, b in itertools.combinations(group, 2):
            over = a.geometry().intersected(b.geometry())
            assert over.width() <= 1 or over.height() <= 1, f"{a.text()!r} overlaps {b.text()!r}"


@pytest.mark.parametrize("tokens", [LIGHT, NIGHT], ids=["light", "night"])
def test_contrast_of_every_pair_that_is_used(tokens):
    """WCAG 2.2: text 4.5 : 1, edges of controls and marks that mean something 3 : 1."""
    for fore, ground, least in PAIRS:
        ratio = contrast(getattr(tokens, fore), getattr(tokens, ground))
        assert ratio >= least, f"{tokens.name}: {fore} on {ground} has {ratio:.2f}"
    for i, part in enumerate(tokens.parts):
        for ground in (tokens.paper, tokens.card, tokens.tint):
            assert contrast(part, ground) >= 4.5, (
                f"{tokens.name}: part {i} on {ground} has {contrast(part, ground):.2f}"
            )
        assert contrast(tokens.on_water, part) >= 4.5


def test_every_painted_colour_is_a_token():
    """No colour literal or named colour anywhere in the interface but in the tokens; a style sheet only by the palette,
    which they set."""
    folder = Path(brucke.ui.__file__).parent
    for path in folder.rglob("*.py"):
        if path.name == "tokens.py":
            continue
        text = path.read_text()
        assert not re.search(r"#[0-9A-Fa-f]{6}\b", text), path
        assert "GlobalColor" not in text, path
        if "setStyleSheet" in text:
            values = re.findall(r"(?:color|background|border(?!-radius)): ([^;}]*)", text)
            assert values, path
            assert all("palette(" in v or v in ("transparent", "none") for v in values), (path, values)
        assert not re.search(r"QColor\((\d|\"[a-z])", text.replace("QColor(0, 0, 0, 0)", "")), path
