"""The Nightboat hour is what its makers make, pleasant in level, and starts out of step."""

import numpy as np
import pytest
import soundfile as sf

from brucke.core.aligning.align import timing
from brucke.core.storage.setup_file import load
from brucke.core.timing.paths import Situation
from brucke.demo import FOLDER, SETUP
from brucke.demo.make_sounds import BEAT, BEATS, LENGTH, RATE, clap, hz, pluck, sung
from brucke.rehearse.equipment import facts_of
from brucke.words import timing as words


def test_the_setup_on_disk_is_the_one_its_maker_writes(nightboat):
    setup, knowledge = load(SETUP)
    assert setup == nightboat
    assert not knowledge.measurements


def test_it_has_every_kind_of_part_and_listener_and_starts_out_of_step(nightboat):
    assert {p.kind for p in nightboat.parts} == {"lead", "follower", "far_end", "picture"}
    assert {x.kind for x in nightboat.listeners} == {"monitor", "call", "stream", "recorder"}
    found = timing(Situation(nightboat, facts=facts_of(nightboat)))
    assert not found.findings
    asking = {t.listener for t in found.listeners if words.needs_you(t.verdict)}
    assert asking == {"lounge_call", "shore_stream", "recorder"}
    assert all(r.delay_ms == 0 for r in nightboat.routes)


@pytest.mark.parametrize("name", ["harp", "voice", "cello", "lounge"])
def test_the_sounds_are_one_loop_of_small_files_without_clipping(name):
    path = FOLDER / f"{name}.flac"
    sound, rate = sf.read(path, always_2d=True)
    assert rate == RATE
    assert len(sound) == LENGTH == BEAT * BEATS
    assert path.stat().st_size < 4 * 2**20
    assert 0.2 < np.abs(sound).max() < 0.9
    assert np.abs(sound.mean()) < 0.01
    # The loop closes: no step from its end to its beginning larger than inside it.
    inside = np.abs(np.diff(sound[:, 0])).max()
    assert abs(sound[0, 0] - sound[-1, 0]) <= inside


def test_the_beat_is_no_multiple_of_a_picture_period():
    """So that eight claps meet eight phases of the camera."""
    phases = {round((k * BEAT) % (RATE / 30)) for k in range(8)}
    assert len(phases) == 8


def test_plucked_and_sung_notes_have_their_pitch(rng):
    assert hz(69) == 440
    for midi in (50, 62, 69):
        for sound in (pluck(midi, 1.0, rng, 0.55), sung(midi, 1.0, "a", rng)):
            middle = sound[RATE // 4 : RATE // 4 + 16384]
            auto = np.fft.irfft(np.abs(np.fft.rfft(middle * np.hanning(len(middle)), 65536)) ** 2)
            low, high = int(RATE / hz(midi) * 0.8), int(RATE / hz(midi) * 1.25)
            period = low + int(np.argmax(auto[low:high]))
            assert RATE / period == pytest.approx(hz(midi), rel=0.03)
    assert np.argmax(np.abs(clap(rng))) < 0.01 * RATE
