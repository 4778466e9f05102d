"""What two computers say to each other, where their clocks and their sound are, and what a setup becomes by it."""

import json

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.edits.peer_edits import (
    device_of_peer,
    give_to_peer,
    given_keys,
    leave_at_peer,
    offerable,
    take_from_peer,
    taken_keys,
)
from brucke.core.knowledge.evidence import Facts, Matching, Network
from brucke.core.network.clock_offset import ClockOffset, FourTimes
from brucke.core.network.control_messages import EngineClock, FarStage, Offered, Receive, decode, encode
from brucke.core.network.engine_ahead import EngineAhead
from brucke.core.network.frame_map import frame_map
from brucke.core.network.jitter_buffer import FADE, JitterBuffer
from brucke.core.network.set_point import SetPoint
from brucke.core.routing.feedback_loops import loops
from brucke.core.storage.setup_problems import problems
from brucke.core.timing.paths import Situation, path, path_latency
from brucke.core.timing.peer_offer import offer_of

PEER = "0123456789abcdef0123456789abcdef"


def exchanges(rng, seconds, ways_s, jitter_s, drift, offset=1000.0):
    """(exchange, their clock minus ours then) twenty times a second: each way takes its time and up to `jitter_s`."""
    for t in np.arange(0.0, seconds, 0.05):
        there, back = (w + abs(rng.normal(0, jitter_s)) for w in ways_s)
        truth = offset + drift * t
        arrived = t + there
        answered = arrived + 2e-5
        yield FourTimes(t, arrived + truth, answered + truth, answered + back), truth


@pytest.mark.parametrize("ways_s", [(2e-4, 2e-4), (2e-4, 1.2e-3), (18e-3, 22e-3), (30e-3, 5e-3)])
@pytest.mark.parametrize("jitter_s", [2e-5, 1e-3, 5e-3])
@pytest.mark.parametrize("drift", [0.0, 150e-6, -300e-6])
def test_the_plus_minus_holds_the_truth_however_unequal_the_ways_are(rng, ways_s, jitter_s, drift):
    clock, outside, looks = ClockOffset(), 0, 0
    for times, truth in exchanges(rng, 60, ways_s, jitter_s, drift):
        assert not clock.see(times)
        if times.returned < 2:
            continue
        fit, now = clock.fit, times.returned
        looks += 1
        outside += abs(fit.offset_at(now) - truth - drift * (now - times.sent)) > fit.plus_minus_s
    assert outside <= 0.002 * looks
    assert fit.plus_minus_s < sum(ways_s) / 2 + 3 * jitter_s
    assert abs(fit.slope - drift) < 2e-5 + jitter_s / 10


@pytest.mark.parametrize("jitter_s", [2e-5, 3e-4, 2e-3])
def test_ways_that_become_unequal_in_another_way_are_noticed_though_both_together_take_the_same(rng, jitter_s):
    clock, told, outside = ClockOffset(), [], 0
    for part, ways_s in enumerate([(3e-3, 9e-3), (9e-3, 3e-3), (6e-3, 6e-3)]):
        for times, truth in exchanges(rng, 30, ways_s, jitter_s, 0.0):
            now = 30 * part + times.returned
            if clock.see(FourTimes(*(t + 30 * part for t in times))):
                told.append(now)
            if now > 2:
                outside += abs(clock.fit.offset_at(now) - truth) > clock.fit.plus_minus_s
    assert outside == 0
    assert [round(t, -1) for t in told] == [30, 60]
    assert all(t % 30 < 2 for t in told)


def test_a_clock_that_jumps_is_followed_from_there_and_another_way_is_doubted(rng):
    clock = ClockOffset()
    for times, _ in exchanges(rng, 30, (2e-4, 2e-4), 2e-5, 0.0):
        assert not clock.see(times)
    assert clock.watched_s(times.returned) > 29
    later = [
        (FourTimes(*(a + 30 for a in t)), truth) for t, truth in exchanges(rng, 5, (2e-4, 2e-4), 2e-5, 0.0, 1007.0)
    ]
    told = [clock.see(t) for t, _ in later]
    assert told.index(True) < 12
    assert abs(clock.fit.offset_at(35.0) - 1007.0) < 3e-4
    assert clock.watched_s(later[-1][0].returned) < 5
    for times, _ in exchanges(rng, 20, (2e-4, 2e-4), 2e-5, 0.0, 1007.0):
        clock.see(FourTimes(*(a + 40 for a in times)))
    grown = [clock.see(FourTimes(*(a + 60 for a in t))) for t, _ in exchanges(rng, 8, (2e-3, 2e-3), 2e-5, 0.0, 1007.0)]
    assert any(grown)
    assert clock.fit.plus_minus_s > 1.5e-3


@settings(max_examples=40)
@given(st.integers(0, 2**32 - 1), st.integers(0, 40))
def test_what_came_lies_where_it_was_sent_and_what_did_not_is_silence_that_fades(seed, lost):
    rng = np.random.default_rng(seed)
    count, n, first = 120, 128, 5000
    sent = rng.uniform(0.5, 1.0, (count * n, 2)).astype(np.float32)
    gone = set(rng.choice(count, lost, replace=False).tolist())
    order = sorted((i for i in range(count) if i not in gone), key=lambda i: i + rng.uniform(0, 4))
    buffer, taken = JitterBuffer(1, 4096), []
    buffer.begin_at(first)
    for k, i in enumerate(order):
        buffer.put(0, first + i * n, sent[i * n : (i + 1) * n])
        if rng.random() < 0.1:
            buffer.put(0, first + i * n, sent[i * n : (i + 1) * n])  # twice
        due = first + max(0, order[k] - 7) * n
        end = max(due, buffer.complete_to([0], first + count * n) - FADE)
        if end > buffer.taken:
            taken.append(buffer.take(end))
    made = np.concatenate(taken)[:, 0]
    gain = made / sent[: len(made), 0]
    assert gain.min() >= 0.0
    assert gain.max() <= 1.0 + 1e-6
    assert np.abs(np.diff(gain)).max() < 0.03
    hole = np.zeros(len(made) + 2 * FADE, bool)
    for i in gone:
        hole[i * n : (i + 1) * n + 2 * FADE] = True
    whole = ~hole[FADE : FADE + len(made)]
    whole[:FADE] = False
    assert np.array_equal(made[whole], sent[: len(made), 0][whole])
    for i in gone:
        assert not made[i * n : (i + 1) * n].any()
    assert buffer.lost[0] == sum(len(made[i * n : (i + 1) * n]) for i in gone)


def test_frames_of_one_engine_are_found_in_the_other_and_back():
    clock = ClockOffset()
    for times, _ in exchanges(np.random.default_rng(3), 30, (2e-4, 2e-4), 1e-6, 100e-6, offset=-1000.0):
        clock.see(times)
    # Their engine did frame 7e6 when their clock showed −970; ours did 9e6 when ours showed 29.5.
    found = frame_map(
        EngineClock(at_ns=-970_000_000_000, frame=7e6, rate_hz=44100.0, life=1), clock.fit, 9e6, 29.5, 48e3
    )
    t = (1000 - 970) / (1 + 100e-6)  # our clock then
    assert abs(found.at(7e6) - (9e6 + (t - 29.5) * 48e3)) < 0.02
    assert abs(found.speed - 48e3 / (44100 * (1 + 100e-6))) < 1e-6
    assert abs(found.back(found.at(7.5e6)) - 7.5e6) < 1e-3


def test_where_an_engine_is_stands_by_its_promptest_blocks_however_late_others_are(rng):
    """64 frames before its clock, blocks of 128 at 48 kHz; first a quiet computer, then one that is late by half a
    millisecond most of the time."""
    ahead, frame = EngineAhead(128, 48000), 0

    def plays(seconds, late_s):
        nonlocal frame
        for _ in range(round(seconds * 375)):
            frame += 128
            done_s = (frame - 64 - 64) / 48e3 + rng.exponential(late_s)  # the middle of the block is 64 before
            ahead.see(frame, (done_s + rng.uniform(0, 1e-3)) * 48e3)

    plays(0.7, 3e-5)
    assert not ahead.known
    plays(5, 3e-5)
    assert ahead.known
    quiet = ahead.frames
    assert abs(quiet - 64) < 4
    plays(30, 5e-4)
    assert abs(ahead.frames - quiet) < 8
    ahead.begin_anew()
    assert not ahead.known
    assert EngineAhead(128, 48000, 7.0).known


def test_the_set_point_is_what_nearly_all_needed_and_grows_only_where_it_is_too_small_again_and_again(rng):
    point, now = SetPoint(48000), 0.0
    for _ in range(4000):
        now += 0.0027
        stood_still = 0.03 if 2.0 < now < 2.03 or 2.9 < now < 2.94 else 0.0  # twice while it is watched
        point.see(now, 0.010 + abs(rng.normal(0, 5e-4)) + stood_still)
    assert point.known
    assert 0.0110 < point.seconds < 0.0130
    anew = SetPoint(48000)
    for i in range(4000):  # an engine that has begun anew there, and has not said so yet
        anew.see(0.0027 * i, 12.0 if i < 1500 else 0.01)
    assert anew.seconds == pytest.approx(0.0105)
    before = point.seconds
    for _ in range(20):  # a computer that stands still is no network
        now += 1.0
        point.see(now, 0.2)
    assert point.seconds == before
    for _ in range(3):
        now += 2.0
        point.see(now, before + 0.004)
    assert point.seconds == pytest.approx(before + 0.005)


def test_records_are_bounded():
    good = json.loads(encode(Receive(key="part:voice", port=5004, ssrc=7, secret=bytes(30))))
    wrong = [("key", "track:voice"), ("key", "part:" + "x" * 100), ("port", 0), ("port", 70000), ("ssrc", 2**32)]
    for field, bad in (*wrong, ("secret", "AAAA"), ("more", 1)):
        with pytest.raises(msgspec.MsgspecError):
            decode(json.dumps({**good, field: bad}).encode())


def things():
    return st.lists(
        st.tuples(st.sampled_from(["take", "leave", "give"]), st.integers(0, 5), st.integers(0, 2)), max_size=14
    )


@settings(max_examples=120)
@given(things())
def test_whatever_is_taken_and_given_can_be_written_and_goes_without_a_trace(nightboat_steps):
    from brucke.demo.make_setup import nightboat

    before = setup = nightboat()
    keys = [key for key, _ in offerable(setup)]
    given_now: list[str] = []
    for what, i, j in nightboat_steps:
        peer, kind = (PEER, PEER[::-1])[j % 2], ("part", "listener")[i % 2]
        thing = Offered(key=f"{kind}:theirs_{i}", name=f"Theirs {i}", channels=1 + i % 2)
        if what == "take":
            once = take_from_peer(setup, peer, "Stage", thing)
            assert take_from_peer(once, peer, "Stage", thing) == once
            setup = once
            assert thing.key in taken_keys(setup, peer) or len(setup.listeners) == 16
        elif what == "leave":
            setup = leave_at_peer(setup, peer, thing.key)
            assert thing.key not in taken_keys(setup, peer)
        else:
            given_now = keys[i : i + j * 3]
            setup = give_to_peer(setup, PEER, "Stage", [*given_now, "part:nobody"])
            assert set(given_keys(setup, PEER)) <= set(given_now)
        assert list(problems(setup)) == []
        ours = {key for key, _ in offerable(setup)}
        assert ours == set(keys)  # nothing that comes from another computer is offered on
    for peer in (PEER, PEER[::-1]):
        setup = give_to_peer(setup, peer, "Stage", [])
        for key in taken_keys(setup, peer):
            setup = leave_at_peer(setup, peer, key)
    assert setup.devices == before.devices
    assert setup.parts == before.parts
    assert [x.id for x in setup.listeners] == [x.id for x in before.listeners]


def known_with(setup, **network):
    device = device_of_peer(setup, PEER).id
    steps = {"part:a": (FarStage(name="their interface", seconds=0.003, terms={"x": 5e-4}),),
             "part:b": (FarStage(name="their interface", seconds=0.004, terms={"x": 5e-4}),),
             "listener:c": (FarStage(name="their output", seconds=0.005, terms={"y": 1e-4}),)}  # fmt: skip
    way = Network(plus_minus_s=4e-3, round_trip_s=8e-3, steps=steps, **network)
    facts = Facts(matched={device: Matching(in_s=0.012, out_s=0.014, wander_s=2e-5)}, networks={device: way})
    return Situation(setup, facts=facts)


def test_what_is_not_known_of_their_clock_cancels_between_their_parts_and_there_and_back(nightboat):
    setup = nightboat
    for key in ("part:a", "part:b", "listener:c"):
        setup = take_from_peer(setup, PEER, "Stage", Offered(key=key, name=key[-1]))
    known = known_with(setup, confirmed=True)
    a, b = (next(p for p in setup.parts if p.at_peer == key) for key in ("part:a", "part:b"))
    c = next(x for x in setup.listeners if x.at_peer == "listener:c")
    monitor = next(x for x in setup.listeners if x.kind == "monitor")
    in_a, in_b = (path_latency(path(known, p, monitor, setup.route(p.id, monitor.id))) for p in (a, b))
    assert in_a.plus_minus > 3e-3
    assert (in_a - in_b).plus_minus < 1e-6
    assert (in_a - in_b).value == pytest.approx(-0.001)
    ours = next(p for p in setup.parts if p.kind == "lead" and p.device != a.device)
    out = path_latency(path(known, ours, c, setup.route(ours.id, c.id)))
    assert (in_a + out).terms["network:stage"] == 0  # there and back
    stages = path(known, a, monitor, setup.route(a.id, monitor.id))
    assert [s.code for s in stages[:2]] == ["there", "network"]
    assert stages[1].evidence == "measured"


@pytest.mark.parametrize("network", [{"confirmed": False}, {"confirmed": True, "there": False}])
def test_a_way_that_was_not_watched_for_long_is_unconfirmed_and_one_nobody_saw_unknown(nightboat, network):
    setup = take_from_peer(nightboat, PEER, "Stage", Offered(key="part:a", name="a"))
    part = next(p for p in setup.parts if p.at_peer)
    monitor = next(x for x in setup.listeners if x.kind == "monitor")
    route = setup.route(part.id, monitor.id)
    assert path(known_with(setup, **network), part, monitor, route)[1].evidence == "unconfirmed"
    assert {s.evidence for s in path(Situation(setup), part, monitor, route)[:2]} == {"unknown"}


def test_what_is_offered_says_its_own_steps_with_their_plus_minus(nightboat):
    known = Situation(nightboat)
    offer = offer_of(known, [key for key, _ in offerable(nightboat)], lambda s: s.code)
    assert {t.key for t in offer.things} == {key for key, _ in offerable(nightboat)}
    voice = next(t for t in offer.things if t.key == "part:voice")
    part = nightboat.part("voice")
    monitor = next(x for x in nightboat.listeners if x.kind == "monitor")
    whole = path_latency(path(known, part, monitor, nightboat.route("voice", monitor.id)))
    ends = next(t for t in offer.things if t.key == f"listener:{monitor.id}")
    assert sum(s.seconds for s in (*voice.stages, *ends.stages)) == pytest.approx(whole.value, abs=1e-6)
    assert any(s.terms for s in voice.stages)


def test_nothing_that_is_taken_there_closes_a_loop_by_itself(nightboat):
    setup = take_from_peer(nightboat, PEER, "Stage", Offered(key="part:a", name="a"))
    setup = give_to_peer(setup, PEER, "Stage", [key for key, _ in offerable(nightboat)][:4])
    assert len(loops(setup)) == len(loops(nightboat))
    assert replace(setup, name="x").name == "x"
