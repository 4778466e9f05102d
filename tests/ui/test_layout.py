"""Nothing is cut, nothing overlaps, nothing is painted that is not a token: three sizes, two text scales, two themes."""

import itertools
import re
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QRectF
from PyQt6.QtWidgets import QAbstractButton, QLabel, QScrollArea, QWidget

import brucke.ui
from brucke.core.timing.align import align, timing
from brucke.core.timing.paths import Situation
from brucke.takes.take import ListenerProof, PartLeft, PictureLeft, Take
from brucke.ui.align.layout import align_layout, least_height
from brucke.ui.align.model import align_data
from brucke.ui.kit.button import Button
from brucke.ui.kit.label import Words
from brucke.ui.kit.meter import meter_geometry
from brucke.ui.paint.sheet import colour
from brucke.ui.review.layout import least_height as review_height
from brucke.ui.review.layout import review_layout
from brucke.ui.review.model import review_data
from brucke.ui.theme.fonts import metrics
from brucke.ui.theme.tokens import LIGHT, NIGHT, PAIRS, contrast

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
    for place in ("align", "review"):
        window.go_to(place)
        window.align.side.evidence.how.setChecked(True)
        pause(0.08)
        assert (window.width(), window.height()) == size, "the window never forces itself larger"
        for label in visible(window, Words):
            need = label.heightForWidth(label.width()) if label.wordWrap() else label.sizeHint().height()
            assert label.height() >= need - 1, f"cut in height: {label.text()!r}"
            if not label.wordWrap():
                assert label.width() >= label.sizeHint().width() - 1, f"cut: {label.text()!r}"
        for button in visible(window, Button):
            assert button.width() >= button.sizeHint().width() - 1, f"cut: {button.text()!r}"
        check_siblings(window)
        for holder in (window.deck, window.strip):
            assert holder.geometry().bottom() <= window.height()


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
    """No colour literal, named colour or style sheet anywhere in the interface but in the tokens."""
    folder = Path(brucke.ui.__file__).parent
    for path in folder.rglob("*.py"):
        if path.name == "tokens.py":
            continue
        text = path.read_text()
        assert not re.search(r"#[0-9A-Fa-f]{6}\b", text), path
        assert "GlobalColor" not in text, path
        assert "setStyleSheet" not in text, path
        assert not re.search(r"QColor\((\d|\"[a-z])", text.replace("QColor(0, 0, 0, 0)", "")), path
