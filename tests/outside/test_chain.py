"""A part's chain through the engine: exact latency, and no click whatever is changed."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.aligning.align import timing
from brucke.core.document.setup import Route
from brucke.core.edits import chain_edits
from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.denoise import Denoiser
from brucke.core.sound.processors import (
    MAX_SLOTS,
    RANGES,
    Band,
    Compressor,
    DeEsser,
    Equaliser,
    Gain,
    Gate,
    HighPass,
    Limiter,
    Multiband,
    NoiseRemoval,
    Thickening,
)
from brucke.core.timing.paths import Situation
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.live import Live, Without
from brucke.engine.step.plan import compile_plan, shape_of

from .chain_of import EVERY, NOISE, RATE, N, engine_of, run, setup_of, through


@pytest.mark.parametrize(
    "chain",
    [
        (Gain(),),
        (Limiter(),),
        (Limiter(on=False), Gain(), Limiter()),
        EVERY,
        (NoiseRemoval(),),
        (NoiseRemoval(profile="room", window="long"),),
        (NoiseRemoval(profile="room", window="short"), Limiter()),
    ],
)
def test_a_chain_takes_the_time_it_declares_and_the_path_says_so(chain):
    neutral = tuple(replace(p, on=False) for p in chain)
    impulse = np.zeros(4096, np.float32)
    impulse[1000] = 0.2
    out = through(neutral, impulse)
    assert int(np.argmax(np.abs(out))) - 1000 == latency_frames(chain, N)
    assert out[1000 + latency_frames(chain, N)] == pytest.approx(0.2, abs=1e-6)
    setup = setup_of(chain)
    stages = timing(Situation(setup)).of("x").route("p").stages
    said = sum(s.latency.value for s in stages if s.code == "processor")
    assert said * RATE == pytest.approx(latency_frames(chain, N), abs=1e-6)


def residue_db(before, after, change_at=40):
    """A 1 kHz sine while a chain changes: what is left in the 50 ms around it beside slow changes of its level."""
    sine = (0.25 * np.sin(2 * np.pi * 1000 * np.arange(80 * N) / RATE)).astype(np.float32)
    sound = np.stack([sine, sine])
    engine, plans = engine_of(setup_of(before)), [compile_plan(setup_of(c), Live()) for c in after]
    out = []
    for b in range(80):
        k = b - change_at
        if 0 <= k < len(plans):
            engine.adopt(plans[k])
        out.append(engine.step(np.ascontiguousarray(sound[:, b * N : (b + 1) * N]))[0, 0].copy())
    return high_share_db(np.concatenate(out)[(change_at - 2) * N : (change_at + 25) * N])


def high_share_db(sound):
    y = sound.astype(np.float64)
    # Anything above 5 kHz is no level change of a 1 kHz sine.
    spectrum = np.abs(np.fft.rfft(y * np.hanning(len(y)))) / (np.hanning(len(y)).sum() / 2)
    hz = np.fft.rfftfreq(len(y), 1 / RATE)
    return 20 * np.log10(np.sqrt(np.sum(spectrum[hz > 5000] ** 2)) / 0.25)


CHANGES = {
    "gain": ((Gain(),), [(Gain(gain_db=-40),)]),
    "every block": ((Gain(),), [(Gain(gain_db=-3.0 * (i % 5)),) for i in range(20)]),
    "threshold": ((Compressor(threshold_db=0),), [(Compressor(threshold_db=-60, ratio=20),)]),
    "equaliser": ((Equaliser(),), [(Equaliser(bands=(Band(frequency_hz=1000, gain_db=-18, q=3),)),)]),
    "high-pass": ((HighPass(frequency_hz=20),), [(HighPass(frequency_hz=1000, slope_db=24),)]),
    "gate": ((Gate(threshold_db=-60),), [(Gate(threshold_db=0, attack_ms=5, release_ms=5, hold_ms=0.1),)]),
    "bypass": ((Gain(gain_db=12),), [(Gain(gain_db=12, on=False),)]),
    "order": ((Gain(gain_db=6), Compressor()), [(Compressor(), Gain(gain_db=6))]),
    "limiter comes": ((Gain(),), [(Gain(), Limiter())]),
    "all go": (EVERY, [(Gain(),)]),
    "back and forth": (EVERY, [(EVERY[0], *EVERY[:0:-1]) if i % 2 else EVERY for i in range(20)]),
    "crossovers": ((Multiband(),), [(Multiband(low_hz=800, high_hz=6000, link_percent=0, middle_gain_db=-12),)]),
    "thickening": ((Thickening(),), [(Thickening(delay_ms=29, voices=4, level_db=0, depth_ms=3),)]),
    "thickening off": ((Thickening(),), [(Thickening(on=False),)]),
    "noise removal comes": ((Gain(),), [(NoiseRemoval(profile="room"), Gain())]),
    "another window": ((NoiseRemoval(profile="room"),), [(NoiseRemoval(profile="room", window="long"),)]),
    "strength": ((NoiseRemoval(profile="room"),), [(NoiseRemoval(profile="room", strength_percent=0),)]),
    "another profile": ((NoiseRemoval(profile="room"),), [(NoiseRemoval(),)]),
}


@pytest.mark.parametrize("change", CHANGES)
def test_no_change_clicks(change):
    assert residue_db(*CHANGES[change]) < -60


def test_a_listeners_chain_is_on_everything_that_goes_through_it_and_costs_its_time():
    """One part goes through, one passes by; in step means that the one that passes is delayed by what the chain
    costs."""
    setup = setup_of((), channels=(0,))
    two = replace(setup.parts[0], id="q", channels=(1,), kind="follower", follows="p", hears_at="x")
    routes = (Route(part="p", listener="x"), Route(part="q", listener="x", bypass=True))
    mastering = (Gain(gain_db=-6), Limiter())
    listener = replace(setup.listeners[0], chain=mastering)
    setup = replace(setup, parts=(*setup.parts, two), routes=routes, listeners=(listener,))
    sound = np.zeros((2, 4096), np.float32)
    sound[0, 1000], sound[1, 2000] = 0.2, 0.2
    out = run(engine_of(setup), sound)[0]
    wait = latency_frames(mastering, N)
    assert out[1000 + wait] == pytest.approx(0.2 * 10 ** (-6 / 20), rel=1e-4)
    assert out[2000] == pytest.approx(0.2, rel=1e-6), "speech is not mastered"
    t = timing(Situation(setup)).of("x")
    through_it, past = ([s.latency.value for s in t.route(p).stages if s.code == "processor"] for p in "pq")
    assert sum(through_it) * RATE == pytest.approx(wait)
    assert past == []
    without = compile_plan(setup, Live(without=Without(owner="listener/x", gain_db=-6)))
    engine = BlockEngine(shape_of(setup), without)
    heard = run(engine, sound)[0]
    assert heard[1000 + wait] == pytest.approx(0.2 * 10 ** (-6 / 20), rel=1e-4), "the same loudness without"
    assert heard[2000] == pytest.approx(0.2, rel=1e-6)


def test_passing_the_chain_by_or_not_changes_without_a_click():
    def with_bypass(bypass):
        made = setup_of(())
        return replace(
            made, routes=(replace(made.routes[0], bypass=bypass),),
            listeners=(replace(made.listeners[0], chain=(Gain(gain_db=-9), Equaliser())),),
        )  # fmt: skip

    engine = engine_of(with_bypass(False))
    sine = (0.25 * np.sin(2 * np.pi * 1000 * np.arange(80 * N) / RATE)).astype(np.float32)
    out = []
    for b in range(80):
        if b == 40:
            engine.adopt(compile_plan(with_bypass(True), Live()))
        out.append(engine.step(np.ascontiguousarray(np.stack([sine, sine])[:, b * N : (b + 1) * N]))[0, 0].copy())
    assert high_share_db(np.concatenate(out)[38 * N : 65 * N]) < -60
    assert np.abs(out[-1]).max() == pytest.approx(0.25, abs=0.01)
    # And the chain itself may go and come while something passes it by.
    bare = replace(with_bypass(True), listeners=setup_of(()).listeners)
    for plan in (bare, with_bypass(True), with_bypass(False), bare):
        engine.adopt(compile_plan(plan, Live()))
        more = [
            engine.step(np.ascontiguousarray(np.stack([sine, sine])[:, i * N : (i + 1) * N]))[0, 0].copy()
            for i in range(75)
        ]
        assert high_share_db(np.concatenate(more)[: 20 * N]) < -60
    assert np.abs(more[-1]).max() == pytest.approx(0.25, abs=0.01)
    assert np.abs(engine.unfinished[0, 0]).max() == pytest.approx(0.25, abs=0.01), (
        "told of listeners without a chain too"
    )


def test_what_the_processors_tell_is_what_they_do():
    t = np.arange(RATE) / RATE
    square = (0.5 * np.sign(np.sin(2 * np.pi * 500 * t))).astype(np.float32)
    chain = (Gain(gain_db=-6), Compressor(threshold_db=-30, ratio=4, knee_db=0))
    engine = engine_of(setup_of(chain))
    run(engine, np.stack([square, square]))
    engine.levels()
    told = engine.readings[0]
    levels = 20 * np.log10(told[[0, 1, MAX_SLOTS], 0])
    assert levels == pytest.approx([-6.02, -12.02, -12.02 - 0.75 * 17.98], abs=0.1)
    assert told[1, 1] == pytest.approx(0.75 * 17.98, abs=0.1)


def test_parameters_outside_their_range_never_reach_the_engine(rng):
    wild = (
        Thickening(delay_ms=1e6, depth_ms=-9, wander_hz=1e9), HighPass(frequency_hz=1e9),
        Gate(threshold_db=99, attack_ms=-5, hold_ms=-1, release_ms=0, range_db=50),
        Equaliser(bands=(Band(frequency_hz=-3, gain_db=1e6, q=0),)), Compressor(ratio=0, attack_ms=0, knee_db=-9),
        DeEsser(frequency_hz=0, range_db=90), Multiband(low_hz=0, high_hz=1e9, ratio=0, release_ms=-1),
        Limiter(ceiling_db=40, release_ms=-1),
    )  # fmt: skip
    out = through(wild, (0.1 * rng.standard_normal(RATE)).astype(np.float32))
    assert np.isfinite(out).all()
    assert np.abs(out).max() <= 1.01, "the limiter at the end holds, whatever comes"
    for name, fields in RANGES.items():
        assert all(r.low < r.high for r in fields.values()), name


def test_noise_goes_live_as_it_does_on_the_command_line(sources):
    room = 0.01 * np.random.default_rng(5).standard_normal(6 * RATE)
    room[3 * RATE :] += sources["voice"][5 * RATE : 8 * RATE]
    sound = room.astype(np.float32)[: 6 * RATE // N * N]
    live = through((NoiseRemoval(profile="room", window="long"),), sound)
    d = Denoiser(NOISE, N, 1, "long")
    alone = np.concatenate([d.process(sound[None, i : i + N]) for i in range(0, len(sound), N)], axis=1)[0]
    np.testing.assert_allclose(live, alone, atol=1e-5)
    quiet = slice(RATE, 3 * RATE - 2048)
    assert 20 * np.log10(sound[quiet].std() / live[quiet].std()) > 25


def test_a_chain_that_got_what_is_no_number_forgets_it(rng):
    engine = engine_of(setup_of(EVERY))
    sound = (0.1 * rng.standard_normal((2, 60 * N))).astype(np.float32)
    sound[0, 20 * N + 5] = np.nan
    sound[1, 30 * N + 5] = np.inf
    out = run(engine, sound)
    assert np.isfinite(out).all()
    assert engine.bad[0] == 2
    assert np.abs(out[:, 40 * N :]).max() > 0.01, "and goes on"


def test_edits_of_a_chain():
    setup = setup_of((Gain(), Equaliser()))
    for _ in range(12):
        setup = chain_edits.add_processor(setup, "part/p", Limiter())
    assert len(setup.part("p").chain) == MAX_SLOTS
    first = chain_edits.add_processor(setup_of((Gain(),)), "part/p", NoiseRemoval())
    assert first.part("p").chain == (NoiseRemoval(profile="room"), Gain()), "first, with what was learnt last"
    assert chain_edits.add_processor(first, "part/p", NoiseRemoval()) is first
    assert (
        chain_edits.move_processor(first, "part/p", 0, 1) == chain_edits.move_processor(first, "part/p", 1, -1) == first
    )
    assert chain_edits.forget_profile(first, "room").part("p").chain[0].profile == ""
    setup = chain_edits.move_processor(setup, "part/p", 1, -1)
    assert isinstance(setup.part("p").chain[0], Equaliser)
    setup = chain_edits.change_band(setup, "part/p", 0, 2, gain_db=99.0)
    assert setup.part("p").chain[0].bands[2].gain_db == 24
    setup = chain_edits.change_processor(setup, "part/p", 1, gain_db=-999.0)
    assert setup.part("p").chain[1].gain_db == -60
    assert len(chain_edits.remove_processor(setup, "part/p", 0).part("p").chain) == MAX_SLOTS - 1
