"""Loudness against the test signals of EBU Tech 3341 and 3342, and against pyloudnorm on the same sounds.

Signals and expected values from memory of the two documents' tables; the K-weighting coefficients at 48 kHz are those
printed in ITU-R BS.1770-4.
"""

import math
import pickle

import numpy as np
import pyloudnorm
import pytest
import soundfile as sf

from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.loudness import LoudnessMeter, PowerSteps, compared_lufs, integrated_lufs, k_weighting
from brucke.core.sound.loudness_target import gain_for_target, through
from brucke.core.sound.processors import Gain, Limiter
from brucke.demo import FOLDER

RATE = 48000


def tone(*pieces, channels=2, hz=1000):
    """(dBFS, seconds) one after the other, without a jump in phase."""
    level = np.concatenate([np.full(round(s * RATE), 10 ** (db / 20)) for db, s in pieces])
    line = level * np.sin(2 * np.pi * hz * np.arange(len(level)) / RATE)
    return np.stack([line] * channels).astype(np.float32)


def meter(sound, block=128, rate=RATE):
    m = LoudnessMeter(rate, sound.shape[0])
    for i in range(0, sound.shape[1], block):
        m.push(sound[:, i : i + block])
    return m


def test_the_weighting_is_the_printed_one():
    shelf, high = k_weighting(RATE)
    np.testing.assert_allclose(
        shelf, [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585],
        atol=1e-7,
    )  # fmt: skip
    np.testing.assert_allclose(high, [1, -2, 1, 1, -1.99004745483398, 0.99007225036621], atol=1e-7)


FIVE = np.concatenate([tone((db, 20), channels=1) for db in (-28, -28, -24, -30, -30)])


@pytest.mark.parametrize(
    ("sound", "lufs"),
    [
        (tone((-23, 20)), -23.0),
        (tone((-33, 20)), -33.0),
        (tone((-36, 10), (-23, 60), (-36, 10)), -23.0),
        (tone((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0),
        (tone((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
        (FIVE, -23.0),
    ],
    ids=["1", "2", "3", "4", "5", "6"],
)
def test_integrated_loudness_of_tech_3341(sound, lufs):
    assert meter(sound).integrated_lufs == pytest.approx(lufs, abs=0.1)


def readings(sound, read):
    """What a meter says after every tenth of a second."""
    m, said = LoudnessMeter(RATE, sound.shape[0]), []
    for at in range(0, sound.shape[1], RATE // 10):
        m.push(sound[:, at : at + RATE // 10])
        said.append(read(m))
    return said


def test_gating_on_a_histogram_says_what_the_plain_form_says_and_costs_no_more_after_hours(rng):
    """Three hours of changing loudness: within 0.1 LU of looking at every window again, and no larger than at first."""
    levels = np.repeat(rng.uniform(-60, -8, 1080), 100)
    powers = (10 ** ((levels + 0.691) / 10) * rng.uniform(0.5, 1.5, len(levels))).tolist()
    m = LoudnessMeter(RATE, 2)
    sizes = []
    for begin in range(0, len(powers), 36_000):
        m._steps.powers += powers[begin : begin + 36_000]
        m._take_steps()
        sizes.append(len(pickle.dumps((m._recent, m._momentary, m._short, m._steps.powers))))
        assert m.integrated_lufs == pytest.approx(integrated_lufs(powers[: begin + 36_000]), abs=0.1)
    assert max(sizes) - min(sizes) < 200
    assert m.seconds == pytest.approx(3 * 3600)


def test_short_term_and_momentary_of_tech_3341():
    """Signals 9 and 12: alternating so that every window holds the same; 10 and 13: a tone after ever more silence."""
    short = readings(tone(*[(-20, 1.34), (-30, 1.66)] * 5), lambda m: m.short_term_lufs)
    assert short[30:] == pytest.approx([-23.0] * len(short[30:]), abs=0.1)
    momentary = readings(tone(*[(-20, 0.18), (-30, 0.22)] * 25), lambda m: m.momentary_lufs)
    assert momentary[8:] == pytest.approx([-23.0] * len(momentary[8:]), abs=0.1)
    for i in (0, 7, 19):
        sound = tone((-120, 0.15 * i), (-23, 3), (-120, 1))
        assert meter(sound).result().short_term_max_lufs == pytest.approx(-23.0, abs=0.1)
        sound = tone((-120, 0.02 * i), (-23, 0.4), (-120, 1))
        assert meter(sound).result().momentary_max_lufs == pytest.approx(-23.0, abs=1.1)


@pytest.mark.parametrize(
    ("pieces", "range_lu"),
    [
        (((-20, 20), (-30, 20)), 10),
        (((-20, 20), (-15, 20)), 5),
        (((-40, 20), (-20, 20)), 20),
        (((-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)), 15),
    ],
    ids=["1", "2", "3", "4"],
)
def test_loudness_range_of_tech_3342(pieces, range_lu):
    assert meter(tone(*pieces)).range_lu == pytest.approx(range_lu, abs=1)


@pytest.mark.parametrize(("part", "degrees"), [(4, 0), (4, 45), (6, 60), (8, 67.5)])
def test_true_peak_of_tech_3341(part, degrees):
    """Signals 15 to 19: a sine of −6 dBFS whose samples miss its peak, by up to 3 dB. Allowed: +0.2, −0.4 dB."""
    n = np.arange(RATE)
    line = (10 ** (-6 / 20) * np.sin(2 * np.pi * n / part + np.radians(degrees))).astype(np.float32)
    fade = np.minimum(1, np.arange(RATE) / 4800) * np.minimum(1, np.arange(RATE)[::-1] / 4800)
    found = meter(np.stack([line * fade] * 2).astype(np.float32)).result().true_peak_dbtp
    assert -6.4 <= found <= -5.8


@pytest.mark.parametrize("name", ["voice.flac", "harp.flac", "cello.flac", "lounge.flac"])
def test_the_demo_is_as_loud_as_pyloudnorm_says(name):
    sound, rate = sf.read(FOLDER / name, always_2d=True, dtype="float32")
    ours = meter(sound.T, block=777).integrated_lufs
    assert ours == pytest.approx(pyloudnorm.Meter(rate).integrated_loudness(sound), abs=0.1)


@pytest.mark.parametrize("rate", [44100, 96000])
def test_another_rate_weighs_alike(rate):
    line = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * np.arange(10 * rate) / rate)
    assert meter(np.stack([line] * 2).astype(np.float32), rate=rate).integrated_lufs == pytest.approx(-23, abs=0.1)


def test_blocks_of_any_length_say_the_same_and_silence_says_nothing(rng):
    sound = (0.1 * rng.standard_normal((2, 5 * RATE))).astype(np.float32)
    results = [meter(sound, b).result() for b in (64, 1000, 48000)]
    for r in results[1:]:
        assert r.integrated_lufs == pytest.approx(results[0].integrated_lufs, abs=1e-6)
        assert r.true_peak_dbtp == pytest.approx(results[0].true_peak_dbtp, abs=0.05)
    silent = meter(np.zeros((2, 5 * RATE), np.float32)).result()
    assert silent.integrated_lufs == silent.true_peak_dbtp == -math.inf


def test_before_and_after_are_compared_where_somebody_sounds(rng):
    """Twelve decibels more and the pauses silenced: the difference is the twelve decibels, not the silence."""
    t = np.arange(20 * RATE) / RATE
    voice = 0.05 * np.sin(2 * np.pi * 400 * t) * ((t % 4) < 2)
    before, after = PowerSteps(RATE, 2), PowerSteps(RATE, 2)
    room = voice + 0.002 * rng.standard_normal(len(t))
    for steps, line in ((before, room), (after, 4 * voice)):
        for i in range(0, len(t), 5000):
            steps.push(np.stack([line[i : i + 5000]] * 2).astype(np.float32))
    a, b = compared_lufs(before, after)
    assert b - a == pytest.approx(12.04, abs=0.5)
    assert compared_lufs(PowerSteps(RATE, 2), PowerSteps(RATE, 2)) == (-math.inf, -math.inf)


def test_the_gain_for_a_target_is_found_through_a_limiter_with_what_passes_it_by(sources):
    """Checked by the meter on the sound that the chain makes with that gain, the rest of the mix added."""
    voice = np.stack([sources["voice"][10 * RATE : 20 * RATE]] * 2).astype(np.float32)
    past = 0.02 * np.stack([sources["harp"][: 10 * RATE]] * 2).astype(np.float32)
    now = (Gain(gain_db=-6),)
    chain = (Gain(), Limiter())
    wait = latency_frames(chain, 1024)
    for target in (-30.0, -18.0):
        gain, reached = gain_for_target(voice, through(now, voice, RATE) + past, chain, now, 0, RATE, target)
        late = np.pad(past, ((0, 0), (wait, 0)))[:, : voice.shape[1]]
        out = through((Gain(gain_db=gain), Limiter()), voice, RATE) + late
        assert meter(out[:, RATE:]).integrated_lufs == pytest.approx(target, abs=0.2)
        assert reached == pytest.approx(target, abs=0.1)
    assert gain_for_target(0 * voice, 0 * voice, chain, now, 0, RATE, -18)[1] == -math.inf
