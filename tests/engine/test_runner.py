"""The runner: measuring without a leak, gently; listening back in place of a listener's routes."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.edits import route_edits
from brucke.core.measure.stimulus import GENTLY
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.engine.step.runner import SETTLE_S, TAIL_S, MeasureOrder, Runner
from brucke.engine.step.safety import Word

RATE, N = 48000, 128
SPACING = 40 * N


@pytest.fixture
def setup() -> Setup:
    card = Device(id="card", name="Card", kind="interface", buffer_frames=128, buffers=2)
    voice = Part(id="voice", name="Voice", kind="lead", device="card", channels=(0,))
    phones = Listener(id="phones", name="Phones", kind="monitor", device="card")
    call = Listener(id="call", name="Call", kind="call", device="card")
    routes = (Route(part="voice", listener="phones"), Route(part="voice", listener="call", delay_ms=50))
    return Setup(devices=(card,), parts=(voice,), listeners=(phones, call), routes=routes)


def runner_of(setup):
    return Runner(shape_of(setup), compile_plan(setup, Live()))


def play(runner, blocks, level=0.25, loop=False):
    """Constant sound in (or what the phones play, when the cable is in); [listeners, blocks·N] out, left side."""
    out, last = [], getattr(runner, "last_heard", np.zeros(N, np.float32))
    for _ in range(blocks):
        ins = (last if loop else np.full(N, level, np.float32))[None]
        outs = runner.step(np.ascontiguousarray(ins)).copy()
        last = runner.last_heard = outs[0, 0].copy()
        out.append(outs[:, 0])
    return np.concatenate(out, axis=1)


def order_and_arrays(repeats=4):
    stimulus = np.full(20 * N, 0.5, np.float32)
    return MeasureOrder(0, 0, repeats, SPACING), stimulus, np.zeros(repeats * SPACING + RATE, np.float32)


def test_while_it_measures_only_the_measured_pair_sounds_and_afterwards_all_is_back(setup):
    runner = runner_of(setup)
    assert play(runner, 60)[1, -1] == pytest.approx(0.25)
    order, stimulus, recording = order_and_arrays()
    assert runner.measure(order, stimulus, recording)
    assert not runner.measure(order, stimulus, recording), "one at a time"
    states = []
    heard = []
    while runner.measuring[0] != "done":
        heard.append(play(runner, 1, loop=True))
        states.append(runner.measuring[0])
    heard = np.concatenate(heard, axis=1)
    fade = 10 * N
    assert np.abs(heard[1, fade:]).max() == 0, "the call hears nothing, not even out of its delay"
    assert heard[0].max() == pytest.approx(0.5)
    assert list(dict.fromkeys(states)) == ["fading", "sounding", "done"]
    runner.finish_measuring()
    later = play(runner, 60)
    assert np.abs(later[1, : 18 * N]).max() <= 0.25 + 1e-6, "nothing of the stimulus was left in a ring"
    assert later[1, -1] == pytest.approx(0.25)
    assert later[0, -1] == pytest.approx(0.25)


def test_what_comes_back_is_recorded_from_the_frame_the_first_repeat_was_handed_out(setup):
    runner = runner_of(setup)
    order, stimulus, recording = order_and_arrays()
    runner.measure(order, stimulus, recording)
    while runner.measuring[0] != "done":
        play(runner, 1, loop=True)
    # Our loop hands every block back one block later.
    starts = [int(np.argmax(recording[i * SPACING :] > 0.01)) for i in range(4)]
    assert starts[0] == N
    for i, gain in enumerate([*GENTLY, GENTLY[-1]]):
        piece = recording[i * SPACING + N : i * SPACING + N + len(stimulus)]
        assert piece.max() == pytest.approx(0.5 * gain), "the first repeats come up gently"


def test_what_is_still_on_its_way_round_is_not_taken_for_the_first_repeat(setup):
    runner = runner_of(setup)
    way = [np.full(N, 0.9, np.float32)] * round(0.35 * RATE / N)  # loud, and on its way when it begins

    def once():
        outs = runner.step(way.pop(0)[None])
        way.append(outs[0, 0].copy())

    once()
    order, stimulus, recording = order_and_arrays()
    runner.measure(order, stimulus, recording)
    while runner.measuring[0] != "done":
        once()
    round_trip = int(np.argmax(recording > 0))
    assert round_trip == round(0.35 * RATE / N) * N, "nothing but the stimulus came back"
    assert np.abs(recording[:round_trip]).max() == 0


def test_progress_grows_to_one_and_cancelling_brings_everything_back(setup):
    runner = runner_of(setup)
    order, stimulus, recording = order_and_arrays()
    runner.measure(order, stimulus, recording)
    shares = []
    for _ in range(60 + round(SETTLE_S * RATE / N)):
        play(runner, 1, loop=True)
        shares.append(runner.measuring[1])
    assert shares == sorted(shares)
    assert 0 < shares[-1] < 1
    assert shares[-1] * (4 * SPACING + TAIL_S * RATE) == pytest.approx(len([s for s in shares if s > 0]) * N, abs=2 * N)
    runner.stop_measuring()
    assert runner.measuring == ("", 0.0)
    assert play(runner, 60)[1, -1] == pytest.approx(0.25)


def test_a_plan_that_comes_while_it_measures_waits(setup):
    runner = runner_of(setup)
    order, stimulus, recording = order_and_arrays(repeats=2)
    runner.measure(order, stimulus, recording)
    play(runner, 12, loop=True)
    runner.adopt(compile_plan(route_edits.set_gain(setup, "voice", "call", -6), Live()))
    middle = []
    while runner.measuring[0] != "done":
        middle.append(play(runner, 1))
    assert np.abs(np.concatenate(middle, axis=1)[1]).max() == 0
    runner.finish_measuring()
    assert play(runner, 80)[1, -1] == pytest.approx(0.25 * 10 ** (-6 / 20), rel=1e-4)


def test_on_air_nothing_is_measured(setup):
    runner = runner_of(setup)
    runner.safety.words[Word.ON_AIR] = 1
    assert not runner.measure(*order_and_arrays())
    assert runner.measuring == ("", 0.0)


def test_listening_back_replaces_the_routes_of_one_listener_only_and_ends_by_itself(setup, rng):
    runner = runner_of(setup)
    play(runner, 60)
    sound = (0.1 * rng.standard_normal((2, 100 * N))).astype(np.float32)
    runner.listen_back(0, sound, at=10 * N)
    assert runner.back_frame == 10 * N
    heard = play(runner, 40)
    assert np.allclose(heard[0, 20 * N :], sound[0, 30 * N : 50 * N], atol=1e-6)
    assert heard[1, -1] == pytest.approx(0.25), "the call goes on"
    assert runner.back_frame == 50 * N
    play(runner, 60)
    assert runner.back_frame == -1
    assert play(runner, 20)[0, -1] == pytest.approx(0.25), "the headphones hear their routes again"


def test_listening_back_can_be_stopped_and_survives_a_new_plan(setup):
    runner = runner_of(setup)
    runner.listen_back(0, np.full((2, 400 * N), 0.1, np.float32))
    play(runner, 20)
    runner.adopt(compile_plan(route_edits.set_gain(setup, "voice", "phones", -3), Live()))
    assert play(runner, 20)[0, -1] == pytest.approx(0.1), "still only what is played back"
    runner.stop_listening_back()
    assert play(runner, 20)[0, -1] == pytest.approx(0.25 * 10 ** (-3 / 20), rel=1e-4)


def test_a_stopped_measurement_leaves_nobody_muted_even_in_another_moment(setup):
    runner = runner_of(replace(setup, name="again"))
    for _ in range(3):
        runner.measure(*order_and_arrays(repeats=2))
        play(runner, 15, loop=True)
        runner.stop_measuring()
    assert play(runner, 60)[1, -1] == pytest.approx(0.25)
