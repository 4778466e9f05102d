"""The block step: delays, gains, maps, changes without clicks, broken input, processors."""

import numpy as np
import pytest
from bench.engine import plan_of
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, MapPoint, Moment, MomentRoute, Part, Route, Setup
from brucke.core.edits import route_edits
from brucke.core.routing.rows import rows_of
from brucke.core.sound.kernels import TOGETHER, guard
from brucke.core.sound.processors import Compressor, Gate
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.live import Live, moment_key
from brucke.engine.step.output_gate import Doors
from brucke.engine.step.plan import PLAIN, PlanError, compile_plan, compile_plans, shape_of
from brucke.engine.step.safety import safety_of

RATE, N = 48000, 128


def setup_of(parts=2, listeners=2, routes=None, **part):
    card = Device(id="card", name="Card", kind="interface", buffer_frames=128, buffers=2)
    ps = tuple(
        Part(**{"id": f"p{i}", "name": f"P{i}", "kind": "lead", "device": "card", "channels": (i,), **part})
        for i in range(parts)
    )
    xs = tuple(Listener(id=f"l{i}", name=f"L{i}", kind="stream", device="card") for i in range(listeners))
    every = tuple(Route(part=p.id, listener=x.id) for p in ps for x in xs)
    return Setup(devices=(card,), parts=ps, listeners=xs, routes=routes if routes is not None else every)


def run(engine, sound, changes=None, blocks=None):
    """sound [captures, frames]; `changes`: block number → plan. Returns [L, C, frames]."""
    out = []
    for b in range(blocks or sound.shape[1] // N):
        if changes and b in changes:
            engine.adopt(changes[b])
        out.append(engine.step(np.ascontiguousarray(sound[:, b * N : (b + 1) * N])).copy())
    return np.concatenate(out, axis=2)


def engine_of(setup, live=None):
    return BlockEngine(shape_of(setup), compile_plan(setup, live or Live()))


@settings(max_examples=25)
@given(data=st.data())
def test_a_click_arrives_exactly_where_the_grid_says_and_nowhere_else(data):
    parts, listeners = data.draw(st.integers(1, 4)), data.draw(st.integers(1, 3))
    routes = tuple(
        Route(
            part=f"p{p}", listener=f"l{x}", on=data.draw(st.booleans()), gain_db=data.draw(st.sampled_from([0.0, -6.0,
            -20.0])),
            delay_ms=data.draw(st.sampled_from([0.0, 0.5, 2.75, 61.0])),
        )
        for p in range(parts) for x in range(listeners)
    )  # fmt: skip
    setup = setup_of(parts, listeners, routes)
    clicks = np.zeros((parts, 40 * N), np.float32)
    expected = np.zeros((listeners, 2, 40 * N), np.float32)
    for p in range(parts):
        clicks[p, 17 + 31 * p] = 1.0
        for x in range(listeners):
            r = setup.route(f"p{p}", f"l{x}")
            if r.on:
                expected[x, :, 17 + 31 * p + round(r.delay_ms * 48)] += 10 ** (r.gain_db / 20)
    np.testing.assert_allclose(run(engine_of(setup), clicks), expected, atol=1e-6)


def test_channel_maps_put_every_side_where_they_say():
    mono_map = (MapPoint(source=0, target=1, gain_db=-6),)
    setup = setup_of(1, 1, (Route(part="p0", listener="l0", map=mono_map),))
    out = run(engine_of(setup), np.ones((1, 4 * N), np.float32))
    assert out[0, 0].max() == 0
    assert out[0, 1, -1] == pytest.approx(10 ** (-6 / 20), rel=1e-5)
    one_sided = run(engine_of(setup_of(1, 1)), np.ones((1, 2 * N), np.float32))
    assert np.all(one_sided[0] == 1.0), "one microphone is carried to both sides without a level jump"
    card = setup.devices[0]
    stereo = Part(id="s", name="S", kind="lead", device="card", channels=(0, 1))
    mono = Listener(id="m", name="M", kind="call", device="card", channels=1)
    summed = Setup(devices=(card,), parts=(stereo,), listeners=(mono,), routes=(Route(part="s", listener="m"),))
    both = run(engine_of(summed), np.ones((2, 2 * N), np.float32))
    assert both[0, 0, -1] == pytest.approx(1.0), "a mono sum of two full sides does not clip"
    assert both[0, 1].max() == 0


def test_the_longest_delay_is_two_seconds_to_the_frame():
    setup = route_edits.set_delay(setup_of(1, 1), "p0", "l0", 9999)
    assert setup.routes[0].delay_ms == 2000
    click = np.zeros((1, 2 * RATE + 4 * N), np.float32)
    click[0, 5] = 1
    out = run(engine_of(setup), click)
    assert np.flatnonzero(out[0, 0]).tolist() == [5 + 2 * RATE]


def sine(seconds, hz=1000.0, rows=1):
    t = np.arange(int(seconds * RATE) // N * N) / RATE
    return np.repeat((0.5 * np.sin(2 * np.pi * hz * t)).astype(np.float32)[None], rows, axis=0)


@pytest.mark.parametrize(
    "change",
    [
        lambda s: route_edits.set_gain(s, "p0", "l0", -12),
        lambda s: route_edits.set_on(s, "p0", "l0", False),
        lambda s: route_edits.set_delay(s, "p0", "l0", 7.3),
        lambda s: route_edits.set_delay(s, "p0", "l0", 1500.4),
        lambda s: replace(s, parts=(replace(s.parts[0], trim_db=-9.0),)),
    ],
)
def test_a_change_begins_within_two_blocks_ends_within_20_ms_and_leaves_no_click(change):
    setup = setup_of(1, 1)
    sound = sine(2.5)
    at = 700
    before = run(engine_of(setup), sound)[0, 0]
    after = run(engine_of(change(setup)), sound)[0, 0]
    got = run(engine_of(setup), sound, {at: compile_plan(change(setup), Live())})[0, 0]
    moved = np.flatnonzero(np.abs(got - before) > 1e-5)
    assert moved[0] < (at + 2) * N
    assert np.abs(got - after)[at * N + int(0.020 * RATE) :].max() < 1e-5
    # Residue: what is left when the ideal raised-cosine fade between the two is taken away.
    ramp = np.clip((np.arange(len(got)) - at * N + 1) / (0.009 * RATE), 0, 1)
    share = 0.5 - 0.5 * np.cos(np.pi * ramp)
    residue = got - (before * (1 - share) + after * share)
    assert 20 * np.log10(np.abs(residue).max() + 1e-12) < -60
    # And seen without our own formula: nothing far above the tone while it changes.
    middle = got[at * N - 2400 : at * N + 2400] * np.hanning(4800)
    spectrum = np.abs(np.fft.rfft(middle))
    assert spectrum[600:].max() < spectrum.max() * 10 ** (-60 / 20)


def test_changes_at_any_speed_are_complete_20_ms_after_the_last():
    setup = setup_of(1, 1)
    sound = sine(1.0)
    plans = {100 + i: compile_plan(route_edits.set_delay(setup, "p0", "l0", 3.1 * i % 50), Live()) for i in range(40)}
    last = route_edits.set_delay(setup, "p0", "l0", 3.1 * 39 % 50)
    got = run(engine_of(setup), sound, plans)[0, 0]
    wanted = run(engine_of(last), sound)[0, 0]
    assert np.abs(got - wanted)[139 * N + int(0.020 * RATE) :].max() < 1e-5
    assert np.abs(np.diff(got)).max() < 0.5 * 2 * np.pi * 1000 / RATE * 2.5, "no step steeper than the tone allows"


@pytest.mark.parametrize("poison", [np.nan, np.inf, -np.inf])
def test_what_is_not_finite_silences_its_part_only_and_is_counted(poison):
    setup = setup_of(2, 1, chain=(Gate(), Compressor()))
    sound = sine(0.5, rows=2)
    sound[0, 10 * N + 3] = poison
    engine = engine_of(setup)
    got = run(engine, sound)
    assert np.isfinite(got).all()
    assert engine.bad.tolist() == [1, 0]
    assert np.abs(got[0, 0, 20 * N :]).max() > 0.1, "the part is back with the next block"


def test_moments_and_mutes_take_effect_and_least_delay_takes_delays_away():
    setup = route_edits.set_delay(setup_of(2, 2), "p0", "l0", 10)
    moment = Moment(
        id="talk", name="Talk", routes=(MomentRoute(part="p1", listener="l0", mute=True),), policy={"l0": "least_delay"}
    )
    setup = replace(setup, moments=(moment,))
    plan = compile_plan(setup, Live(moment="talk"))
    assert plan.delay[0, 0] == 0
    assert plan.gain[0, 1].max() == 0
    assert plan.gain[1, 1].max() == 1
    assert compile_plan(setup, Live()).delay[0, 0] == 480
    ready = compile_plans(setup, Live())
    for id in ("", "talk"):
        one = compile_plan(setup, Live(moment=id))
        assert np.array_equal(ready.of(moment_key(id)).gain, one.gain), "it lies ready"
        assert np.array_equal(ready.of(moment_key(id)).delay, one.delay)


def test_a_device_at_another_rate_is_refused_in_words():
    setup = route_edits.change_device(setup_of(1, 1), "card", rate_hz=44100)
    with pytest.raises(PlanError, match="Card runs at 44100 Hz and the setup at 48000 Hz"):
        compile_plan(setup, Live())


def chain_output(chain, sound):
    return run(engine_of(setup_of(1, 1, chain=chain)), sound[None])[0, 0]


def test_the_dry_route_does_not_hear_the_chain():
    routes = (Route(part="p0", listener="l0"), Route(part="p0", listener="l1", processed=False))
    setup = setup_of(1, 2, routes, chain=(Compressor(threshold_db=-40, ratio=4, attack_ms=0.1),))
    got = run(engine_of(setup), sine(0.5))
    assert np.abs(got[1]).max() == pytest.approx(0.5, abs=1e-4)
    assert np.abs(got[0, 0, -4800:]).max() < 0.2


def test_a_processor_parameter_that_jumps_does_not_click():
    quiet = setup_of(1, 1, chain=(Compressor(threshold_db=-30, ratio=2, attack_ms=1, make_up_db=0),))
    loud = setup_of(1, 1, chain=(Compressor(threshold_db=-12, ratio=6, attack_ms=1, make_up_db=12),))
    sound = 0.3 * sine(1.0)
    got = run(engine_of(quiet), sound, {150: compile_plan(loud, Live())})[0, 0]
    steady = got[100 * N : 140 * N]
    change = got[148 * N : 188 * N]

    def above(x):
        spectrum = np.abs(np.fft.rfft(x * np.blackman(len(x))))
        return spectrum[int(8000 / RATE * len(x)) :].max() / spectrum.max()

    assert above(change) < max(above(steady) * 3, 10 ** (-60 / 20))


def tone(hz, frames, level=0.5):
    return (level * np.sin(2 * np.pi * hz * np.arange(frames) / RATE)).astype(np.float32)


@pytest.mark.parametrize("delay_ms", [0.0, 68.0, 500.0])
def test_a_chain_that_comes_goes_and_comes_again_leaves_no_gap_and_plays_nothing_old(delay_ms):
    """Its ring had stood still: half a second of silence, or of what was played a minute ago, at full level."""
    routes = (Route(part="p0", listener="l0", delay_ms=delay_ms),)
    plain = setup_of(1, 1, routes)
    with_chain = replace(plain, parts=(replace(plain.parts[0], chain=(Compressor(threshold_db=0.0),)),))
    plans = [compile_plan(s, Live()) for s in (plain, with_chain)]
    per = RATE // N
    low, high = tone(440, 3 * per * N), tone(1760, 6 * per * N)
    sound = np.concatenate([low, high])[None]
    changes = {per: plans[1], 2 * per: plans[0], 5 * per: plans[1], 6 * per: plans[0], 7 * per: plans[1]}
    out = run(engine_of(plain), sound, changes)[0, 0]
    wait = round(delay_ms * 48)
    expected = np.concatenate([np.zeros(wait, np.float32), sound[0]])[: len(out)]
    assert np.abs(out[wait:] - expected[wait:]).max() < 0.02, "a compressor that does nothing changes nothing, ever"


def test_nothing_that_is_no_number_and_nothing_beyond_one_ever_goes_out():
    outs = np.zeros((3, 2, N), np.float32)
    outs[0, 0, 5], outs[1, 1], outs[2] = np.nan, 1e30, 0.25
    bad, envelope, over = np.zeros(3, np.int64), np.zeros((3, 1)), np.zeros(3, np.float32)
    guard(outs, np.arange(3, dtype=np.int32), float(RATE), np.ones(3, np.float32), envelope, bad, over)
    assert over[1:].tolist() == [np.float32(1e30), 0.25], "how far beyond it would have been stays known"
    assert bad.tolist() == [1, 0, 0]
    assert np.all(outs[0] == 0), "silent for this block"
    assert np.abs(outs[1]).max() == 1.0
    assert np.all(outs[2] == 0.25), "what is fine is not touched"


def test_the_monitor_has_a_ceiling_without_latency():
    setup = setup_of(1, 2)
    phones = replace(setup.listeners[0], kind="monitor", ceiling_db=-12.0)
    setup = replace(setup, listeners=(phones, setup.listeners[1]))
    loud = np.concatenate([tone(300, 100 * N, 0.1), tone(300, 100 * N, 0.99), tone(300, 400 * N, 0.1)])[None]
    out = run(engine_of(setup), loud)
    limit = 10 ** (-12 / 20)
    assert np.abs(out[0]).max() <= limit + 1e-6
    assert np.abs(out[0, 0, 100 * N : 200 * N]).max() == pytest.approx(limit, rel=1e-3)
    assert np.allclose(out[0, :, : 100 * N], out[1, :, : 100 * N], atol=1e-7), (
        "below it nothing changes and nothing is late"
    )
    assert np.allclose(out[0, :, -50 * N :], out[1, :, -50 * N :], atol=1e-4), "and it lets go again"
    assert np.abs(out[1]).max() == pytest.approx(0.99, rel=1e-3), "only the ears have one"


def test_routes_that_are_fetched_together_sound_as_each_by_itself(rng):
    """More routes than are fetched at once, some off, one of them turned off on the way, against sums in NumPy."""
    parts, listeners, blocks = 21, 3, 40
    shape, plan = plan_of(parts, listeners, 3000)
    plan.codes[:], plan.source[:] = 0, 0
    plan.gain[rng.random((listeners, parts)) < 0.3] = 0.0
    later = replace(plan, gain=plan.gain.copy())
    off = int(np.flatnonzero(plan.gain[1, :, 0, 0])[4])
    later.gain[1, off] = 0.0
    sound = (0.3 * rng.standard_normal((parts, blocks * N))).astype(np.float32)
    heard = run(BlockEngine(shape, plan), sound, changes={blocks // 2: later})
    for x in range(listeners):
        expected = np.zeros((2, blocks * N))
        for p in range(parts):
            late = np.pad(sound[p], (plan.delay[x, p], 0))[: blocks * N]
            gain = np.full(blocks * N, plan.gain[x, p, 0, 0], float)
            gain[blocks // 2 * N :] = later.gain[x, p, 0, 0]
            expected += gain * late
        same = np.ones(blocks * N, bool)
        if x == 1:  # while it fades
            same[blocks // 2 * N : (blocks // 2 + 5) * N] = False
        assert np.abs(heard[x] - expected)[:, same].max() < 1e-6
    assert plan.gain[:, :, 0, 0].astype(bool).sum(axis=1).min() > TOGETHER


def test_a_door_is_silence_to_the_bit_when_closed_and_opens_within_10_ms_without_a_click(nightboat):
    """What a call of this computer gets; meters and takes look before it, and a stand-in has none."""
    here = replace(
        nightboat, devices=tuple(replace(d, card="desktop") if d.id == "lounge_call" else d for d in nightboat.devices)
    )
    shape, plan, rows = shape_of(here), compile_plan(here, Live()), rows_of(here)
    closed_to, open_to = (safety_of(here, Live(on_air=on), rows).opened for on in (False, True))
    call = [x.id for x in here.listeners].index("lounge_call")
    assert [told[call] for told in (closed_to, open_to)] == [0, 1]
    assert not safety_of(here, Live(on_air=True, shut=frozenset({"lounge_call"})), rows).opened[call]
    assert (np.delete(plan.door, call) == PLAIN).all()
    doors = Doors(shape, plan, closed_to)
    sound = np.full((shape.listeners, shape.channels, shape.block), -0.5, np.float32)
    closed = doors.let_out(sound, plan, closed_to).copy()
    assert not closed[call].view(np.uint32).any()
    assert (np.delete(closed, call, axis=0) == -0.5).all()
    blocks = [doors.let_out(sound, plan, open_to)[call, 0].copy() for _ in range(8)]
    heard = np.concatenate([closed[call, 0], *blocks])
    assert np.abs(np.diff(heard)).max() < 0.5 * 1.6 / (0.01 * shape.rate), "the steepest of a smooth step"
    assert (heard[shape.block + round(0.0107 * shape.rate) :] == -0.5).all()
    again = [doors.let_out(sound, plan, closed_to)[call, 0].copy() for _ in range(8)][-1]
    assert not again.view(np.uint32).any()
