"""Sound against picture of a recording, in the window, and what follows from it: what to enter in the other program."""

import numpy as np
import pytest
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from brucke.app.measuring.film_check import FilmCheck
from brucke.core.aligning.evidence_edits import NAME, note_late
from brucke.core.edits.listener_edits import set_there
from brucke.core.knowledge.quantities import PICTURE
from brucke.core.storage.setup_file import load
from brucke.core.timing.hand_off import hand_off
from brucke.demo import SETUP
from brucke.words.hand_off import page_text

from ..evidence import picture_at
from ..films import Hands, clap_sound, hands_at, write_film
from .conftest import press, wait

LATER_S = 0.12


def clapped(folder, name, later_s, seed):
    """Four claps, the picture later by so much."""
    rng = np.random.default_rng(seed)
    claps = 1.6 + np.cumsum(rng.uniform(0.7, 1.1, 4))
    size, seconds = (320, 180), float(claps[-1]) + 1.6
    draw = hands_at(Hands(leaving=1.0), claps + later_s, size, rng)
    return write_film(folder / name, np.arange(0.01, seconds, 1 / 30), draw, clap_sound(claps, seconds, rng), size)


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    return clapped(tmp_path_factory.mktemp("film"), "claps.mkv", LATER_S, 5)


def test_a_film_is_looked_at_moved_by_hand_and_carried_into_the_setup(window, film, monkeypatch):
    w = window
    w.go_to("align")
    w.align.choose_listener("shore_stream")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (str(film), ""))
    w.do("film")
    dialog, check = w.tools.shown, w.studio.service(FilmCheck)
    wait(lambda: check.state != "looking", 30)
    assert check.state == "found"
    assert check.later_s == pytest.approx(LATER_S, abs=0.03)
    assert "the sound comes" in dialog.headline.text()
    frames = dialog.frames.frames()
    assert len(frames) == 7
    assert sum(f.now for f in frames) == 1
    dialog.grab()
    found = check.later_s
    for button in dialog.moves[2:]:
        press(button)
    assert check.later_s == pytest.approx(found + 1e-3 + 1 / 30, abs=1e-3)
    assert "by eye" in dialog.headline.text()
    press(dialog.back)
    assert check.later_s == found
    press(dialog.after)
    assert check.index == 1
    press(dialog.hear)
    assert w.notice.words.text() == "Start first (F5): nothing is running yet."
    setup = w.session.setup
    picture = next(p.id for p in setup.parts if p.kind == "picture")
    assert w.session.knowledge.counting(PICTURE, setup, picture, "shore_stream") is None
    press(dialog.carry)
    kept = w.session.knowledge.counting(PICTURE, setup, picture, "shore_stream")
    assert (kept.method, kept.repeats) == ("claps", 4)
    t = w.session.timing.of("shore_stream")
    late = t.route(picture).arrival.value - t.route(setup.part(picture).shows).arrival.value
    assert late == pytest.approx(found, abs=1e-6), "what was seen is what is now counted"
    assert not w.session.undo_stack.canUndo(), "knowledge is no edit"


def test_an_offset_is_found_carried_entered_and_confirmed_in_nine_presses(window, tmp_path, monkeypatch):
    """The picture comes first; sound cannot be hurried, so the other program has to wait with its picture."""
    w, presses, chosen = window, 0, [clapped(tmp_path, "first.mkv", -0.1, 7), clapped(tmp_path, "again.mkv", 0.0, 6)]

    def hit(button):
        nonlocal presses
        presses += 1
        press(button)

    def choose(*_a, **_k):
        nonlocal presses
        presses += 1  # a file is chosen by a double click
        return str(chosen.pop(0)), ""

    monkeypatch.setattr(QFileDialog, "getOpenFileName", choose)
    w.go_to("align")
    w.align.choose_listener("shore_stream")
    hit(w.align.ask)
    hit(w.align.questions.cards[0].buttons["film"])
    check = w.studio.service(FilmCheck)
    wait(lambda: check.state == "found", 30)
    assert "after the picture" in w.tools.shown.headline.text()
    hit(w.tools.shown.carry)
    hit(w.tools.shown.enter)
    assert w.tools.shown.entered.isVisible(), "what to enter is there, and that it was entered can be said"
    hit(w.tools.shown.entered)
    hit(w.tools.shown.film)
    wait(lambda: check.file.name == "again.mkv" and check.state == "found", 30)
    assert abs(check.later_s) < 0.04
    hit(w.tools.shown.carry)
    assert presses <= 9, presses


def test_a_bad_film_is_one_sentence_and_the_next_one_works(window, film, tmp_path):
    bad = tmp_path / "holiday.mp4"
    bad.write_bytes(b"not a film")
    w = window
    w.studio.service(FilmCheck).look(bad)
    w.do("film")
    dialog = w.tools.shown
    wait(lambda: w.studio.service(FilmCheck).state != "looking", 30)
    assert dialog.headline.text().startswith("holiday.mp4: the file: ")
    assert not dialog.carry.isVisibleTo(dialog)
    w.studio.service(FilmCheck).look(film)
    wait(lambda: w.studio.service(FilmCheck).state == "found", 30)
    assert dialog.carry.isVisibleTo(dialog)
    dialog.reject()
    w.studio.service(FilmCheck).look(film)
    w.studio.service(FilmCheck).stop()
    wait(lambda: w.studio.service(FilmCheck).state == "failed", 30)


def test_what_to_enter_elsewhere_is_copied_kept_and_noted(window, tmp_path, monkeypatch):
    w = window
    w.session.edit("late", note_late(w.session.setup, "voice", "harp", "shore_stream", 60, 1), "align")
    w.align.choose_listener("shore_stream")
    w.do("hand_off")
    assert "Picture delay: not known" in w.tools.shown.text, "nobody measured the picture's way"
    assert not w.tools.shown.entered.isVisibleTo(w.tools.shown)
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a, **_k: (asked.append("film"), ("", ""))[1])
    press(w.tools.shown.film)
    assert asked == ["film"], "the way leads to the film that tells it"
    w.tools.shown.reject()
    w.session.learn(w.session.knowledge.with_measurement(picture_at(w.session.setup, "shore_stream", 35)))
    w.do("hand_off")
    dialog = w.tools.shown
    wait_ms = w.session.timing.of("shore_stream").hand_off_s * 1e3
    assert wait_ms > 20
    assert f"Picture delay: +{round(wait_ms)} ms" in dialog.text
    press(dialog.copy)
    assert QGuiApplication.clipboard().text() == dialog.text
    for name, begin in (("p.pdf", b"%PDF"), ("p.png", b"\x89PNG")):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, name=name, **_k: (str(tmp_path / name), ""))
        press(dialog.save)
        assert (tmp_path / name).read_bytes().startswith(begin)
    press(dialog.entered)
    there = w.session.setup.listener("shore_stream")
    assert there.picture_there_ms == pytest.approx(wait_ms)
    assert "it counts as a step" in dialog.said.text()
    assert dialog.film.text() == "Film it again: is it right?"
    assert w.session.timing.of("shore_stream").hand_off_s * 1e3 == pytest.approx(0, abs=0.1), (
        "nothing more is asked for"
    )
    w.session.undo()
    assert w.session.setup.listener("shore_stream").picture_there_ms == 0
    assert "Echo removal: off" in page_text(w.session.setup, w.session.setup.listener("lounge_call"), dialog.hand_off)


def test_one_delay_set_in_two_places_is_said_and_sound_is_given_back_first():
    setup = load(SETUP)[0]
    from brucke.core.aligning.align import align, timing
    from brucke.core.knowledge.evidence import Knowledge
    from brucke.core.timing.paths import Situation

    late = note_late(setup, "voice", "harp", "shore_stream", 60, 1)
    known = Knowledge().with_measurement(picture_at(late, "shore_stream", 35))
    late = align(Situation(set_there(late, "shore_stream", 0, 25), known))
    t = timing(Situation(late, known)).of("shore_stream")
    h = hand_off(late, t)
    assert h.twice
    assert h.sound_ms == 0
    assert h.picture_ms == pytest.approx(t.hand_off_s * 1e3 - 25)


def test_what_is_noted_of_two_parts_stays_on_the_later_one():
    setup = load(SETUP)[0]
    for ms, expected in ((40, (40, 0)), (-70, (0, 30)), (30, (0, 0))):
        setup = note_late(setup, "voice", "harp", "recorder", ms, 2)
        noted = [
            sum(s.latency_ms for s in setup.route(p, "recorder").stages if s.name == NAME) for p in ("voice", "harp")
        ]
        assert noted == pytest.approx(expected)
