"""The timing model: origins, arrivals, align, verdicts, ±. Numbers here are worked by hand from the design's
formulas."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.aligning.align import align, timing
from brucke.core.checks.soundcheck import soundcheck
from brucke.core.document.setup import Device, EnteredStage, Listener, Moment, Part, Route, Setup
from brucke.core.edits.route_edits import change_device, set_delay, set_gain, set_on
from brucke.core.knowledge.evidence import (
    Facts,
    Knowledge,
    Measurement,
    Spoil,
)
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.timing.delays import delay_frames
from brucke.core.timing.paths import Situation
from brucke.core.timing.uncertain import Uncertain
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan
from brucke.words import timing as words

from ..evidence import picture_at

MS = 1e-3
CARD = Device(id="card", name="Card", kind="interface", buffer_frames=96, buffers=2)  # 4 ms each way
PLAYER = Device(id="player", name="Player", kind="player", buffer_frames=480, buffers=1)  # 10 ms
OUT = Device(id="out", name="Out", kind="stream", buffer_frames=240, buffers=1)  # 5 ms
HARP = Part(id="harp", name="Harp", kind="lead", device="player", channels=(0, 1))
VOICE = Part(id="voice", name="Voice", kind="follower", device="card", channels=(0,), follows="harp", hears_at="phones")
PHONES = Listener(id="phones", name="Phones", kind="monitor", device="card")
STREAM = Listener(id="stream", name="Stream", kind="stream", device="out")


def small(*more_parts, voice=VOICE, parts=None, routes=(), listeners=(PHONES, STREAM), devices=()):
    parts = parts or (HARP, voice, *more_parts)
    plain = tuple(Route(part=p.id, listener=x.id) for p in parts for x in listeners)
    given = {(r.part, r.listener): r for r in routes}
    return Setup(
        devices=(CARD, PLAYER, OUT, *devices), parts=parts, listeners=listeners,
        routes=tuple(given.get((r.part, r.listener), r) for r in plain),
    )  # fmt: skip


def measured_round_trip(setup, ms, pm=0.001):
    device = setup.device("card")
    m = Measurement(
        key="round_trip:card", value_s=ms * MS, plus_minus_s=pm * MS, date="2026-11-24T19:00", method="sweeps",
        repeats=4,
        agreeing=4, fingerprint=ROUND_TRIP.fingerprint(setup, device.id),
    )  # fmt: skip
    return Knowledge(measurements=(m,))


def test_what_a_large_plus_minus_cannot_tell_is_not_simply_in_step():
    entered = EnteredStage(name="box", latency_ms=20, plus_minus_ms=15)
    setup = small(routes=(Route(part="voice", listener="stream", stages=(entered,)),))
    knowledge = measured_round_trip(setup, 9)
    known = Situation(align(Situation(setup, knowledge)), knowledge)
    verdict = timing(known).of("stream").verdict
    assert (verdict.code, verdict.sure, verdict.wide) == ("in_step", False, True)
    assert words.verdict_text(known.setup, verdict) == "in step, as far as ± 15 ms can tell"


def off(setup, listener, part, knowledge=None, facts=None):
    return timing(Situation(setup, knowledge or Knowledge(), facts or Facts())).of(listener).route(part).off


def arrival_ms(setup, listener, part, knowledge=None):
    return timing(Situation(setup, knowledge or Knowledge())).of(listener).route(part).arrival.value / MS


def test_a_follower_is_late_by_exactly_one_round_trip():
    setup = small()
    assert arrival_ms(setup, "stream", "harp") == pytest.approx(10 + 5)
    assert arrival_ms(setup, "stream", "voice") == pytest.approx((10 + 4) + 4 + 5)
    knowledge = measured_round_trip(setup, 9.5)
    late = arrival_ms(setup, "stream", "voice", knowledge) - arrival_ms(setup, "stream", "harp", knowledge)
    assert late == pytest.approx(9.5)


def test_a_silent_instrument_is_not_given_the_round_trip_twice():
    """α = 1: it places the heard sound on the beat, so its sound is made one own-sound delay early."""
    silent = replace(VOICE, hears_itself="monitor")
    setup = small(voice=silent)
    knowledge = measured_round_trip(setup, 9.5)
    # Against the lead: RT + proc − α·own, and own is the round trip itself.
    assert arrival_ms(setup, "stream", "voice", knowledge) == pytest.approx(
        arrival_ms(setup, "stream", "harp", knowledge)
    )
    unheard = set_on(setup, "voice", "phones", False)
    found = timing(Situation(unheard))
    assert [f.code for f in found.findings] == ["does_not_hear_itself"]
    assert found.of("stream").route("voice") is None
    assert found.of("stream").problem("voice").code == "does_not_hear_itself"


def test_an_entered_stage_in_the_chain_counts_for_the_follower_only():
    setup = small(voice=replace(VOICE, stages=(EnteredStage(name="pedal", latency_ms=3),)))
    knowledge = measured_round_trip(setup, 9.5)
    late = arrival_ms(setup, "stream", "voice", knowledge) - arrival_ms(setup, "stream", "harp", knowledge)
    assert late == pytest.approx(12.5)


def test_two_leads_with_one_timebase_are_one_group_even_in_the_monitor():
    near, far = replace(HARP, timebase="bars"), Part(
        id="drum", name="Drum", kind="lead", device="slow", channels=(0,), timebase="bars"
    )  # fmt: skip
    slow = Device(id="slow", name="Slow", kind="player", buffer_frames=960, buffers=1)  # 20 ms
    setup = small(parts=(near, VOICE, far), devices=(slow,))
    after = align(Situation(setup))
    assert after.route("harp", "phones").delay_ms == pytest.approx(10.0)
    assert after.route("voice", "phones").delay_ms == 0.0
    assert arrival_ms(after, "stream", "harp") == pytest.approx(arrival_ms(after, "stream", "drum"))
    # The follower hears the delayed harp, so its origin moved with the monitor's delay.
    assert arrival_ms(after, "stream", "voice") == pytest.approx(arrival_ms(after, "stream", "harp"), abs=0.02)


def test_leads_without_a_shared_timebase_are_not_aligned_with_each_other():
    slow = Device(id="slow", name="Slow", kind="player", buffer_frames=960, buffers=1)
    other = Part(id="drum", name="Drum", kind="lead", device="slow", channels=(0,))
    setup = small(parts=(HARP, other), devices=(slow,))
    after = align(Situation(setup))
    assert all(r.delay_ms == 0 for r in after.routes)


def test_a_lead_missing_from_the_monitor_is_a_finding_and_that_group_stays_as_it_is():
    setup = set_delay(set_on(small(), "harp", "phones", False), "harp", "stream", 7.0)
    found = timing(Situation(setup))
    assert [(f.code, f.part, f.listener) for f in found.findings] == [("lead_not_heard", "voice", "phones")]
    assert words.finding_text(setup, found.findings[0]).startswith(
        "Voice follows the harp, but Phones does not carry it."
    )
    for listener in ("stream", "phones"):
        t = found.of(listener)
        assert [(u.part, u.code) for u in t.unjudged] == [("voice", "cannot_be_judged")], "routed, so it is not dropped"
        assert words.verdict_text(setup, t.verdict) == "voice cannot be judged"
        assert words.needs_you(t.verdict)
    assert {r.check: r.state for r in soundcheck(Situation(setup))}["in_step"] != "good"


def test_a_delay_beyond_two_seconds_is_not_judged_and_reaches_the_soundcheck():
    slow = replace(VOICE, stages=(EnteredStage(name="far box", latency_ms=2400),))
    known = Situation(align(Situation(small(voice=slow))))
    t = timing(known).of("stream")
    assert (t.route("harp").code, t.verdict.code) == ("cannot_be_judged", "not_aligned")
    found = [f for r in soundcheck(known) for f in r.findings if f.code == "delay_too_long"]
    assert ("harp", "stream") in {(f.part, f.listener) for f in found}
    assert not {r.check: r.good for r in soundcheck(known)}["in_step"]


def test_a_circle_that_is_routed_nowhere_disturbs_nobody():
    a = Part(id="a", name="A", kind="follower", device="card", channels=(0,), follows="b", hears_at="room")
    setup = small(parts=(HARP, VOICE, a, replace(a, id="b", name="B", follows="a")))
    off_ = [Route(part=p, listener=x, on=False) for p in "ab" for x in ("phones", "stream")]
    setup = replace(setup, routes=tuple({(r.part, r.listener): r for r in (*setup.routes, *off_)}.values()))
    found = timing(Situation(align(Situation(setup))))
    assert found.findings == ()
    assert found.of("stream").verdict.code == "in_step"


def test_one_delay_for_origins_arrivals_and_the_plan():
    """Least delay in the monitor moves the origin of who hears there; a raw millisecond value would not."""
    moments = (Moment(id="talk", name="Talk", policy={"phones": "least_delay"}),)
    setup = replace(set_delay(small(), "harp", "phones", 20.0), moments=moments)
    plain, least = (timing(Situation(setup, moment=m)).of("stream").route("voice").origin.value for m in ("", "talk"))
    assert plain - least == pytest.approx(0.020, abs=1e-9)
    outside = replace(setup.route("voice", "stream"), way="outside", delay_ms=30.0)
    assert delay_frames(setup, outside, None) == 0
    assert timing(Situation(small(routes=(outside,)))).of("stream").route("voice").delay_frames == 0
    odd = set_delay(small(), "harp", "stream", 1.234567)
    frames = delay_frames(odd, odd.route("harp", "stream"), None)
    assert (
        compile_plan(odd, Live()).delay[1, 0]
        == frames
        == timing(Situation(odd)).of("stream").route("harp").delay_frames
    )


def test_a_ring_of_followers_is_a_finding_with_its_way():
    a = Part(id="a", name="A", kind="follower", device="card", channels=(0,), follows="b", hears_at="room")
    b = replace(a, id="b", name="B", follows="a")
    found = timing(Situation(small(parts=(HARP, a, b))))
    assert {f.code for f in found.findings} == {"cycle"}
    assert "A → B → A" in words.finding_text(small(parts=(HARP, a, b)), found.findings[0])


def test_a_part_that_hears_the_lead_in_the_room_waits_for_the_air():
    setup = small(voice=replace(VOICE, hears_at="room", distance_m=3.432))
    assert arrival_ms(setup, "stream", "voice") == pytest.approx(10 + 4 + 5, abs=0.01)


def test_a_muted_slow_part_still_holds_the_target():
    slow = Device(id="slow", name="Slow", kind="player", buffer_frames=4800, buffers=1)  # 100 ms
    drum = Part(id="drum", name="Drum", kind="lead", device="slow", channels=(0,), timebase="bars")
    setup = small(parts=(replace(HARP, timebase="bars"), VOICE, drum), devices=(slow,))
    target = timing(Situation(setup)).of("stream").target.value
    quiet = set_gain(setup, "drum", "stream", -120)
    assert timing(Situation(quiet)).of("stream").target.value == target == pytest.approx(0.105)
    assert timing(Situation(set_on(setup, "drum", "stream", False))).of("stream").target.value < target


def test_align_anchors_on_the_lead_and_leaves_every_pair_within_one_frame():
    setup = small()
    knowledge = measured_round_trip(setup, 9.5077)
    after = align(Situation(setup, knowledge))
    voice = off(after, "stream", "voice", knowledge)
    assert off(after, "stream", "harp", knowledge).value == pytest.approx(0, abs=1e-12)
    assert abs(voice.value) <= 0.5 / 48000 + 1e-9
    assert after.route("voice", "stream").delay_ms <= 1 / 48
    assert after.route("voice", "phones").delay_ms == 0.0


def test_the_extra_a_user_asks_for_moves_everyone():
    setup = small(listeners=(PHONES, replace(STREAM, extra_ms=20)))
    after = align(Situation(setup))
    assert after.route("voice", "stream").delay_ms == pytest.approx(20, abs=0.02)
    assert timing(Situation(after)).of("stream").verdict.code == "in_step"


def test_a_route_outside_counts_but_is_not_delayed():
    direct = Route(part="voice", listener="phones", way="outside", stages=(EnteredStage(name="direct", latency_ms=1),))
    setup = small(routes=(direct,))
    timed = timing(Situation(setup)).of("phones")
    assert timed.verdict.code == "own_sound"
    assert timed.verdict.off_s == pytest.approx(1 * MS)
    assert align(Situation(setup)).route("voice", "phones").delay_ms == 0


def with_picture(setup_kwargs, picture_ms):
    camera = Device(id="cam", name="Cam", kind="camera", pictures_per_s=25)
    picture = Part(id="picture", name="Picture", kind="picture", device="cam", shows="voice")
    setup = small(picture, devices=(camera,), **setup_kwargs)
    return setup, Knowledge(measurements=(picture_at(setup, "stream", picture_ms),))


def test_a_slow_picture_holds_the_sound_back():
    setup, knowledge = with_picture({}, 80)
    after = align(Situation(setup, knowledge))
    timed = timing(Situation(after, knowledge)).of("stream")
    assert timed.hand_off_s == pytest.approx(0, abs=1 / 48000)
    assert after.route("harp", "stream").delay_ms == pytest.approx((14 + 80) - 15, abs=0.03)
    assert after.route("picture", "stream").delay_ms == 0
    assert timed.verdict.code == "in_step"


def test_a_picture_that_is_first_is_handed_to_the_other_program():
    """Sound cannot be hurried: what remains is the hand-off value, and the verdict asks for it."""
    chain = replace(VOICE, stages=(EnteredStage(name="slow chain", latency_ms=200),))
    setup, knowledge = with_picture({"voice": chain}, 60)
    after = align(Situation(setup, knowledge))
    timed = timing(Situation(after, knowledge)).of("stream")
    latest = 14 + 4 + 200 + 5
    assert timed.hand_off_s / MS == pytest.approx(latest - (14 + 60), abs=0.03)
    assert (timed.verdict.code, timed.verdict.part) == ("picture_first", "picture")
    assert words.needs_you(timed.verdict)
    assert words.hand_off_text(timed)[0] == f"+{latest - 74:.0f} ms"


def test_sounds_that_are_together_may_be_half_a_picture_period_from_the_picture():
    setup, knowledge = with_picture({}, 80)
    after = align(Situation(setup, knowledge))
    moved = replace(knowledge.measurements[0], value_s=0.095, date="2026-11-24T20:00")
    assert timing(Situation(after, knowledge.with_measurement(moved))).of("stream").verdict.code == "in_step"
    further = replace(moved, value_s=0.105, date="2026-11-24T21:00")
    assert timing(Situation(after, knowledge.with_measurement(further))).of("stream").verdict.code == "early"


def call_setup():
    call = Device(id="call", name="Call", kind="call", buffer_frames=480, buffers=1)
    far = Part(id="far", name="Far", kind="far_end", device="call", channels=(0,), returns_from="lounge")
    lounge = Listener(id="lounge", name="Lounge", kind="call", device="call")
    routes = (Route(part="far", listener="lounge", on=False),)
    return small(far, listeners=(PHONES, STREAM, lounge), devices=(call,), routes=routes)


def test_the_far_end_arrives_a_round_trip_of_the_network_late_and_is_never_aligned_live():
    setup = call_setup()
    facts = Facts(reported_s={"call:out": 0.19, "call:in": 0.17})
    timed = timing(Situation(setup, facts=facts))
    lead_there = 10 + 10 + 190
    assert timed.of("phones").route("far").arrival.value / MS == pytest.approx(lead_there + 170 + 10 + 4)
    after = align(Situation(setup, facts=facts))
    assert after.route("far", "stream").delay_ms == 0
    # With the call's solved delay the answer comes that much later.
    later = timing(Situation(after, facts=facts)).of("phones").route("far").arrival.value / MS
    assert later == pytest.approx(lead_there + 170 + 10 + 4 + after.route("harp", "lounge").delay_ms)


def test_least_delay_in_a_moment_says_what_is_left_and_asks_for_nothing():
    setup = replace(
        align(Situation(call_setup())), moments=(Moment(id="talk", name="Talk", policy={"lounge": "least_delay"}),)
    )
    timed = timing(Situation(setup, moment="talk")).of("lounge")
    assert all(r.delay_frames == 0 for r in timed.routes)
    assert timed.verdict.code in ("early", "late")
    assert not words.needs_you(timed.verdict)


def test_more_than_two_seconds_of_delay_is_a_finding_not_a_delay():
    slow = Device(id="slow", name="Slow", kind="player", buffer_frames=60000, buffers=2)  # 2.5 s
    drum = Part(id="drum", name="Drum", kind="lead", device="slow", channels=(0,), timebase="bars")
    setup = small(parts=(replace(HARP, timebase="bars"), drum), devices=(slow,), listeners=(STREAM,))
    timed = timing(Situation(setup)).of("stream")
    assert timed.verdict.code == "not_aligned"
    assert [f.code for f in timed.findings] == ["delay_too_long"]
    assert align(Situation(setup)) == setup


def test_plus_minus_is_that_of_the_difference():
    """The voice sets the target, so the harp's ± is that of the round trip between them: the shared output stage
    cancels, and the unknown split of a round trip vanishes from every round trip."""
    setup = small()
    knowledge = measured_round_trip(setup, 10.5, pm=0.02)
    assert off(setup, "stream", "harp", knowledge).plus_minus / MS == pytest.approx(0.02)
    assert off(setup, "stream", "voice", knowledge).plus_minus == 0
    calculated = off(setup, "stream", "harp").plus_minus / MS
    assert calculated == pytest.approx(2**0.5)  # two unmeasured converters of ± 1 ms
    facts = Facts(reported_s={"out:out": 0.5})
    assert off(setup, "stream", "harp", knowledge, facts).plus_minus / MS == pytest.approx(0.02)
    pictured, known = with_picture({}, 80)
    assert off(pictured, "stream", "voice", known).plus_minus / MS > 4, "a target set by a picture is as unsure as that"


def test_evidence_is_stale_when_its_ground_changes_and_good_again_when_it_changes_back():
    setup = small()
    knowledge = measured_round_trip(setup, 9.5)
    changed = change_device(setup, "card", buffer_frames=192)
    assert off(setup, "stream", "voice", knowledge).value == pytest.approx(
        off(setup, "stream", "harp", knowledge).value + 9.5 * MS
    )
    stages = timing(Situation(changed, knowledge)).of("stream").route("voice").stages
    assert {s.evidence for s in stages} == {"calculated"}
    again = change_device(changed, "card", buffer_frames=96)
    assert timing(Situation(again, knowledge)).of("stream").route("voice").measured
    # Restarted: it still counts, and is never called simply measured. A clock set back changes nothing of that.
    after = align(Situation(again, knowledge))
    for date in ("2026-11-24T20:00", "2026-11-24T08:00"):
        spoiled = knowledge.with_spoil(Spoil(key="round_trip:card", date=date, reason="engine restarted"))
        found = timing(Situation(after, spoiled)).of("stream")
        assert {s.evidence for s in found.route("voice").stages if s.code == "capture"} == {"unconfirmed"}
        assert words.verdict_text(after, found.verdict) == "in step, as measured on 24 Nov"
        good = spoiled.with_confirmation(spoiled.newest("round_trip:card"), "2026-11-24T07:00")
        assert words.verdict_text(after, timing(Situation(after, good)).of("stream").verdict) == "in step"


def test_a_verdict_that_rests_on_calculation_says_so():
    setup = align(Situation(small()))
    assert words.verdict_text(setup, timing(Situation(setup)).of("stream").verdict) == "should be together, not tested"
    knowledge = measured_round_trip(setup, 8.0)
    assert words.verdict_text(setup, timing(Situation(setup, knowledge)).of("stream").verdict) == "in step"


def test_a_picture_nobody_measured_is_never_in_step():
    setup, knowledge = with_picture({}, 80)
    both = measured_round_trip(setup, 8.0).with_measurement(knowledge.measurements[0])
    for known, said in ((both, "in step"), (measured_round_trip(setup, 8.0), "sounds in step, picture unknown")):
        after = align(Situation(setup, known))
        assert words.verdict_text(after, timing(Situation(after, known)).of("stream").verdict) == said


def test_quantities_add_and_cancel_by_name():
    a, b = Uncertain(1.0, {"x": 0.3, "y": 0.4}), Uncertain(0.25, {"x": 0.3})
    assert (a - b).value == 0.75
    assert (a - b).plus_minus == pytest.approx(0.4)
    assert (a + b).plus_minus == pytest.approx((0.6**2 + 0.4**2) ** 0.5)


latencies = st.floats(0, 300, allow_nan=False)


@settings(max_examples=60)
@given(round_trip=st.floats(8.0, 60), stages=st.lists(latencies, min_size=1, max_size=6))
def test_after_align_every_pair_of_sounds_is_within_one_frame_and_nothing_is_hurried(round_trip, stages):
    followers = tuple(
        replace(VOICE, id=f"f{i}", name=f"F{i}", channels=(i,), stages=(EnteredStage(name="own", latency_ms=x),))
        for i, x in enumerate(stages)
    )
    setup = small(parts=(HARP, *followers))
    knowledge = measured_round_trip(setup, round_trip)
    after = align(Situation(setup, knowledge))
    timed = timing(Situation(after, knowledge)).of("stream")
    arrivals = [r.arrival.value for r in timed.routes]
    assert max(arrivals) - min(arrivals) <= 1 / 48000 + 1e-9
    assert all(r.delay_frames >= 0 for r in timed.routes)
    assert min(r.delay_frames for r in timed.routes) <= 1, "the slowest waits for nobody"
    assert align(Situation(after, knowledge)) == after, "aligning twice changes nothing"
