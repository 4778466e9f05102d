"""The last good hour and the headphones: what is called different, what goes back with one press, what a tone says."""

import pytest
from msgspec.structs import replace

from brucke.core.checks.revert_difference import put_back
from brucke.core.document.differences import differences
from brucke.core.edits.route_edits import set_delay, set_gain
from brucke.core.knowledge.good_hour import GoodHour, changes, ended_well
from brucke.core.knowledge.headphones import ANSWERS, faults
from brucke.words.good_hour import back_text, change_text, since_text
from brucke.words.headphones import result_text
from brucke.words.remote_card import card_text, other_sides


def hour(setup, **given):
    return GoodHour(date="2026-11-24T21:00:00+00:00", minutes=52.0, setup=setup, **given)


def test_every_difference_of_two_setups_goes_back_one_by_one(nightboat):
    then = nightboat
    now = set_gain(set_delay(then, "voice", "lounge_call", 12.0), "harp", "shore_stream", -9.0)
    now = replace(
        now, block_frames=256, listeners=now.listeners[::-1],
        parts=tuple(replace(p, trim_db=3.0) if p.id == "voice" else p for p in now.parts),
        devices=tuple(replace(d, buffer_frames=64) if d.kind == "interface" else d for d in now.devices),
        moments=now.moments[:-1],
    )  # fmt: skip
    found = differences(then, now)
    assert len(found) >= 7
    for d in found:
        now = put_back(now, then, d) or now
    assert differences(then, now) == []
    assert now == then


def test_what_depends_on_something_else_does_not_go_back_by_itself(nightboat):
    then = nightboat
    gone = [r for r in then.routes if r.listener != "shore_stream"]
    now = replace(
        then, listeners=tuple(x for x in then.listeners if x.id != "shore_stream"), routes=tuple(gone),
        parts=tuple(replace(p, hears_at="" if p.hears_at == "shore_stream" else p.hears_at) for p in then.parts),
        moments=(),
    )  # fmt: skip
    found = differences(then, now)
    route = next(d for d in found if d.thing == "route")
    listener = next(d for d in found if d.thing == "listener" and d.field == "")
    assert put_back(now, then, route) is None, "nobody is there for it to lead to"
    back = put_back(now, then, listener)
    assert put_back(back, then, route) is not None


def test_only_what_was_known_then_and_is_now_is_called_different(nightboat):
    then = hour(
        nightboat, equipment={"out/table": "Box", "in/table": "Room"}, frames=128,
        round_trips_s={"round_trip:table": 0.01198}, versions={"brucke": "0.6.0", "system": "6.1"},
    )  # fmt: skip
    now = hour(
        set_delay(nightboat, "voice", "lounge_call", 12.0), equipment={"out/table": "Speakers"}, frames=256,
        round_trips_s={"round_trip:table": 0.0142, "round_trip:other": 1.0}, versions={"brucke": "0.6.0", "server":
        "1"},
    )  # fmt: skip
    found = changes(then, now)
    assert [c.kind for c in found] == ["equipment", "frames", "round_trip", "setup"]
    said = [change_text(then, now.setup, c) for c in found]
    assert said[0].endswith("plays to Speakers; then it was Box.")
    assert said[1] == "This computer gives 256 frames at a time; then it was 128."
    assert said[2].endswith("is 14.20 ms; then it was 11.98 ms.")
    assert "delay 12 ms" in said[3]
    assert [back_text(c) for c in found] == ["Take Box again", "Measure again", "Measure again", "As it was"]
    assert since_text(then, 4) == "4 things are different since the last good hour (24 Nov, 52 min)."
    assert changes(then, replace(then, round_trips_s={"round_trip:table": 0.01199})) == ()


@pytest.mark.parametrize(
    ("minutes", "dropouts", "troubles", "good"),
    [(52, 3, 0, True), (4.9, 0, 0, False), (30, 31, 0, False), (30, 30, 0, True), (60, 0, 1, False)],
)
def test_an_hour_is_good_when_it_was_long_enough_and_nothing_was_lost(minutes, dropouts, troubles, good):
    assert ended_well(minutes, dropouts, troubles) is good


def test_the_headphones_are_good_only_where_left_is_left_and_right_is_right():
    good = [(a, b) for a in ANSWERS for b in ANSWERS if not faults(a, b, False, False, None)]
    assert good == [("left", "right")]
    assert faults("right", "left", False, False, None) == ("reversed",)
    assert faults("nowhere", "nowhere", False, False, None) == ("silent",)
    assert faults("nowhere", "right", False, False, None) == ("left_silent",)
    assert faults("both", "both", True, True, 0.5) == ("one_sound", "loud", "wireless")
    assert faults("left", "right", False, False, 0.061) == ("late",)
    assert "61 ms" in result_text(("late",), 0.061)


def test_the_card_for_the_other_side_says_what_they_will_hear_and_five_things(nightboat):
    (call,) = other_sides(nightboat)
    text = card_text(nightboat, call)
    heard = [p.name for p in nightboat.parts if (r := nightboat.route(p.id, call.id)) and r.on and p.kind != "picture"]
    assert all(name in text for name in heard if name != "Count-in")
    assert [line[:2] for line in text.splitlines() if line[:1].isdigit()] == ["1.", "2.", "3.", "4.", "5."]
    assert nightboat.device(call.device).name in text
    assert "stereo on" in text
    mono = replace(nightboat, listeners=tuple(replace(x, channels=1) for x in nightboat.listeners))
    assert "stereo is not needed" in card_text(mono, other_sides(mono)[0])
