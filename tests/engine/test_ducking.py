"""Ducking and crossfades of moments in the block: how far, how fast, under whom, and without a click."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.document.setup import Duck, MapPoint, Moment, MomentRoute, Route
from brucke.core.routing.rows import rows_of
from brucke.engine.step.live import Live, moment_key
from brucke.engine.step.plan import compile_plans, shape_of
from brucke.engine.step.runner import Runner
from brucke.engine.step.safety import Safety, Word, safety_of

from .test_block import RATE, N, setup_of

DUCK = Duck(under="p1", depth_db=12.0, threshold_db=-30.0, attack_ms=30.0, release_ms=200.0)


def song_and_voice(duck=DUCK, voice_delay_ms=0.0, moments=(), voice_on=True):
    """The song p0 comes to channel 0, the voice p1 to channel 1 of the one listener."""
    routes = (
        Route(part="p0", listener="l0", map=(MapPoint(source=0, target=0),), duck=duck),
        Route(part="p1", listener="l0", map=(MapPoint(source=0, target=1),), delay_ms=voice_delay_ms, on=voice_on),
    )
    return replace(setup_of(2, 1, routes), moments=moments)


def play(setup, seconds, voice, live=None, song_hz=1000.0, calls=()):
    """Channels of the listener [2, frames]; `voice` is (from, to) in seconds, `calls` (second, moment) called up."""
    live = live or Live()
    shape, plans = shape_of(setup), compile_plans(setup, live)
    safety = Safety.of(shape)
    safety.write(safety_of(setup, live, rows_of(setup)))
    runner = Runner(shape, plans.plan, safety=safety)
    runner.begin_with(plans)
    t = np.arange(round(seconds * RATE) // N * N) / RATE
    sound = np.zeros((2, len(t)), np.float32)
    sound[0] = 0.25 * np.sin(2 * np.pi * song_hz * t)
    sound[1] = 0.25 * np.sin(2 * np.pi * 300 * t) * ((t >= voice[0]) & (t < voice[1]))
    calls, out = list(calls), []
    for b in range(0, len(t), N):
        while calls and t[b] >= calls[0][0]:
            safety.words[Word.MOMENT] = moment_key(calls.pop(0)[1])
        out.append(runner.step(np.ascontiguousarray(sound[:, b : b + N]))[0].copy())
    return np.concatenate(out, axis=1)


def level_db(song, window_s=0.005):
    """Level of the 1 kHz song in windows of whole periods, against how it is given."""
    n = round(window_s * RATE)
    whole = song[: len(song) // n * n].reshape(-1, n)
    return 20 * np.log10(np.maximum(np.sqrt(2 * (whole**2).mean(axis=1)), 1e-9) / 0.25)


def test_attack_and_release_follow_the_published_curve():
    """Giannoulis, Massberg & Reiss 2012: a smoothed detector reaches 1 − 1/e of a step after its time constant."""
    song = play(song_and_voice(), 3.0, (1.0, 2.0))[0]
    level = level_db(song)
    assert np.abs(level[:199]).max() < 0.01, "before a voice nothing is touched"
    after = np.arange(1, 40)
    expected = -12 * (1 - np.exp(-(after * 0.005 + 0.0025) / 0.030))
    assert np.abs(level[200 + after] - expected).max() < 0.35
    assert level[398] == pytest.approx(-12, abs=0.02)
    back = level[400 + 24 :]  # the level that is held has fallen below the threshold by then
    expected = back[0] * np.exp(-np.arange(len(back)) * 0.005 / 0.200)
    assert np.abs(back - expected).max() < 0.15
    held = np.flatnonzero(level[400:] > -11.9)[0] * 0.005
    assert held < 0.03 * np.log(0.25 / 10 ** (-30 / 20)) + 0.01, "it is let go as soon as the held level has fallen"


@pytest.mark.parametrize(
    ("setup", "live"),
    [
        (song_and_voice(replace(DUCK, threshold_db=-6.0)), Live()),
        (song_and_voice(replace(DUCK, depth_db=0.0)), Live()),
        (song_and_voice(voice_on=False), Live()),
        (song_and_voice(), Live(muted=frozenset({"p1"}))),
        (
            song_and_voice(
                moments=(Moment(id="m", name="M", routes=(MomentRoute(part="p0", listener="l0", duck_db=0.0),)),)
            ),
            Live(moment="m"),
        ),
    ],
    ids=["too soft", "no depth", "not heard there", "muted", "not in this moment"],
)
def test_what_is_not_heard_there_or_not_asked_for_ducks_nothing(setup, live):
    plain = play(song_and_voice(duck=None), 1.0, (0.2, 0.8))[0]
    assert np.array_equal(play(setup, 1.0, (0.2, 0.8), live)[0], plain)


def test_it_goes_down_when_the_voice_is_heard_not_when_it_comes_in():
    level = level_db(play(song_and_voice(voice_delay_ms=300.0), 1.5, (0.5, 1.2))[0])
    assert np.flatnonzero(level < -1)[0] * 0.005 == pytest.approx(0.8, abs=0.01)


def test_a_deep_fast_duck_makes_no_click():
    fast = replace(DUCK, depth_db=40.0, attack_ms=5.0, release_ms=50.0)
    song = play(song_and_voice(fast), 1.4, (0.4, 0.9), song_hz=100.0)[0]
    frames = song[: len(song) // 2048 * 2048].reshape(-1, 2048) * np.blackman(2048)
    spectrum = np.abs(np.fft.rfft(frames, axis=1))
    above = spectrum[:, np.fft.rfftfreq(2048, 1 / RATE) > 3000].max()
    assert above / spectrum.max() < 10 ** (-75 / 20), "a step would lie at −35 dB"


def test_a_moment_with_a_crossfade_takes_its_time_and_another_one_does_not_wait_for_it():
    soft = Moment(id="soft", name="Soft", crossfade_s=1.0, routes=(MomentRoute(part="p0", listener="l0", mute=True),))
    full = Moment(id="full", name="Full")
    setup = song_and_voice(duck=None, moments=(full, soft))
    live = Live(moment="full")
    song = play(setup, 2.0, (9, 9), live, calls=[(0.5, "soft")])[0]
    gain = 10 ** (level_db(song) / 20)
    expected = 0.5 + 0.5 * np.cos(np.pi * np.arange(0, 1, 0.1))
    assert gain[101:300:20] == pytest.approx(expected, abs=0.03)
    assert not song[round(1.52 * RATE) :].any(), "and then nothing is left"
    hurried = play(setup, 2.0, (9, 9), live, calls=[(0.5, "soft"), (1.0, "full")])[0]
    gain = 10 ** (level_db(hurried) / 20)
    assert gain[199] == pytest.approx(0.5, abs=0.03)
    assert gain[205:].min() > 0.999, "within 20 ms"
    low = play(setup, 2.0, (9, 9), live, song_hz=100.0, calls=[(0.5, "soft"), (1.0, "full")])[0]
    spectrum = np.abs(np.fft.rfft(low[round(0.9 * RATE) :][:8192] * np.blackman(8192)))
    assert spectrum[np.fft.rfftfreq(8192, 1 / RATE) > 3000].max() / spectrum.max() < 10 ** (-70 / 20)


def test_delays_of_a_slow_moment_change_at_once_so_that_nothing_is_heard_twice():
    """Half-way through a slow fade between two delays a tone whose half period lies between them would vanish."""
    at_once = Moment(id="now", name="Now", crossfade_s=1.0, policy={"l0": "least_delay"})
    setup = replace(song_and_voice(duck=None, moments=(at_once,)))
    setup = replace(setup, routes=(replace(setup.routes[0], delay_ms=10.5), *setup.routes[1:]))
    gain = 10 ** (level_db(play(setup, 2.0, (9, 9), calls=[(0.5, "now")])[0]) / 20)
    assert min(gain[110:].min(), gain[5:99].min()) > 0.99
