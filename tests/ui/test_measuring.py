"""Measuring in the real window: what is kept, what is refused, what wants confirming."""

import os
import signal

from msgspec.structs import replace
from PyQt6.QtCore import Qt

from brucke.core.knowledge.quantities import ROUND_TRIP

from .conftest import key, measure, press, wait


def measured(window):
    return window.session.knowledge.newest(ROUND_TRIP.key(window.session.setup.device("table").id))


def test_undo_after_measuring_keeps_the_evidence_and_goes_where_the_edit_was(live):
    w = live
    w.align.choose_listener("recorder")
    w.align.everyone()
    measure(w)
    kept = measured(w)
    w.go_to("review")
    w.do("undo")
    assert measured(w) is kept
    assert w.session.setup.route("harp", "recorder").delay_ms == 0
    assert w.place == "align"
    assert w.align.listener == "recorder"
    assert "everyone in step at Recorder" in w.notice.words.text()
    w.do("redo")
    assert w.session.setup.route("harp", "recorder").delay_ms > 10


def test_a_measurement_that_fails_says_what_to_check_and_can_be_cancelled(live):
    w = live
    press(w.align.side.evidence.how)
    press(w.align.side.evidence.cable)  # nobody holds the headphone to the microphone
    w.measuring.begin()
    wait(lambda: not w.measuring.busy, 30)
    assert w.measuring.message.startswith("Not measured: ")
    assert "cable" in w.measuring.message
    assert w.align.side.evidence.note.text() == w.measuring.message
    assert measured(w) is None
    w.measuring.begin()
    wait(lambda: w.measuring.state == "sounding", 10)
    key(w, Qt.Key.Key_Escape)
    assert w.measuring.state == "idle"
    wait(lambda: w.running.link.measure_state[0] == "", 5)


def test_on_air_measuring_is_refused_and_undo_reaches_only_what_came_since(live):
    w = live
    w.align.choose_listener("recorder")
    w.align.everyone()
    w.do("on_air")
    assert w.deck.facts.live.startswith("They hear you 0:0")
    w.measuring.begin()
    assert "they hear you" in w.measuring.message
    link = w.running.link
    link.measure(0, 2, "sweep", -30, 2)
    wait(lambda: link.measure_state[0] == "refused", 5)
    w.do("undo")
    assert w.session.setup.route("harp", "recorder").delay_ms > 10
    w.align.choose_part("harp")
    w.align.nudge(5.0)
    w.do("undo")
    w.do("undo")
    assert w.session.setup.route("harp", "recorder").delay_ms > 10
    w.do("on_air")
    assert not w.session.live.on_air


def test_blocks_that_are_lost_in_the_middle_of_measuring_begin_it_anew(live):
    """The stand-ins stand still for half of the sound: more repeats are lost than heard."""
    w = live
    w.measuring.begin()
    wait(lambda: w.measuring.state == "sounding" and w.measuring.share > 0.15, 20)
    world = w.running.link.world.process.pid
    os.kill(world, signal.SIGSTOP)
    wait(lambda: w.measuring.share > 0.8, 20)
    os.kill(world, signal.SIGCONT)
    wait(lambda: w.measuring.anew > 0 or not w.measuring.busy, 20)
    assert w.measuring.anew == 1
    assert "Sound was lost in the middle" in w.align.side.evidence.note.text()
    wait(lambda: not w.measuring.busy, 30)
    assert not w.measuring.failed, w.measuring.message
    assert measured(w).agreeing == measured(w).repeats


def test_what_was_measured_is_confirmed_after_a_restart_or_says_what_changed(live, monkeypatch):
    from brucke.app.engine import live_engine as module

    w = live
    measure(w)
    assert w.session.timing.of("recorder").route("voice").measured
    slept = module.slept_s()
    monkeypatch.setattr(module, "slept_s", lambda: slept + 600.0)
    wait(lambda: "slept" in w.notice.words.text(), 5)
    card = w.align.side.evidence
    assert "test it again" in card.when.text()
    assert card.confirm.isVisible()
    old = measured(w)
    for _ in range(6):  # again, where a busy machine lost blocks in the middle
        press(card.confirm)
        wait(lambda: not w.measuring.busy, 60)
        if not w.measuring.failed:
            break
    assert w.measuring.message.startswith("Still so"), w.measuring.message
    assert measured(w).value_s == old.value_s
    # A round trip that is no longer so: said with by how much, and nothing is confirmed.
    moved = replace(measured(w), value_s=old.value_s - 0.0007)
    w.session.learn(w.session.knowledge.with_measurement(moved).doubted([moved.key], moved.date, "test"))
    for _ in range(6):
        w.do("confirm")
        wait(lambda: not w.measuring.busy, 60)
        if "Not so any more" in w.measuring.message:
            break
    assert "0.70 ms longer" in w.measuring.message
    assert w.measuring.unconfirmed is None
    assert w.session.situation.measured(ROUND_TRIP, "table") is None, "it counts no longer"
    assert not w.session.timing.of("recorder").route("voice").measured
    assert (
        "Counts no longer" in w.align.side.evidence.note.text()
        or "Not so any more" in w.align.side.evidence.note.text()
    )
