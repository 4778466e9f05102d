"""A real sound server's device in the window: found, used, measured, lost, and joined again."""

import pytest

from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.ports.devices.kind import DeviceError
from brucke.ui.shell.app import _use_card

from ..sound_server import CARD
from .conftest import measure, press, wait


def test_a_real_card_plays_measures_vanishes_and_rejoins(window, sound_server):
    w = window
    with pytest.raises(DeviceError, match="Moon: the sound card: not there"):
        _use_card(w.session, "Moon")
    _use_card(w.session, CARD)
    w.running.start(play=True)
    wait(lambda: w.running.state == "running" and not w.session.facts.missing, 60)
    wait(lambda: "table:in" in w.session.facts.reported_s, 10)
    stage = next(
        s
        for s in w.session.timing.of("recorder").route("voice").stages
        if s.evidence == "calculated" and s.latency.value
    )
    assert stage.latency.value > 0.001, "what the card reports is a calculated stage until it is measured"
    w.measuring.cable, w.measuring.repeats = True, 2
    measure(w)
    found = w.session.knowledge.newest(ROUND_TRIP.key(w.session.setup.device("table").id))
    assert 0.005 < found.value_s < 0.4
    assert w.session.timing.of("recorder").route("voice").measured
    sound_server.stop()
    wait(lambda: "table" in w.session.facts.missing, 20)
    assert "Table interface is not there." in w.notice.words.text()
    wait(lambda: w.running.state == "running", 20)
    at = w.running.track[0]
    wait(lambda: w.running.track[0] != at, 5)  # the rest goes on
    sound_server.start()
    wait(lambda: not w.session.facts.missing, 40)
    assert w.session.timing.of("recorder").route("voice").as_of, "its clock started anew: as measured before"
    measure(w)
    assert w.session.timing.of("recorder").route("voice").measured


def test_cards_are_looked_for_without_stopping_the_window(window, sound_server):
    w = window
    w.do("gather")
    w.gather.choose("device/table")
    card = w.gather.device
    press(card.look)
    assert card.look.text() == "Looking…"
    wait(lambda: card.look.text() != "Looking…", 20)
    assert CARD in card.cards.buttons
    press(card.cards.buttons[CARD])
    assert w.session.setup.device("table").card == CARD
    w.do("undo")
    assert w.session.setup.device("table").card == ""
    sound_server.stop()
    w.session.edit("card", w.session.setup, "gather")
    press(card.cards.buttons[CARD])
    w.do("start_stop")
    wait(lambda: w.notice.words.text().startswith("Not started: "), 20)
    assert w.running.state == "stopped"
