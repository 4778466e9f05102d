"""A part's chain through the engine: filters against the Audio EQ Cookbook, limiter against an oversampled peak, exact
latency, and no click whatever is changed.
"""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.signal import butter, freqz, resample_poly

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.edits import chain_edits
from brucke.core.processors import (
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
from brucke.core.sound.denoise import Denoiser
from brucke.core.sound.noise_profile import learn
from brucke.core.sound.parameters import latency_frames
from brucke.core.sound.response import filter_response_db, level_curve_db
from brucke.core.timing.align import timing
from brucke.core.timing.paths import Situation
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.plan import Live, Without, compile_plan, shape_of

RATE, N = 48000, 128
NOISE = learn("room", (0.01 * np.random.default_rng(4).standard_normal((1, 4 * 48000))).astype(np.float32), 48000)
EVERY = (
    NoiseRemoval(profile="room"),
    HighPass(),
    Gate(threshold_db=-100),
    Equaliser(),
    Compressor(),
    DeEsser(),
    Gain(gain_db=-3),
    Limiter(),
)


def setup_of(chain, channels=(0, 1)):
    card = Device(id="card", name="Card", kind="interface", sets_clock=True, buffer_frames=N, buffers=2)
    part = Part(id="p", name="P", kind="lead", device="card", channels=channels, chain=chain)
    place = Listener(id="x", name="X", kind="monitor", ceiling_db=0.0, device="card")
    routes = (Route(part="p", listener="x"),)
    return Setup(devices=(card,), parts=(part,), listeners=(place,), routes=routes, profiles=(NOISE,))


def engine_of(setup):
    return BlockEngine(shape_of(setup), compile_plan(setup, Live()))


def run(engine, sound):
    sound = np.ascontiguousarray(sound[:, : sound.shape[1] // N * N], np.float32)
    return np.concatenate(
        [engine.step(np.ascontiguousarray(sound[:, i : i + N]))[0].copy() for i in range(0, sound.shape[1], N)], axis=1
    )


def through(chain, sound):
    return run(engine_of(setup_of(chain)), np.stack([sound, sound]))[0]


def cookbook(band):
    """b, a of Bristow-Johnson's Audio EQ Cookbook."""
    a = 10 ** (band.gain_db / 40)
    w = 2 * np.pi * band.frequency_hz / RATE
    c, alpha = np.cos(w), np.sin(w) / (2 * band.q)
    if band.shape == "bell":
        return [1 + alpha * a, -2 * c, 1 - alpha * a], [1 + alpha / a, -2 * c, 1 - alpha / a]
    s, root = (1 if band.shape == "low_shelf" else -1), 2 * np.sqrt(a) * alpha
    b = [
        a * (a + 1 - s * (a - 1) * c + root),
        s * 2 * a * (a - 1 - s * (a + 1) * c),
        a * (a + 1 - s * (a - 1) * c - root),
    ]
    d = [a + 1 + s * (a - 1) * c + root, -s * 2 * (a - 1 + s * (a + 1) * c), a + 1 + s * (a - 1) * c - root]
    return b, d


BANDS = [
    Band(shape=shape, frequency_hz=hz, gain_db=gain, q=q)
    for shape in ("bell", "low_shelf", "high_shelf") for hz in (90, 1000, 9000) for gain, q in ((9, 0.7), (-12, 2.0))
]  # fmt: skip
HZ = np.geomspace(30, 20000, 60)


@pytest.mark.parametrize("band", BANDS, ids=lambda b: f"{b.shape} {b.frequency_hz} {b.gain_db}")
def test_bands_are_the_cookbooks_in_drawing_and_in_sound(band):
    theirs = 20 * np.log10(np.abs(freqz(*cookbook(band), worN=HZ, fs=RATE)[1]))
    np.testing.assert_allclose(filter_response_db(Equaliser(bands=(band,)), HZ, RATE), theirs, atol=1e-6)
    impulse = np.zeros(2**15, np.float32)
    impulse[0] = 0.1
    heard = through((Equaliser(bands=(band,)),), impulse).astype(np.float64)
    spectrum = np.abs(freqz(heard / 0.1, worN=HZ, fs=RATE)[1])
    np.testing.assert_allclose(20 * np.log10(spectrum), theirs, atol=0.02)


@pytest.mark.parametrize(("slope", "at_half"), [(12, -12.3), (24, -24.1)])
def test_a_high_pass_is_butterworths(slope, at_half):
    p = HighPass(frequency_hz=200, slope_db=slope)
    at = filter_response_db(p, np.array([100.0, 200.0, 2000.0]), RATE)
    assert at[0] == pytest.approx(at_half, abs=0.1)
    assert at[1] == pytest.approx(-3.01, abs=0.01)
    assert at[2] == pytest.approx(0, abs=0.01)


def test_the_drawn_curves_are_what_the_processors_do():
    t = np.arange(RATE) / RATE
    for p in (Compressor(threshold_db=-30, ratio=3, knee_db=12, attack_ms=0.1, make_up_db=4), Gate(threshold_db=-40, range_db=-25, release_ms=20), Limiter(ceiling_db=-6)):  # fmt: skip
        for level in (-55, -33, -25, -10, -1):
            out = through((p,), (10 ** (level / 20) * np.sign(np.sin(2 * np.pi * 500 * t))).astype(np.float32))
            if isinstance(p, Limiter):
                continue  # square waves ring between their samples; see below
            heard = 20 * np.log10(np.median(np.abs(out[RATE // 2 :])))
            assert heard == pytest.approx(level_curve_db(p, np.array([float(level)]))[0], abs=0.15), (p, level)


def oversampled_peak_db(sound):
    return 20 * np.log10(np.abs(resample_poly(sound.astype(np.float64), 4, 1, window=("kaiser", 8.0))).max())


@pytest.mark.parametrize("ceiling", [-1.0, -6.0])
@pytest.mark.parametrize("kind", ["voice", "harp", "noise", "between", "burst"])
def test_nothing_passes_the_limiter_between_the_samples_either(sources, rng, kind, ceiling):
    n = np.arange(4 * RATE)
    sound = {
        "voice": sources["voice"][5 * RATE : 9 * RATE] * 12, "harp": sources["harp"][: 4 * RATE] * 6,
        "noise": 0.8 * rng.standard_normal(4 * RATE), "between": 1.4 * np.sin(2 * np.pi * n / 4 + np.pi / 4),
        "burst": 2.0 * np.sin(2 * np.pi * 997 * n / RATE) * (n % 9600 < 480),
    }[kind].astype(np.float32)  # fmt: skip
    out = through((Limiter(ceiling_db=ceiling),), sound)
    assert oversampled_peak_db(sound) > ceiling + 2, "there is something to do"
    assert oversampled_peak_db(out) <= ceiling + 0.1
    quiet = (0.1 * sound / np.abs(sound).max()).astype(np.float32)
    wait = latency_frames((Limiter(),), N)
    np.testing.assert_allclose(through((Limiter(ceiling_db=ceiling),), quiet)[wait:], quiet[: len(quiet) // N * N - wait], atol=1e-6)  # fmt: skip


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


def test_the_de_esser_holds_back_only_what_is_sharp_and_loud(rng):
    t = np.arange(RATE) / RATE
    low, high = 0.3 * np.sin(2 * np.pi * 300 * t), 0.3 * np.sin(2 * np.pi * 15000 * t)

    def level(sound, hz):
        x = sound[RATE // 2 : RATE // 2 + RATE // 4].astype(np.float64)
        return 20 * np.log10(2 * np.abs(np.mean(x * np.exp(-2j * np.pi * hz * np.arange(len(x)) / RATE))))

    out = through((DeEsser(threshold_db=-30, range_db=-8),), (low + high).astype(np.float32))
    assert level(out, 300) == pytest.approx(level(low, 300), abs=0.3)
    assert level(out, 15000) == pytest.approx(level(high, 15000) - 8, abs=1)
    soft = through((DeEsser(threshold_db=-30, range_db=-8),), (low + 0.01 * high).astype(np.float32))
    assert level(soft, 15000) == pytest.approx(level(0.01 * high, 15000), abs=0.2)


def response_db(chain, hz, length=2**15):
    impulse = np.zeros(length, np.float32)
    impulse[0] = 0.01
    heard = through(chain, impulse).astype(np.float64) / 0.01
    return 20 * np.log10(np.abs(freqz(heard, worN=hz, fs=RATE)[1]))


def test_three_bands_are_flat_together_and_linkwitz_rileys_apart():
    """SciPy's Butterworth twice is a fourth-order Linkwitz-Riley crossover (Linkwitz 1976)."""
    still = {"low_threshold_db": 0.0, "middle_threshold_db": 0.0, "high_threshold_db": 0.0}
    np.testing.assert_allclose(response_db((Multiband(**still),), HZ), 0, atol=0.01)
    low = Multiband(**still, middle_gain_db=-24, high_gain_db=-24)
    one = butter(2, 200, fs=RATE)
    theirs = 20 * np.log10(np.abs(freqz(*one, worN=HZ, fs=RATE)[1]) ** 2)
    ours = response_db((low,), HZ)
    loud = theirs > -6
    np.testing.assert_allclose(ours[loud], theirs[loud], atol=0.8)  # the other bands are there at −24 dB
    assert ours[HZ > 1000].max() < -23


@pytest.mark.parametrize("link", [0, 100])
def test_only_the_loud_band_is_held_back_unless_they_are_linked(link):
    t = np.arange(2 * RATE) / RATE
    low, high = 0.5 * np.sin(2 * np.pi * 80 * t), 0.01 * np.sin(2 * np.pi * 9000 * t)
    chain = (Multiband(low_threshold_db=-30, ratio=4, link_percent=link, attack_ms=50, release_ms=500),)
    out = through(chain, (low + high).astype(np.float32))[RATE:]

    def level(sound, hz):
        return 20 * np.log10(2 * np.abs(np.mean(sound * np.exp(-2j * np.pi * hz * np.arange(len(sound)) / RATE))))

    held = level(low[RATE:], 80) - level(out, 80)
    spared = level(high[RATE:], 9000) - level(out, 9000)
    # A peak of −6 dBFS is 24 dB over; at 4 : 1 that is 18 dB less, the detector follows the wave a little.
    assert held == pytest.approx(spared, abs=0.5) if link else (12 < held < 18 and abs(spared) < 0.3)


def test_thickening_adds_copies_where_it_says_and_leaves_the_sound_in_its_place():
    impulse = np.zeros(2**13, np.float32)
    impulse[100] = 0.5
    out = through((Thickening(voices=3, delay_ms=12.5, depth_ms=0, level_db=0),), impulse)
    assert out[100] == pytest.approx(0.5, abs=1e-6), "no later, no softer"
    after = np.abs(out[101:])
    found = np.flatnonzero(after > 0.1) + 1
    wanted = 0.0125 * RATE * (1 + 0.37 * np.arange(3))
    assert [int(np.abs(found - w).min()) for w in wanted] == [0, 0, 0]
    energy = np.sum(after.astype(np.float64) ** 2)
    assert energy == pytest.approx(0.25, rel=1e-3), "three at a level of 0 dB are together as loud as the sound"


def test_a_listeners_chain_is_on_everything_that_goes_through_it_and_costs_its_time():
    """One part goes through, one passes by; in step means that the one that passes is delayed by what the chain costs."""
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
        Thickening(delay_ms=1e6, depth_ms=-9, wander_hz=1e9), HighPass(frequency_hz=1e9), Gate(threshold_db=99, attack_ms=-5, hold_ms=-1, release_ms=0, range_db=50),
        Equaliser(bands=(Band(frequency_hz=-3, gain_db=1e6, q=0),)), Compressor(ratio=0, attack_ms=0, knee_db=-9),
        DeEsser(frequency_hz=0, range_db=90), Multiband(low_hz=0, high_hz=1e9, ratio=0, release_ms=-1), Limiter(ceiling_db=40, release_ms=-1),
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
