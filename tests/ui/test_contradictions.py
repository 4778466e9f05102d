"""Sentences that stood beside one another, or beside a button, and could not both be so."""

import re

from PyQt6.QtWidgets import QApplication

from brucke.app.sound_server.desktop import Desktop
from brucke.core.document.setup import Setup
from brucke.core.edits.route_edits import set_delay
from brucke.ui.kit.button import Button
from brucke.words import films
from brucke.words.explanations import route_reason

from .conftest import new_window, press


def test_a_button_that_delays_says_what_it_adds_to_what_there_is(window):
    """“2.7 ms early” stood over *Delay 5.3 ms*."""
    w = window
    w.go_to("align")
    for already_ms in (0.0, 4.0):
        w.session.edit("some", set_delay(w.session.setup, "harp", "recorder", already_ms), "align")
        w.align.choose_listener("recorder")
        w.align.choose_part("harp")
        early = float(re.match(r"([\d.]+) ms early", w.align.side.verdict.headline.text())[1])
        said = w.align.side.verdict.one.text()
        assert said == f"Delay {early:.1f} ms" + (" more" if already_ms else "")
        press(w.align.side.verdict.one)
        assert w.session.setup.route("harp", "recorder").delay_ms > early + already_ms - 0.1
        w.do("undo")


def test_no_part_waits_for_a_picture_of_which_nothing_is_known(window):
    """“The picture is the slowest here” beside *unknown*."""
    setup, t = window.session.setup, window.session.timing.of("shore_stream")
    assert t.route("picture").unknown
    assert "picture" not in route_reason(setup, t, t.route("harp"))


def test_what_nobody_notices_is_not_called_outside_anything():
    for ms in range(-400, 401, 5):
        said = films.standing_text(ms / 1e3)
        assert not ("nobody notices" in said and "outside" in said), said


def test_a_stream_is_no_call_and_every_button_is_called_what_it_says(app, data_home, monkeypatch):
    monkeypatch.setattr(Desktop, "there", property(lambda _self: True, lambda *_a: None), raising=False)
    w = new_window(data_home, monkeypatch)
    w.gather.start.offer_here(True)
    press(w.gather.start.where.buttons["here"])
    w.gather.start.templates["stream"].click()
    assert w.gather.ends.call.title.text() == "Stream"
    w.gather.start.here = False
    for page in ("ends", "here", "parts"):
        w.gather.show_page(page)
        for place in w.places:
            w.go_to(place)
            QApplication.processEvents()
            for button in w.findChildren(Button):
                name = button.accessibleName()
                if button.isVisible() and name:
                    assert button.text() in name or button is w.deck.menu, (place, name, button.text())
    w.session.replace(Setup())
    w.close()
