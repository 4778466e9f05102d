"""Limits to waiting, what-if, and the separate stages of measured paths, worked by hand and against scipy.optimize."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.optimize import linprog, lsq_linear

from brucke.core.aligning.align import align, timing
from brucke.core.aligning.what_if import Wish, beside, present, situation
from brucke.core.document.setup import Device, EnteredStage, Listener, Part
from brucke.core.edits.listener_edits import set_waiting
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.measure.stages import MeasuredPath, find_stages, worth_measuring
from brucke.core.sound.processors import NoiseRemoval
from brucke.core.timing.make_evidence import Air, without_air
from brucke.core.timing.paths import Situation
from brucke.words import timing as words

from ..evidence import picture_at
from .test_timing import CARD, HARP, MS, PHONES, STREAM, VOICE, arrival_ms, measured_round_trip, small


def at(setup, listener="stream", **more):
    return timing(Situation(setup, **more)).of(listener)


def test_a_limit_to_waiting_lets_the_earliest_come_as_near_as_it_may_and_says_what_remains():
    """The voice is 8 ms behind the harp, which may wait 5: 3 remain, and nobody is asked to mend them."""
    setup = align(Situation(set_waiting(small(), "stream", 0.0, 5.0)))
    assert setup.route("harp", "stream").delay_ms == pytest.approx(5.0)
    assert setup.route("voice", "stream").delay_ms == 0.0
    verdict = at(setup).verdict
    assert (verdict.code, verdict.part, verdict.at_limit) == ("early", "harp", True)
    assert verdict.off_s == pytest.approx(-3 * MS, abs=0.03 * MS)
    assert not words.needs_you(verdict)
    assert words.verdict_text(setup, verdict) == "harp early 3.0 ms, waits no longer"
    # Not yet aligned it does ask; and with no limit in the way it is in step.
    assert words.needs_you(at(set_waiting(small(), "stream", 0.0, 5.0)).verdict)
    assert at(align(Situation(set_waiting(small(), "stream", 0.0, 8.5)))).verdict.code == "in_step"


def test_sounds_that_cannot_wait_for_the_picture_stay_together():
    camera = Device(id="cam", name="Cam", kind="camera", pictures_per_s=25.0)  # 40 ms
    film = Part(id="film", name="Film", kind="picture", device="cam", shows="voice")
    setup = set_waiting(small(film, devices=(camera,)), "stream", 0.0, 10.0)
    known = Knowledge().with_measurement(picture_at(setup, "stream", 40.0, "film"))
    setup = align(Situation(setup, known))
    t = at(setup, knowledge=known)
    assert t.route("harp").arrival.value == pytest.approx(t.route("voice").arrival.value, abs=1 / 48000)
    assert setup.route("harp", "stream").delay_ms == pytest.approx(10.0, abs=0.03)
    # Picture: voice's origin 14 + 40 = 54; harp 15 + 10 = 25: 29 ms early.
    assert t.verdict.at_limit
    assert t.verdict.off_s == pytest.approx(-29 * MS, abs=0.05 * MS)


@pytest.mark.parametrize("seed", range(30))
def test_no_other_delays_within_the_limit_would_be_nearer(seed):
    """scipy.optimize.linprog on the same arrivals: the least largest distance between two sounds."""
    rng = np.random.default_rng(seed)
    extra = rng.uniform(0, 60, 4)
    more = [
        replace(VOICE, id=f"v{i}", name=f"V{i}", stages=(EnteredStage(name="pedal", latency_ms=float(e)),))
        for i, e in enumerate(extra)
    ]
    limit = float(rng.uniform(2, 50))
    setup = align(Situation(set_waiting(small(*more), "stream", 0.0, limit)))
    t = at(setup)
    a = np.array([r.arrival.value - r.delay_frames / 48000 for r in t.routes]) * 1e3
    ours = np.array([r.arrival.value for r in t.routes]) * 1e3
    assert all(0 <= r.delay_frames / 48 <= limit + 1e-9 for r in t.routes)
    # Variables: a delay each, the earliest and the latest arrival; the distance of those two is least.
    n = len(a)
    eye, one, nil = np.eye(n), np.ones((n, 1)), np.zeros((n, 1))
    best = linprog(
        [*np.zeros(n), -1, 1], A_ub=np.block([[-eye, one, nil], [eye, nil, -one]]), b_ub=np.concatenate([a, -a]),
        bounds=[(0, limit)] * n + [(None, None)] * 2,
    )  # fmt: skip
    assert np.ptp(ours) == pytest.approx(best.fun, abs=2 / 48)


def test_what_if_keeps_what_was_measured_of_the_converters_and_touches_nothing():
    noisy = replace(VOICE, chain=(NoiseRemoval(),))
    setup = small(voice=noisy)
    known = Situation(setup, measured_round_trip(setup, 9.5))  # 8 ms of buffers, 1.5 ms of converters
    rows, wanted = beside(known, Wish(64, 48000, frozenset({("part/voice", 0)})))
    assert known.setup is setup
    assert wanted.block_frames == 64
    assert wanted.part("voice").chain == ()
    half = situation(known, Wish(64, 48000, frozenset({("part/voice", 0)})))
    apart = arrival_ms(half.setup, "stream", "voice") - arrival_ms(half.setup, "stream", "harp")
    told = timing(half).of("stream")
    late = told.route("voice").arrival.value - told.route("harp").arrival.value
    assert late == pytest.approx((128 / 48 * 2 + 1.5) * MS, abs=1e-6)
    assert apart == pytest.approx(128 / 48 * 2)  # the card buffers no less than a block
    assert not told.verdict.sure
    shore = next(r for r in rows if r.listener == "stream")
    assert (shore.now.verdict.code, shore.aligned.verdict.code, shore.wished.verdict.code) == (
        "early",
        "in_step",
        "in_step",
    )
    assert shore.wished.added_s < shore.aligned.added_s
    same, unchanged = beside(known, present(setup))
    assert [r.aligned for r in same] == [r.wished for r in same]
    assert unchanged == align(known)


def test_stages_come_from_the_paths_that_share_them_and_what_cannot_be_told_is_said():
    """Two boxes, out and in of each: 1.0, 1.5, 0.7, 2.0 ms, all four ways round measured."""
    truth = {"out a": 1.0, "in a": 1.5, "out b": 0.7, "in b": 2.0}
    ways = [("out a", "in a"), ("out b", "in b"), ("out a", "in b"), ("out b", "in a")]
    rng = np.random.default_rng(3)
    paths = [
        MeasuredPath(" ".join(w), w, (sum(truth[s] for s in w) + rng.normal(0, 0.005)) * MS, 0.01 * MS) for w in ways
    ]
    found = find_stages(paths)
    matrix = np.array([[w.count(s) for s in truth] for w in ways])
    outside = lsq_linear(matrix, [p.seconds for p in paths])
    assert matrix @ [found.of[s].seconds for s in truth] == pytest.approx(matrix @ outside.x, abs=1e-9)
    # What the ways tell: sums of out and in, and the differences between the boxes; how out and in share stays open.
    for one, other in (("out a", "out b"), ("in a", "in b")):
        assert found.of[one].seconds - found.of[other].seconds == pytest.approx(
            (truth[one] - truth[other]) * MS, abs=0.02 * MS
        )
    assert all(set(found.of[s].tied) == set(truth) - {s} and found.of[s].open_s > 0.1 * MS for s in truth)
    assert all(abs(found.of[s].seconds - v * MS) <= 2 * found.of[s].plus_minus_s for s, v in truth.items())
    assert found.contradicts == ()
    assert worth_measuring(paths, ways) == []
    # Of two boxes alone, the way from one into the other is what tells most.
    assert worth_measuring(paths[:2], ways) == [ways[2], ways[3]]
    # A way that was measured while something had moved contradicts the others, and makes all of them less sure.
    moved = [*paths[:3], MeasuredPath("moved", ways[3], paths[3].seconds + 0.5 * MS, 0.01 * MS)]
    doubtful = find_stages(moved)
    assert doubtful.contradicts
    assert doubtful.spread > 5
    assert doubtful.of["out a"].plus_minus_s > found.of["out a"].plus_minus_s


def test_a_stage_that_the_paths_do_determine_has_no_open_rest():
    paths = [MeasuredPath("1", ("a",), 2 * MS, 0.1 * MS), MeasuredPath("2", ("a", "b"), 5 * MS, 0.1 * MS)]
    found = find_stages(paths)
    assert found.of["b"].seconds == pytest.approx(3 * MS)
    assert found.of["b"].open_s == 0
    assert found.of["b"].tied == ()
    assert found.of["b"].plus_minus_s == pytest.approx(2**0.5 * 0.1 * MS)
    assert find_stages([]).of == {}


def test_what_waits_at_the_monitor_is_held_to_its_limit_too():
    slow = Device(id="slow", name="Slow", kind="player", buffer_frames=960, buffers=1)
    drum = Part(id="drum", name="Drum", kind="lead", device="slow", channels=(0,), timebase="bars")
    setup = small(parts=(replace(HARP, timebase="bars"), VOICE, drum), devices=(slow,), listeners=(PHONES, STREAM))
    after = align(Situation(set_waiting(setup, "phones", 0.0, 4.0)))
    assert after.route("harp", "phones").delay_ms == pytest.approx(4.0)
    assert after.route("voice", "phones").delay_ms == 0.0


def test_the_air_is_told_from_the_machine_by_distance_and_temperature():
    """ISO 9613-1: 343.2 m/s at 20 °C, and 331.3 m/s at 0 °C (value from memory)."""
    setup = small()
    m = measured_round_trip(setup, 14.0).measurements[0]
    for celsius, speed in ((20.0, 343.2), (0.0, 331.3)):
        left = without_air(m, Air(2.0, celsius))
        assert left.value_s == pytest.approx(14.0 * MS - 2.0 / speed, abs=2e-6)
        assert left.air_s + left.value_s == pytest.approx(m.value_s)
        assert 0.05 * MS < left.plus_minus_s < 0.1 * MS  # two centimetres are 0.06 ms, three degrees 0.03
    assert without_air(m, Air(6.0)) is None, "so much air alone takes longer"
    assert without_air(left, Air(0.5)) is None, "it is taken out once"
    counted = Situation(setup, Knowledge().with_measurement(m).with_measurement(left))
    assert (
        timing(counted).of("stream").route("voice").arrival.value
        < timing(Situation(setup, measured_round_trip(setup, 14.0))).of("stream").route("voice").arrival.value
    )


def test_every_way_that_was_measured_counts_for_each_direction_of_two_interfaces():
    other = replace(CARD, id="box", name="Box")
    deep = replace(VOICE, id="deep", name="Deep", device="box")
    ear = Listener(id="ear", name="Ear", kind="monitor", device="box")
    setup = small(deep, devices=(other,), listeners=(PHONES, STREAM, ear))
    truth = {"output:card": 0.6, "capture:card": 1.0, "output:box": 1.4, "capture:box": 2.2}
    known = Knowledge()
    for ids in (("card",), ("box",), ("card", "box")):
        value = 8.0 + truth[f"output:{ids[0]}"] + truth[f"capture:{ids[-1]}"]
        known = known.with_measurement(measured_round_trip_of(setup, ids, value))
    found = Situation(setup, known).converters.of
    # Without the way across nothing would tell that the box comes in 1.2 ms later than the card.
    assert found["capture:box"].seconds - found["capture:card"].seconds == pytest.approx(1.2 * MS, abs=1e-6)
    assert [w.ids for w in ROUND_TRIP.more(setup)] == [("card", "box"), ("box", "card")]
    late = timing(Situation(setup, known)).of("stream")
    apart = late.route("deep").arrival - late.route("voice").arrival
    assert apart.value == pytest.approx(1.2 * MS, abs=1e-6)
    assert apart.plus_minus == pytest.approx(0.001 * MS * 2**0.5, rel=0.3), "how out and in share cancels"


def measured_round_trip_of(setup, ids, ms):
    plain = measured_round_trip(setup, ms).measurements[0]
    return replace(plain, key=ROUND_TRIP.key(*ids), fingerprint=ROUND_TRIP.fingerprint(setup, *ids))
