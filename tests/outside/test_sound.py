"""Gate and compressor against their textbook curves, the mix against FFmpeg's filters, files against FFmpeg's
readers."""

import itertools
from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile as sf

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.sound.processors import Compressor, Gate
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.ports.sounds.files import TrackWriter

RATE, N = 48000, 128


def through(chain, sound, delay_ms=0.0, gain_db=0.0):
    card = Device(id="card", name="Card", kind="interface", buffer_frames=N, buffers=2)
    part = Part(id="p", name="P", kind="lead", device="card", channels=(0,), chain=chain)
    setup = Setup(
        devices=(card,), parts=(part,), listeners=(Listener(id="x", name="X", kind="stream", device="card"),),
        routes=(Route(part="p", listener="x", delay_ms=delay_ms, gain_db=gain_db),),
    )  # fmt: skip
    engine = BlockEngine(shape_of(setup), compile_plan(setup, Live()))
    blocks = [engine.step(sound[None, i : i + N].copy())[0, 0].copy() for i in range(0, len(sound) // N * N, N)]
    return np.concatenate(blocks)


def tone(db, seconds, hz=3000.0):
    t = np.arange(int(seconds * RATE)) / RATE
    return (10 ** (db / 20) * np.sin(2 * np.pi * hz * t)).astype(np.float32)


def db_of(x):
    return 20 * np.log10(np.abs(x).max())


@pytest.mark.parametrize("level", [-50, -40, -31, -25, -19, -10, -3])
def test_compressor_static_curve(level):
    """Threshold, ratio, soft knee and make-up (Giannoulis, Massberg & Reiss 2012), steady tone, slow release."""
    threshold, ratio, knee, make_up = -25.0, 4.0, 8.0, 6.0
    over = level - threshold
    if 2 * over < -knee:
        expected = level
    elif 2 * abs(over) <= knee:
        expected = level + (1 / ratio - 1) * (over + knee / 2) ** 2 / (2 * knee)
    else:
        expected = threshold + over / ratio
    chain = (
        Compressor(
            threshold_db=threshold, ratio=ratio, knee_db=knee, attack_ms=0.2, release_ms=2000, make_up_db=make_up
        ),
    )
    out = through(chain, tone(level, 1.5))
    assert db_of(out[-RATE // 4 :]) == pytest.approx(expected + make_up, abs=0.4)


def test_compressor_attack_and_release_reach_63_percent_in_their_time():
    """Definition of a time constant. Steps of a constant, so that the level itself does not move."""
    quiet, loud = np.full(RATE, 0.05, np.float32), np.full(RATE, 0.5, np.float32)
    chain = (Compressor(threshold_db=-30, ratio=4, knee_db=0, attack_ms=20, release_ms=150),)
    sound = np.concatenate([quiet, loud, quiet])
    gain_db = 20 * np.log10(through(chain, sound) / sound[: len(sound) // N * N])
    for at, seconds in ((RATE, 0.020), (2 * RATE, 0.150)):
        start, end = gain_db[at - 10], gain_db[min(at + RATE - 200, len(gain_db) - 1)]
        reached = np.argmax(np.abs(gain_db[at:] - start) >= 0.632 * abs(end - start)) / RATE
        assert reached == pytest.approx(seconds, rel=0.15)


def test_gate_opens_above_holds_and_closes_to_its_range():
    chain = (Gate(threshold_db=-40, attack_ms=1, hold_ms=100, release_ms=50, range_db=-30),)
    sound = np.concatenate([tone(-60, 1), tone(-20, 0.5), tone(-60, 1)])
    out = through(chain, sound)
    assert db_of(out[RATE // 2 : RATE - 200]) == pytest.approx(-90, abs=1)
    assert db_of(out[int(1.2 * RATE) : int(1.45 * RATE)]) == pytest.approx(-20, abs=0.2)
    assert db_of(out[int(1.56 * RATE) : int(1.59 * RATE)]) == pytest.approx(-60, abs=0.5), "held open"
    assert db_of(out[int(2.2 * RATE) : int(2.4 * RATE)]) == pytest.approx(-90, abs=1.5)


def test_delay_and_gain_are_those_of_ffmpegs_own_filters(rng):
    """FFmpeg's adelay and volume filters on the same noise, sample for sample."""
    sound = (0.3 * rng.standard_normal(200 * N)).astype(np.float32)
    graph = av.filter.Graph()
    source = graph.add_abuffer(format="flt", sample_rate=RATE, layout="mono", time_base=Fraction(1, RATE))
    chain = [source, graph.add("adelay", "480S"), graph.add("volume", "-7.5dB"), graph.add("abuffersink")]
    for a, b in itertools.pairwise(chain):
        a.link_to(b)
    graph.configure()
    theirs = []
    for i in range(0, len(sound), N):
        frame = av.AudioFrame.from_ndarray(sound[None, i : i + N].copy(), format="flt", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, i, Fraction(1, RATE)
        graph.push(frame)
        while True:
            try:
                theirs.append(graph.pull().to_ndarray()[0])
            except (av.BlockingIOError, av.EOFError):
                break
    theirs = np.concatenate(theirs)
    ours = through((), sound, delay_ms=10.0, gain_db=-7.5)
    length = min(len(ours), len(theirs))
    assert length > 150 * N
    np.testing.assert_allclose(ours[:length], theirs[:length], atol=2e-6)


def test_an_unfinished_track_opens_in_libsndfile_and_ffmpeg(tmp_path, rng):
    """RF64/WAV (EBU Tech 3306): after a sync, everything written so far is readable by both, unclosed."""
    path = tmp_path / "voice.wav"
    writer = TrackWriter(path, 2, RATE)
    sound = (0.1 * rng.standard_normal((2, RATE))).astype(np.float32)
    writer.write(sound)
    writer.sync()
    read, rate = sf.read(path, dtype="float32")
    assert rate == RATE
    assert np.array_equal(read.T, sound)
    with av.open(str(path)) as f:
        frames = np.concatenate([x.to_ndarray().reshape(-1, 2) for x in f.decode(audio=0)])
    assert np.array_equal(frames.T, sound)
    writer.write(sound)
    writer.close()
    assert sf.info(path).frames == 2 * RATE


def test_two_equal_arrivals_cancel_first_at_one_over_twice_their_distance(rng):
    """Comb filtering, arithmetic: notch at 1 / (2Δt), through the engine's own delay and sum."""
    noise = (0.3 * rng.standard_normal(1000 * N)).astype(np.float32)
    delay_ms = 0.5
    both = through((), noise) + through((), noise, delay_ms=delay_ms)
    from scipy import signal

    hz, power = signal.welch(both, RATE, nperseg=4096)
    low = hz < 1.5 / (delay_ms * 1e-3)
    assert hz[low][np.argmin(power[low])] == pytest.approx(1 / (2 * delay_ms * 1e-3), abs=RATE / 4096)
