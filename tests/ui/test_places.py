"""Deck, strip, Align and Review show what is so, and lead to what is next."""

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from brucke.app.recording.take_folders import takes_folder
from brucke.core.aligning.align import align
from brucke.core.edits.route_edits import set_delay
from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.timing.take_verdict import ListenerProof, PartLeft, PictureLeft
from brucke.demo import SETUP
from brucke.takes.take import Take, save_take
from brucke.ui.places.review.model import review_data, table_rows
from brucke.ui.shell.actions import ACTIONS
from brucke.ui.shell.place_stack import PlaceStack
from brucke.words import timing

from ..evidence import picture_at
from .conftest import new_window, wait


def left(median, error=0.5, windows=9):
    return PartLeft(median_ms=median, error_ms=error, scatter_ms=5.0, windows=windows)


def take_of(setup, late, picture=0.0, minute=42):
    proof = {
        "lounge_call": ListenerProof(left={"harp": left(0, 0, 0), "voice": left(late), "cello": left(late / 2)}),
        "shore_stream": ListenerProof(
            left={"harp": left(0, 0, 0), "voice": left(late)},
            picture=PictureLeft(
                part="picture", left_ms=picture, against_sound_ms=0, plus_minus_ms=4, claps=8, period_ms=33.3
            ),
        ),
        "recorder": ListenerProof(reason="too_short"),
    }
    return Take(date=f"2026-11-24T19:{minute}:00+00:00", setup=setup, proof=proof)


def measured_knowledge(session):
    setup = session.setup
    m = Measurement(
        key="round_trip:table", value_s=0.0119, plus_minus_s=1e-6, date="2026-11-24T19:00", method="sweeps", repeats=4,
        agreeing=4, fingerprint=ROUND_TRIP.fingerprint(setup, setup.device("table").id),
        proof=(0.0, 0.2, 1.0, 0.2, 0.0),
    )  # fmt: skip
    return session.knowledge.with_measurement(m)


def test_places_are_made_when_asked_for_and_the_others_by_themselves(app, qtbot, data_home, monkeypatch):
    monkeypatch.setattr(PlaceStack, "make_all", lambda _self: None)
    w = new_window(data_home, monkeypatch, SETUP)
    try:
        assert list(w.places.made) == ["align"]
        assert w.deck.spans["share"].state == ""
        w.do("gather")
        assert w.place == "gather"
        assert w.deck.spans["gather"].state
        first = [p.id for p in w.session.setup.parts]
        w.gather.choose(f"part/{first[0]}")
        assert w.gather.part == first[0]
        wait(lambda: len(w.places.made) == len(list(w.places)), 5)
        assert all(span.state for span in w.deck.spans.values())
        w.share.in_align.emit("shore_stream", "harp")
        assert (w.place, w.align.listener) == ("align", "shore_stream"), "one made later is heard like the first"
    finally:
        w.close()


def test_the_deck_is_the_to_do_list(window):
    w = window
    acts = w.deck.acts
    assert [a.due for a in acts] == [True, False, False]
    assert w.deck.spans["align"].tone == "coral"
    assert w.deck.spans["review"].state == "no recording yet"
    assert w.deck.facts.state == "Stopped"
    w.deck_state.heard_music = True
    w.refresh()
    assert [a.due for a in acts] == [False, True, False]
    w.session.learn(measured_knowledge(w.session))
    assert [a.done for a in acts] == [True, True, False]
    w.do("everywhere")
    assert w.deck.spans["align"].state == "picture unknown", "nobody has measured the picture yet"
    assert acts[2].due, "compared only when a take has proved it"
    assert "2: next" not in acts[2].accessibleName()
    assert acts[2].accessibleName() == "In step, compare: next"


def test_the_first_thing_shown_is_what_is_wrong_and_a_stream_before_a_call(window):
    w = window
    assert w.align.listener == "shore_stream"
    assert w.align.part == "harp"
    assert w.align.side.title.text() == "Harp"
    assert w.align.side.to.text() == "to Shore stream"
    assert w.strip.cards["shore_stream"].isChecked()


def test_choosing_anywhere_shows_it_everywhere(window):
    w = window
    w.align.chips["recorder"].click()
    assert w.strip.cards["recorder"].isChecked()
    assert not w.strip.cards["shore_stream"].isChecked()
    w.strip.cards["headphones"].click()
    assert w.align.chips["headphones"].isChecked()
    w.do("next_listener")
    assert w.align.listener == "lounge_call"
    assert w.strip.cards["lounge_call"].isChecked()


def test_the_verdict_card_offers_only_what_can_be_done(window):
    w, card = window, window.align.side.verdict
    assert card.one.isVisible()
    assert card.one.text() == "Delay 10.7 ms"
    w.align.choose_part("picture")
    assert not card.one.isVisible(), "the picture is not ours to delay"
    w.align.choose_part("lounge")
    assert "on the way" in card.headline.text()
    assert not card.one.isVisible()
    w.align.choose_listener("headphones")
    w.align.choose_part("voice")
    assert card.headline.text() == "own sound"
    assert not card.one.isVisible()
    assert not card.all.isVisible()
    w.align.choose_listener("shore_stream")
    w.align.everyone()
    assert not card.one.isVisible()
    assert not card.all.isVisible(), "nothing is left to do"
    w.align.delay_one()
    assert w.session.undo_stack.count() == 1, "what changes nothing is no step"


def test_a_picture_that_is_first_is_told_to_the_other_program(window):
    w = window
    slow = tuple(replace(d, buffer_frames=8192) if d.id == "shore_stream" else d for d in w.session.setup.devices)
    w.session.edit("slower", replace(w.session.setup, devices=slow), "align")
    w.do("everywhere")
    assert w.align.side.hand_off.value.text() == "not known"
    assert w.strip.cards["shore_stream"].verdict == "sounds in step, picture unknown"
    w.session.learn(w.session.knowledge.with_measurement(picture_at(w.session.setup, "shore_stream", 45)))
    w.do("everywhere")
    side = w.align.side
    assert side.hand_off.value.text().startswith("+")
    assert side.hand_off.value.text() != "+0 ms"
    assert w.strip.cards["shore_stream"].verdict.startswith("picture first by")
    w.align.choose_part("picture")
    assert "cannot be hurried" in side.verdict.reason.text()
    w.align.choose_listener("recorder")
    assert not side.hand_off.isVisible(), "only where there is a picture"


def test_evidence_is_shown_with_its_proof_and_marked_when_it_no_longer_counts(window):
    w, card = window, window.align.side.evidence
    assert "Nothing measured yet" in card.found.text()
    assert not card.curve.isVisible()
    w.session.learn(measured_knowledge(w.session))
    assert card.found.text() == "Round trip, 4 of 4 sweeps agree within 0.01 ms"
    assert card.curve.isVisible()
    assert card.curve.accessibleName() == "Correlation, peak at 11.90 ms"
    devices = tuple(replace(d, buffers=3) if d.id == "table" else d for d in w.session.setup.devices)
    w.session.edit("larger buffers", replace(w.session.setup, devices=devices), "align")
    assert "No longer counts" in card.note.text()
    w.do("undo")
    assert card.note.text() == "", "good again when it changes back"


def test_measuring_without_a_running_engine_says_to_start(window):
    window.do("measure")
    assert window.measuring.message == "Not measured: nothing is running yet. Start first (F5)."
    window.go_to("gather")
    window.do("measure")
    assert window.notice.words.text() == window.measuring.message, "a refusal is said where one is"
    assert not window.measuring.busy
    window.do("record")
    assert "Start first" in window.notice.words.text()
    window.do("on_air")
    assert not window.session.live.on_air
    window.do("compare")
    assert window.place == "review"
    assert not window.playback.heard


def test_on_air_one_key_stops_nothing_and_no_other_setup_is_opened(window):
    w = window
    w.session.set_live(replace(w.session.live, on_air=True))
    w.do("start_stop")
    assert "nothing is stopped by one key" in w.notice.words.text()
    assert w.running.state == "stopped"
    w.do("open")
    assert "no other setup is opened" in w.notice.words.text()
    w.session.set_live(replace(w.session.live, on_air=False))
    w.taking.state = "recording"
    w.do("open")
    assert "You are recording" in w.notice.words.text()
    w.taking.state = "idle"


def test_moments_change_the_policy_and_are_never_undone(window):
    w = window
    w.do("everywhere")
    assert w.session.timing.of("lounge_call").verdict.code == "in_step"
    w.strip.moments["talk"].click()
    talk = w.session.timing.of("lounge_call")
    assert talk.least_delay
    assert talk.verdict.code in ("early", "late")
    assert w.strip.cards["lounge_call"].tone == "water", "least delay was asked for, so nothing is wrong"
    w.do("undo")
    assert w.session.live.moment == "talk"
    w.do("moment")
    assert w.session.live.moment == "sing"


def test_the_strip_folds_and_small_windows_fold_it_by_themselves(window):
    w = window
    tall = w.strip.height()
    w.do("fold")
    wait(lambda: w.strip.height() < tall - 30, 3)
    assert w.strip.fold.text() == "Larger"
    w.do("fold")
    wait(lambda: w.strip.height() == tall, 3)
    w.theme.set(scale=1.75)
    w.resize(1024, 700)
    wait(lambda: w.strip.compact and w.deck.compact, 3)
    assert not w.strip.seek.isVisible()
    w.resize(2560, 1440)
    wait(lambda: not w.strip.compact, 3)
    assert w.strip.seek.isVisible()
    assert w.deck.check.isVisible()


@pytest.fixture
def reviewed(window):
    """Two takes on disk: out of step, then in step."""
    setup = window.session.setup
    home = takes_folder(window.session)
    save_take(home / "a", take_of(setup, 12.0, 68.0, 41))
    save_take(home / "b", take_of(align(window.session.situation), 0.2, -1.0, 45))
    window.taking.find()
    window.go_to("review")
    return window


def test_review_shows_now_against_before(reviewed):
    w = reviewed
    groups = {g.name: g for g in w.review.drawing.data.groups}
    assert set(groups) == {"Lounge call", "Shore stream", "Recorder"}
    voice = groups["Lounge call"].marks[0]
    assert (voice.name, voice.now_ms, voice.before_ms) == ("Voice", 0.2, 12.0)
    assert groups["Lounge call"].text == "in step within 1.4 ms"
    assert groups["Recorder"].text.startswith("too short to measure")
    said = [(a.text(), b.text()) for a, b in w.review.lines]
    assert ("Lounge call", "in step within 1.4 ms") in said
    assert w.review.note.text() == "Measured in the recording, not promised. The players' own scatter is 5 ms."
    assert w.deck.spans["review"].state == "cello not found"


def test_an_older_take_is_chosen_with_nothing_before_it(reviewed):
    w = reviewed
    w.taking.choose(0)
    groups = {g.name: g for g in w.review.drawing.data.groups}
    assert groups["Lounge call"].marks[0].before_ms is None
    assert groups["Lounge call"].text == "voice late 12.0 ms"
    assert not w.review.before.isVisible()
    assert [c.isChecked() for c in w.review.chips] == [True, False]
    assert [c.text().split(" ")[0] for c in w.review.chips] == ["1", "2"]


def test_review_as_a_table_and_back(reviewed):
    w = reviewed
    w.do("table")
    assert w.review.stack.currentWidget() is w.review.table
    rows = w.review.table.rows.rows
    assert ["Lounge call", "Voice", "+0.20 ms", "1.2", "+12.0 ms", "in step"] in rows
    w.do("table")
    assert w.review.stack.currentWidget() is w.review.drawing


def test_listening_back_needs_sound_and_says_so(reviewed):
    w = reviewed
    w.playback.listen("now", "lounge_call")
    assert "nothing is running yet" in w.notice.words.text()
    QTest.keyClick(w, Qt.Key.Key_N)
    assert w.review.listener == "shore_stream"


def test_review_without_a_take():
    data = review_data(None, None)
    assert data.empty.startswith("No recording yet.")
    assert table_rows(data)[1] == []


def test_too_little_to_judge_and_not_found_are_said_and_never_good(nightboat):
    proof = {"recorder": ListenerProof(lead="harp", left={"harp": left(0, 0), "voice": left(85.0, 40.0, windows=2)})}
    data = review_data(Take(date="2026-11-24T19:42:00+00:00", setup=nightboat, proof=proof), None)
    group = next(g for g in data.groups if g.listener == "recorder")
    assert [(m.name, m.text, m.good) for m in group.marks] == [
        ("Voice", "too little to judge", False), ("Cello", "not found", False),
    ]  # fmt: skip
    assert (group.text, group.good) == ("cello not found", False)
    assert ["Recorder", "Voice", "", "", "", "too little to judge"] in table_rows(data)[1]


def test_a_delay_that_is_more_than_needed_is_said(window):
    w = window
    w.session.edit("more", set_delay(w.session.setup, "harp", "recorder", 40), "align")
    w.align.choose_listener("recorder")
    w.align.choose_part("harp")
    assert w.align.side.verdict.reason.text() == "It is delayed by 40.0 ms, more than it needs."
    assert timing.needs_you(w.session.timing.of("recorder").verdict)


def test_every_action_of_the_table_has_a_handler_and_every_handler_an_action(window):
    assert set(window.action_handlers.handlers) == {s.id for s in ACTIONS}
