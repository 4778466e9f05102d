"""Measuring: round trip and its refusals, natural offset, what is left in a take, the picture."""

import numpy as np
import pytest

from brucke.core.measure.correlation import correlate, decimate, fast_length, find_peak
from brucke.core.measure.offset import known_delay, natural_offset
from brucke.core.measure.picture_offset import picture_offset
from brucke.core.measure.round_trip import Refusal, RoundTrip, round_trip
from brucke.core.measure.sharp_sounds import clap_times
from brucke.core.measure.stimulus import stimulus
from brucke.core.measure.take_offset import left_between

from ..conftest import delayed, with_noise

RATE = 48000
SPACING = RATE * 3 // 2


def came_back(kind, delay, repeats=4, gain=0.5, second=None, step=0.0):
    """What a cable of `delay` frames gives for several repeats; `step` frames more with every repeat."""
    sound = stimulus(kind, RATE, -12)
    heard = np.zeros(repeats * SPACING + RATE, np.float32)
    for i in range(repeats):
        at = i * SPACING
        heard[at:] += gain * delayed(sound, delay + i * step, len(heard) - at)
        if second is not None:
            heard[at:] += gain * second[1] * delayed(sound, delay + second[0], len(heard) - at)
    return sound, heard


@pytest.mark.parametrize("kind", ["sweep", "sequence"])
def test_a_round_trip_is_found_to_a_fraction_of_a_frame_with_its_plus_minus(kind, rng):
    sound, heard = came_back(kind, 573.628)
    found = round_trip(sound, heard, 4, SPACING, RATE, 0.4)
    assert isinstance(found, RoundTrip)
    assert found.seconds * RATE == pytest.approx(573.628, abs=0.02)
    assert found.agreeing == 4
    assert found.proof[len(found.proof) // 2] > 0.9 * max(found.proof) > 0.5
    noisy = with_noise(heard, 0, rng, 0.5 * sound)
    found = round_trip(sound, noisy, 4, SPACING, RATE, 0.4)
    assert found.seconds * RATE == pytest.approx(573.628, abs=0.05)
    assert found.plus_minus_s * RATE < 0.1


@pytest.mark.parametrize(
    ("make", "code"),
    [
        (lambda rng: np.zeros(7 * RATE, np.float32), "silence"),
        (lambda rng: (1e-4 * rng.standard_normal(7 * RATE)).astype(np.float32), "silence"),
        (lambda rng: (0.05 * rng.standard_normal(7 * RATE)).astype(np.float32), "no_match"),
        (lambda rng: np.clip(came_back("sweep", 573.6, gain=9.0)[1], -1, 1), "clipped"),
        (lambda rng: came_back("sweep", 573.6, step=0.4)[1], "disagree"),
        (lambda rng: came_back("sweep", 573.6, second=(500, 0.9))[1], "two_arrivals"),
    ],
)
def test_what_cannot_be_measured_is_refused_with_the_reason(make, code, rng):
    found = round_trip(stimulus("sweep", RATE, -12), make(rng), 4, SPACING, RATE, 0.4)
    assert isinstance(found, Refusal)
    assert found.code == code


def test_a_weaker_second_arrival_is_reported_with_its_distance():
    sound, heard = came_back("sweep", 573.6, second=(480, 0.3))
    found = round_trip(sound, heard, 4, SPACING, RATE, 0.4)
    assert 0.12 < found.second < 0.35
    assert found.second_s == pytest.approx(0.01, abs=1e-4)


def test_an_offset_knows_sign_gain_and_polarity(sources, rng):
    voice = sources["voice"][RATE * 12 : RATE * 19]
    for lag, gain in ((3210.37, 0.2), (-2500.6, -0.8)):
        start = 5000
        recording = gain * delayed(sources["voice"][RATE * 12 - start :], lag, start + len(voice))[start:]
        found = natural_offset(voice, with_noise(recording, 6, rng, recording), RATE)
        assert found.match
        assert found.frames == pytest.approx(lag, abs=0.3)
        assert found.polarity == np.sign(gain)
        assert 0 < found.confidence <= 1
        assert found.search_s == (-2.0, 2.0)


def test_of_a_long_recording_the_loudest_stretch_is_compared(sources):
    loud = np.concatenate(
        [np.zeros(70 * RATE, np.float32), sources["voice"], sources["cello"], np.zeros(90 * RATE, np.float32)]
    )
    late = np.concatenate([np.zeros(12_345, np.float32), loud])
    found = natural_offset(loud, late, RATE)
    assert found.match
    assert found.frames == pytest.approx(12_345, abs=0.1)


def test_unrelated_short_or_silent_material_is_no_match(sources):
    voice, cello = sources["voice"][RATE * 12 : RATE * 19], sources["cello"][RATE * 20 : RATE * 27]
    assert natural_offset(voice, cello, RATE).reason == "no_match"
    assert natural_offset(voice, voice[: 3 * RATE], RATE).reason == "too_short"
    assert natural_offset(voice, np.zeros(7 * RATE, np.float32), RATE).reason == "silent"


def test_material_that_repeats_is_said_to_repeat(rng):
    bar = (0.2 * rng.standard_normal(RATE // 2)).astype(np.float32)
    found = natural_offset(np.tile(bar, 16), np.tile(bar, 16), RATE)
    assert not found.match
    assert found.reason == "repeats"
    assert found.repeats_s == pytest.approx(0.5, abs=0.001)


def test_what_is_left_in_a_mix_is_found_although_everyone_plays_the_same_tune(sources, rng):
    true = {"voice": 7.4, "cello": -31.8}
    mix = 0.7 * sources["harp"] + 0.01 * rng.standard_normal(len(sources["harp"])).astype(np.float32)
    for part, late in true.items():
        mix = mix + 0.6 * np.roll(delayed(np.pad(sources[part], 100), late + 100, len(mix) + 100)[100:], -100)
    heard = np.ascontiguousarray(mix[5 * RATE : 30 * RATE], np.float32)
    found = left_between({k: sources[k] for k in ("harp", "voice", "cello")}, "harp", heard, RATE)
    assert abs(found.late) < 0.5
    for part, late in true.items():
        assert found.left[part].median_s * RATE == pytest.approx(late, abs=0.3)
        assert found.left[part].windows >= 6


def test_what_is_not_in_the_recording_is_not_found(sources, rng):
    noise = (0.1 * rng.standard_normal(20 * RATE)).astype(np.float32)
    assert left_between({k: sources[k] for k in ("harp", "voice")}, "harp", noise, RATE) is None


def scene(offset_s, claps, rng, period=1 / 30, seconds=12.0):
    """Movement seen by a camera: hands that close and open, symmetric about each clap."""
    times = np.arange(rng.uniform(0, period), seconds, period)
    nearest = np.min(np.abs(times[:, None] - np.asarray(claps)[None, :] - offset_s), axis=1)
    return times, 2.0 + 5 * np.clip(1 - nearest / 0.14, 0, 1) + 0.02 * rng.standard_normal(len(times))


@pytest.mark.parametrize(("count", "budget"), [(1, 1 / 2), (8, 1 / 8)])
def test_sound_against_picture_is_found_within_its_share_of_a_period(count, budget, rng):
    errors = []
    for _ in range(40):
        claps = 1.0 + 0.79 * np.arange(count) + rng.uniform(0, 0.03)
        offset = rng.uniform(-0.1, 0.2)
        found = picture_offset(*scene(offset, claps, rng), claps)
        errors.append(abs(found.seconds - offset) * 30)
    assert np.percentile(errors, 95) <= budget


def test_a_picture_without_claps_says_nothing(rng):
    times, still = scene(0.0, [100.0], rng)
    assert picture_offset(times, still, np.array([2.0, 3.0, 4.0, 5.0])) is None


def test_the_claps_of_the_demo_voice_are_found_on_its_beats(sources):
    beats = np.array([b * 37895 / RATE for b in range(4, 12)])
    found = clap_times(sources["voice"], RATE)
    assert np.max(np.abs(found[:8] - beats)) < 0.002


def test_the_pieces_of_the_estimator(rng):
    assert all(fast_length(n) >= n and fast_length(n) <= 1.2 * n for n in (7, 1000, 47_321, 144_001))
    x = rng.standard_normal(4000).astype(np.float32)
    c = correlate(x, delayed(x, 300.25, 5000), (0, 999))
    assert find_peak(c, RATE).lag == pytest.approx(300.25, abs=0.01)
    edge = find_peak(correlate(x, x, (0, 50)), RATE)
    assert edge.lag == pytest.approx(0, abs=0.01)
    assert len(decimate(x, 3)) == 1333
    peak, _ = known_delay(x, delayed(-x, 40.5, 5000), RATE, 0.01)
    assert peak.polarity == -1
