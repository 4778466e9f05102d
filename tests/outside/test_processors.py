"""Each processor through the engine: filters against the Audio EQ Cookbook, limiter against an oversampled peak."""

import numpy as np
import pytest
from scipy.signal import butter, freqz, resample_poly

from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.processors import (
    Band,
    Compressor,
    DeEsser,
    Equaliser,
    Gate,
    HighPass,
    Limiter,
    Multiband,
    Thickening,
)

from .chain_of import RATE, N, response_db, through


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
    np.testing.assert_allclose(Equaliser(bands=(band,)).response_db(HZ, RATE), theirs, atol=1e-6)
    impulse = np.zeros(2**15, np.float32)
    impulse[0] = 0.1
    heard = through((Equaliser(bands=(band,)),), impulse).astype(np.float64)
    spectrum = np.abs(freqz(heard / 0.1, worN=HZ, fs=RATE)[1])
    np.testing.assert_allclose(20 * np.log10(spectrum), theirs, atol=0.02)


@pytest.mark.parametrize(("slope", "at_half"), [(12, -12.3), (24, -24.1)])
def test_a_high_pass_is_butterworths(slope, at_half):
    p = HighPass(frequency_hz=200, slope_db=slope)
    at = p.response_db(np.array([100.0, 200.0, 2000.0]), RATE)
    assert at[0] == pytest.approx(at_half, abs=0.1)
    assert at[1] == pytest.approx(-3.01, abs=0.01)
    assert at[2] == pytest.approx(0, abs=0.01)


def test_the_drawn_curves_are_what_the_processors_do():
    t = np.arange(RATE) / RATE
    for p in (Compressor(threshold_db=-30, ratio=3, knee_db=12, attack_ms=0.1, make_up_db=4),
        Gate(threshold_db=-40, range_db=-25, release_ms=20), Limiter(ceiling_db=-6)):  # fmt: skip
        for level in (-55, -33, -25, -10, -1):
            out = through((p,), (10 ** (level / 20) * np.sign(np.sin(2 * np.pi * 500 * t))).astype(np.float32))
            if isinstance(p, Limiter):
                continue  # square waves ring between their samples; see below
            heard = 20 * np.log10(np.median(np.abs(out[RATE // 2 :])))
            assert heard == pytest.approx(p.level_out_db(np.array([float(level)]))[0], abs=0.15), (p, level)


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
    np.testing.assert_allclose(through((Limiter(ceiling_db=ceiling),), quiet)[wait:],
        quiet[: len(quiet) // N * N - wait], atol=1e-6)  # fmt: skip


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


@pytest.mark.parametrize("rate", [44100, 96000, 192000])
def test_thickening_has_its_copies_apart_at_every_rate(rate):
    """The longest there are: the ring once held 43 ms at 96 kHz, and all copies fell together at its end."""
    impulse = np.zeros(round(0.1 * rate), np.float32)
    impulse[100] = 0.5
    out = through((Thickening(voices=4, delay_ms=30, depth_ms=0, level_db=0),), impulse, rate)
    found = np.flatnonzero(np.abs(out[101:]) > 0.1) + 1
    for w in 0.03 * rate * (1 + 0.37 * np.arange(4)):
        assert np.abs(found - w).min() <= 1


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
