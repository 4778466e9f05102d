"""Drift, voice against music and the path, on sounds that other people's libraries made: soxr stretches, FFmpeg's
filters and coders are the path."""

import numpy as np
import pytest
import soxr
from scipy import optimize

from brucke.core.measure.clean_path import look_at_path
from brucke.core.measure.drift import find_drift
from brucke.core.measure.path_test_signal import passage
from brucke.core.measure.phrases import beginnings, phrase_offsets

from ..paths import RATE, through_filters, through_opus
from ..speech_library import processed
from .planted import notes, room


@pytest.fixture(scope="module")
def music():
    rng = np.random.default_rng(6)
    beats = np.cumsum(rng.uniform(0.15, 0.5, 320))
    return notes(beats[beats < 88], 90, rng)


@pytest.mark.parametrize("ppm", [200.0, -1.0])
def test_drift_of_what_soxr_stretched(music, ppm):
    """At ratios that are known exactly; a minute and a half, where ten are meant."""
    recording = soxr.resample(music, RATE, RATE * (1 + ppm * 1e-6), quality="VHQ")
    recording = np.concatenate([np.zeros(2400, np.float32), recording])
    found = find_drift(music, recording, RATE)
    assert found.match
    assert found.ppm == pytest.approx(ppm, abs=0.5)
    assert abs(found.ppm - ppm) <= found.ppm_error
    assert found.start_s == pytest.approx(0.05, abs=1e-4)
    assert not found.steps


def test_steps_are_told_from_drift_and_a_buffer_that_hunts_from_both(music):
    recording = soxr.resample(music, RATE, RATE * (1 + 60e-6))
    for at, frames in ((30.3, 64), (60.2, -480)):
        i = round(at * RATE)
        recording = np.concatenate(
            [recording[:i], np.zeros(max(0, frames), np.float32), recording[i + max(0, -frames) :]]
        )
    found = find_drift(music, recording, RATE)
    assert [s.seconds * RATE for s in found.steps] == pytest.approx([64, -480], abs=3)
    assert [s.at_s for s in found.steps] == pytest.approx([30.3, 60.2], abs=1.0)
    assert found.ppm == pytest.approx(60, abs=1.5)
    swinging = np.arange(len(music)) + 0.0008 * RATE * np.sin(2 * np.pi * np.arange(len(music)) / RATE / 17)
    found = find_drift(music, np.interp(swinging, np.arange(len(music)), music).astype(np.float32), RATE)
    assert found.hunts
    assert abs(found.ppm) <= found.ppm_error


def test_what_has_nothing_in_common_is_refused(music):
    other = notes(np.cumsum(np.random.default_rng(9).uniform(0.2, 0.6, 140)), 60, np.random.default_rng(8))
    assert find_drift(music[: 60 * RATE], other, RATE).reason == "no_match"
    assert find_drift(music, np.zeros_like(music), RATE).reason == "silent"
    assert find_drift(music[: 3 * RATE], music[: 3 * RATE], RATE).reason == "too_short"
    assert not phrase_offsets(other, music[: 60 * RATE], RATE).match
    assert phrase_offsets(np.zeros_like(music), music, RATE).reason == "silent"


def test_voice_against_music_with_a_singer_who_scatters():
    """The fixed part is found within its ±, and the straight line agrees with SciPy's least squares over what was
    played."""
    within = 0
    for seed in range(4):
        rng = np.random.default_rng(seed)
        beats = 1 + np.cumsum(rng.choice([0.3, 0.45, 0.6, 0.9], 70))
        seconds, late = float(beats[-1]) + 2, rng.uniform(-0.12, 0.28)
        sung = beats[np.arange(70) % 14 < 11]
        when = sung + late + 0.012 * rng.standard_normal(len(sung))
        found = phrase_offsets(notes(when, seconds, rng, 330, 0.015), notes(beats, seconds, rng), RATE)
        assert found.match
        assert found.phrases >= 8
        slope, middle = optimize.curve_fit(lambda t, a, b: a * t + b, sung, when - sung)[0]
        truth = middle + slope * np.median(sung)
        within += abs(found.seconds - truth) <= found.plus_minus_s
        assert found.seconds == pytest.approx(truth, abs=0.02)
        assert 0.002 < found.scatter_s < 0.03
    assert within >= 3


def test_what_begins_is_seen_where_it_begins():
    """Onsets that are known because they were made so: each within 10 ms of a peak."""
    rng = np.random.default_rng(3)
    beats = 0.5 + np.cumsum(rng.uniform(0.25, 0.6, 30))
    gain = beginnings(notes(beats, float(beats[-1]) + 1, rng), RATE)
    for b in beats:
        near = gain[round((b - 0.03) / 0.002) : round((b + 0.03) / 0.002)]
        assert near.max() > 0.3 * gain.max()
        assert abs(np.argmax(near) * 0.002 - 0.03) <= 0.010


@pytest.fixture(scope="module")
def sent():
    return passage(RATE)


def later(sound, seconds=0.21):
    return np.concatenate([np.zeros((sound.shape[0], round(seconds * RATE)), np.float32), sound], axis=1)


@pytest.mark.parametrize(
    ("filters", "named"),
    [
        ((("afftdn", "nr=12"),), "noise_removal"),
        ((("agate", "threshold=0.003:ratio=9:attack=5:release=100"),), "gate"),
        ((("agate", "threshold=0.0015:ratio=20:range=0.001"),), "gate"),
        ((("acompressor", "threshold=0.05:ratio=4"),), "levelling"),
        ((("dynaudnorm", ""),), "levelling"),
        ((("highpass", "f=200"),), "filter"),
        ((("equalizer", "f=2000:t=o:w=1:g=4"),), "filter"),
    ],
)  # fmt: skip
def test_what_ffmpegs_filters_do_is_named(sent, filters, named):
    report = look_at_path(sent, later(through_filters(sent, *filters)), RATE)
    assert report.verdict == "changed"
    assert [f.what for f in report.found if f.certain] == [named]


@pytest.mark.parametrize(
    ("does", "named"),
    [({"noise_db": 15}, "noise_removal"), ({"noise_db": 30}, "noise_removal"), ({"level": 9000.0}, "levelling")],
)
def test_what_a_library_for_speech_does_is_named(sent, does, named):
    """libspeexdsp's noise remover and level keeper, with one channel as calls have."""
    one = np.ascontiguousarray(sent.mean(axis=0))
    report = look_at_path(sent, later(processed(one, RATE, **does)[None]), RATE)
    assert report.verdict == "changed"
    assert named in [f.what for f in report.found if f.certain]


def test_what_takes_pieces_out_of_the_sound_is_named_as_echo_removal_is(sent):
    """No filter of FFmpeg's does it: bands that come and go, as a canceller leaves them (common practice, no
    source)."""
    from scipy.signal import istft, stft

    rng = np.random.default_rng(1)
    _, _, bands = stft(sent, RATE, nperseg=1024)
    holes = rng.random((bands.shape[1] // 8 + 1, bands.shape[2] // 6 + 1)) < 0.5
    holes = holes.repeat(8, 0).repeat(6, 1)[: bands.shape[1], : bands.shape[2]]
    back = istft(bands * np.where(holes, 0.15, 1.0), RATE, nperseg=1024)[1][:, : sent.shape[1]].astype(np.float32)
    report = look_at_path(sent, later(back), RATE)
    assert report.found[0].what == "echo_removal"
    assert report.found[0].certain


@pytest.mark.parametrize(
    ("bit_rate", "channels", "lost"), [(24_000, 1, 0.0), (64_000, 2, 0.0), (48_000, 2, 0.03), (32_000, 1, 0.05)]
)
def test_a_clean_path_with_a_coder_is_called_so(sent, bit_rate, channels, lost):
    """Through libopus and back, with packets lost; one channel is no fault, it may be the coder's."""
    rng = np.random.default_rng(bit_rate)
    gone = frozenset(np.flatnonzero(rng.random(3000) < lost).tolist())
    report = look_at_path(sent, later(through_opus(sent, bit_rate, gone, channels)), RATE)
    assert not [f for f in report.found if f.certain]
    assert report.verdict == "clean" or lost
    assert [f.what for f in report.found] == (["folded"] if channels == 1 else [])
    assert report.delay_s == pytest.approx(0.21 + 0.0065, abs=2e-3)


def test_what_is_heard_twice_lost_upside_down_or_very_late_is_said(sent):
    """A second arrival, a side that is gone, polarity, and seven seconds of delay; each was called clean, noisy or
    nothing before."""

    def named(back):
        report = look_at_path(sent, back, RATE)
        return [f.what for f in report.found if f.certain], report

    echoed = later(sent) + 0.5 * later(sent, 0.46)[:, : sent.shape[1] + round(0.21 * RATE)]
    found, report = named(echoed)
    assert "echo" in found
    assert next(f for f in report.found if f.what == "echo").how_much == pytest.approx(0.25, abs=2e-3)
    assert named(later(sent * np.array([[1.0], [0.0]], np.float32)))[0] == ["dead_side"]
    assert named(later(-sent))[0] == ["inverted"]
    one = sent.mean(axis=0)
    assert "opposite" in named(later(np.stack([one, -one])))[0]
    rng = np.random.default_rng(4)
    in_room = named(later(np.stack([room(side, rng) for side in sent])))[0]
    assert "room" in in_room
    assert not {"echo_removal", "levelling", "filter"} & set(in_room)
    noise = 0.01 * rng.standard_normal((2, sent.shape[1] + round(0.21 * RATE))).astype(np.float32)
    assert named(later(sent) + noise)[0] == ["noise"]
    half = sent.shape[1] // 2
    jumped = np.concatenate(
        [later(sent[:, :half]), np.zeros((2, round(0.12 * RATE)), np.float32), sent[:, half:]], axis=1
    )
    assert named(jumped)[0] == [], "a delay that jumps, as a call's does, is nothing heard twice"
    found, report = named(later(sent, 7.0))
    assert (found, report.verdict) == ([], "clean")
    assert report.delay_s == pytest.approx(7.0, abs=2e-3)


def test_a_path_of_which_nothing_can_be_said_says_so(sent):
    rng = np.random.default_rng(2)
    noise = rng.standard_normal(sent.shape).astype(np.float32)
    assert look_at_path(sent, 0.02 * sent + 0.2 * noise, RATE).reason == "noisy"
    assert look_at_path(sent, 0.1 * noise, RATE).reason in ("no_match", "noisy")
    assert look_at_path(sent, np.zeros_like(sent), RATE).reason == "silent"
    song = sent[:, RATE : 20 * RATE]
    report = look_at_path(song, later(song), RATE)
    assert report.verdict == "unsure"
    assert report.not_judged == ("noise_or_gate",)
    folded = np.repeat(sent.mean(axis=0, keepdims=True), 2, axis=0)
    assert look_at_path(sent, folded, RATE, two_sides=True).found[0].certain
