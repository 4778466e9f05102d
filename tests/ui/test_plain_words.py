"""Plain or in numbers: one switch; plainly no view holds a term of measuring, nor a unit but ms, s, min and %."""

import re

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from brucke.app.sound_server.desktop import Desktop
from brucke.core.aligning.align import align
from brucke.core.document.setup import Setup
from brucke.core.findings import Finding
from brucke.core.storage.presets import OWN
from brucke.ui.kit.label import Words
from brucke.ui.kit.meaning import Meaning
from brucke.ui.theme.theme import Theme
from brucke.ui.tools.registry import TOOLS
from brucke.words.detail import in_numbers, say_numbers
from brucke.words.films import offset_text
from brucke.words.glossary import MEANINGS
from brucke.words.soundcheck import what_text
from brucke.words.tools import QUESTIONS

from .conftest import key, new_window, press
from .shown_texts import dialogs, texts_of

TRADE = re.compile(
    r"±|\bLUFS\b|\bLU\b|dB|\bframes?\b|\bload\b|kHz|\bHz\b|\bppm\b|dropout|[Cc]orrelat|polarity|\bRMS\b|\bbit\b|\boctave"
)
NUMBERS = ("±", "−3.0 dB", "48 kHz", "frames", "threshold", "Hz", "dBFS", "Equipment", "bit")


@pytest.fixture(autouse=True)
def _in_numbers_again(monkeypatch):
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: ("", ""))
    yield
    say_numbers(True)


def views(w):
    """Every view of a window with the demo open, one after another, by name."""
    setup = w.session.setup
    w.go_to("gather")
    for page in ("ends", "here", "parts"):
        w.gather.show_page(page)
        yield f"gather {page}"
    for thing in [f"part/{p.id}" for p in setup.parts] + [f"device/{d.id}" for d in setup.devices]:
        w.gather.choose(thing)
        yield f"gather {thing}"
    w.go_to("share")
    for route in setup.routes:
        w.share.grid.choose(route.part, route.listener)
        yield f"share {route.part} {route.listener}"
    w.go_to("shape")
    for x in setup.listeners:
        w.shape.choose_owner(f"listener/{x.id}")
        yield f"shape {x.id}"
    w.shape.choose_owner("part/voice")
    for name, chain in OWN.items():
        w.shape.presets.apply(name, chain)
        for slot in range(len(w.session.setup.part("voice").chain)):
            w.shape.choose(slot)
            yield f"shape {name} {slot}"
    yield from arrivals(w)
    w.align.toggle_questions()
    yield "align questions"
    w.align.toggle_questions()
    for way in w.tools.handlers:
        if way != "slate":  # asks for a file at once
            w.tools.handlers[way]()
            yield f"way {way}"
            w.tools.close()
    for place in ("soundcheck", "review"):
        w.go_to(place)
        yield place


def arrivals(w):
    setup = w.session.setup
    w.go_to("align")
    for x in setup.listeners:
        w.align.choose_listener(x.id)
        for p in setup.parts:
            w.align.choose_part(p.id)
            yield f"align {x.id} {p.id}"
        w.align.toggle_table()
        yield f"align {x.id} as a table"
        w.align.toggle_table()


def said_in(w, shown):
    """Every text of the views, by the view it was read in first."""
    said = {}
    for view in shown:
        QApplication.processEvents()
        for widget in dialogs():
            for text in texts_of(widget):
                said.setdefault(text, view)
    return said


def test_plainly_no_view_holds_a_term_of_measuring(window):
    window.resize(1280, 1400)
    window.detail.set(False)
    said = said_in(window, views(window))
    window.session.edit("aligned", align(window.session.situation), "align")
    said |= said_in(window, arrivals(window))
    found = {text: view for text, view in said.items() if TRADE.search(text)}
    assert not found, found
    units = {unit for text in said for unit in re.findall(r"\d (m?s|min|%|m|km|V|k|st)\b", text)}
    assert units <= {"ms", "s", "min", "%"}, units
    assert any("%" in text for text in said), "gains are still there to be read"
    assert {"What comes in", "Do picture and sound meet?"} <= set(said)


def test_in_numbers_nothing_is_missing_and_one_press_changes_it_for_good(window, data_home, monkeypatch):
    w = window
    w.resize(1280, 1400)
    assert in_numbers(), "whoever did not begin with the guided page has numbers"
    before = said_in(w, views(w))
    for term in NUMBERS:
        assert any(term in text for text in before), term
    w.go_to("align")
    button = w.deck.detail
    assert button.text() == "In plain words"
    press(button)
    assert (in_numbers(), button.text()) == (False, "In numbers")
    w.do("detail")
    assert in_numbers()
    w.align.toggle_table()
    back = said_in(w, ["align"])
    assert any("±" in t for t in back)
    assert any("frames" in t for t in back)
    w.detail.set(False)
    again = new_window(data_home, monkeypatch)
    assert not in_numbers(), "it is remembered"
    again.close()


def test_gains_are_typed_as_they_are_shown(window):
    w = window
    w.detail.set(False)
    w.go_to("share")
    w.share.grid.choose("harp", "shore_stream")
    value = w.share.gain.value
    assert value.text() == "71 %"
    value.setFocus()
    value.selectAll()
    for typed in ("50", "½", "-3"):
        value.lineEdit().setText(f"{typed} %")
        value.interpretText()
    QApplication.processEvents()
    gain = next(r.gain_db for r in w.session.setup.routes if (r.part, r.listener) == ("harp", "shore_stream"))
    assert gain == pytest.approx(-6.0, abs=0.05), (
        "half is −6.0 dB; what is no number, or less than nothing, is not taken"
    )
    w.detail.set(True)
    assert value.text() == "−6.0 dB"


def test_whoever_begins_with_the_guided_page_has_plain_words_and_one_list(app, data_home, monkeypatch, tmp_path):
    monkeypatch.setattr(Desktop, "there", property(lambda _self: True, lambda *_a: None), raising=False)
    w = new_window(data_home, monkeypatch)
    assert in_numbers()
    w.gather.start.offer_here(True)
    press(w.gather.start.where.buttons["here"])
    w.gather.start.templates["session"].click()
    assert not in_numbers()
    w.detail.set(True)
    w.gather.guided.emit()
    assert in_numbers(), "who has chosen is asked no more"
    steps = w.gather.ends.steps
    listed = [b.text() for b in steps.rows.values() if not b.isHidden()]
    assert [x[0] for x in listed] == [str(i + 1) for i in range(len(listed))]
    assert [x[3:] for x in listed][-4:] == ["Start", "Measure", "In step", "Let them hear"]
    sf.write(tmp_path / "mine.wav", np.zeros(48000), 48000)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_a: ([str(tmp_path / "mine.wav")], ""))
    press(w.gather.ends.song.also)
    song = next(p for p in w.session.setup.parts if p.kind == "lead")
    assert (song.source, [t.file for t in song.tracks]) == ("track", ["mine.wav"])
    assert w.gather.ends.song.found
    w.do("undo")
    assert not next(p for p in w.session.setup.parts if p.kind == "lead").tracks
    w.session.replace(Setup())
    w.close()
    again = new_window(data_home, monkeypatch)
    again.gather.start.offer_here(True)
    again.gather.start.focus_first()
    assert again.gather.start.here
    assert again.focusWidget() is again.gather.start.templates["session"], "the last choice is at hand"
    again.close()


def test_the_other_ways_stand_as_questions_and_every_one_can_be_asked(window):
    w = window
    assert {t.question for t in TOOLS if t.question} == {q.code for q in QUESTIONS}
    key(w, Qt.Key.Key_Q)
    assert w.place == "align"
    page = w.align.questions
    for card in page.cards:
        for way, button in card.buttons.items():
            if way not in ("slate", "film"):
                press(button)
                assert w.tools.shown is not None, way
                w.tools.close()
    w.detail.set(False)
    assert [c.isVisible() for c in page.cards] == [True] * 5 + [False]
    w.do("next_listener")
    assert not page.isVisible(), "choosing a listener shows its arrivals"


def test_a_finding_is_said_without_its_numbers(window):
    f = Finding(code="trim_clips", part="voice", values={"over_db": 3.0})
    assert "3.0 dB" in what_text(window.session.setup, f)
    window.detail.set(False)
    assert what_text(window.session.setup, f) == "Voice is too loud."


def test_plainly_nothing_is_surer_than_in_numbers(window):
    say_numbers(False)
    assert offset_text(0.072, 0.034) == "the sound comes 38 to 106 ms before the picture"
    assert offset_text(-0.072, 0.003) == "the sound comes about 72 ms after the picture"
    assert offset_text(0.012, 0.034) == "sound and picture come together, as far as this can tell"
    w = window
    w.go_to("align")
    w.align.choose_listener("shore_stream")
    w.align.choose_part("voice")
    assert w.align.side.verdict.plus_minus.text() == "", "no “exactly” of what is not known exactly"


def test_a_word_of_the_trade_tells_what_it_means_where_it_is_pressed(window):
    """One press on the word, or Shift+F1 for all that stand there; anything else that is pressed is as before."""
    w = window
    w.go_to("soundcheck")
    QApplication.processEvents()
    label = next(x for x in w.findChildren(Words) if x.isVisible() and "round trip" in x.text())
    layout, _at = label.laid_out()
    for word, opens in (("round trip", ["round trip"]), ("Table", [])):
        x = layout.lineAt(0).cursorToX(label.text().index(word) + 2)[0]
        QTest.mouseClick(label, Qt.MouseButton.LeftButton, pos=QPoint(round(x), label.height() // 2))
        cards = [m for m in QApplication.topLevelWidgets() if isinstance(m, Meaning) and m.isVisible()]
        assert [m.accessibleName() for m in cards] == [f"{t}: {MEANINGS[t]}" for t in opens]
        for m in cards:
            key(m, Qt.Key.Key_Escape)
            assert m not in QApplication.topLevelWidgets()
    w.do("meanings")
    card = next(m for m in QApplication.topLevelWidgets() if isinstance(m, Meaning) and m.isVisible())
    assert {"round trip", "buffer"} <= {t for t in MEANINGS if MEANINGS[t] in card.accessibleName()}
    card.close()


def test_words_are_laid_out_alike_with_and_without_what_is_explained(app):
    text = (
        "One long sentence about a buffer, which wraps, and goes on until it has come to its third line, with a "
        "round trip in it."
    )
    heights = []
    for explains in (True, False):
        label = Words(Theme(), "body", explains=explains)
        label.setText(text)
        label.resize(300, label.heightForWidth(300))
        layout, _at = label.laid_out()
        assert layout.lineCount() == 3
        heights.append(label.height())
    assert heights[0] == heights[1]
