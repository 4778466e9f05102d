"""A far end that came back late is set in step afterwards: to the frame where what it played is known, within a
millisecond through Opus, within its ± by echo and by phrases, and never where nothing tells."""

import json

import numpy as np
import pytest
import soundfile as sf
from scipy.signal import correlate

from brucke.commands.cli import main
from brucke.demo import FOLDER
from brucke.standins.coder import OpusLink
from brucke.standins.opus_timing import FRAME
from brucke.takes.contents import Asked
from brucke.takes.handing_on import hand_on, in_step_frames
from brucke.takes.in_step import in_step
from brucke.takes.take import Take, load_take, save_take

RATE = 48000
LATE = 18_617  # frames: 387.9 ms


def stem(name, seconds=50):
    return sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)[0].mean(axis=1)[: seconds * RATE]


def later(sound, frames):
    return np.concatenate([np.zeros(frames, np.float32), sound])[: len(sound)].astype(np.float32)


def through_opus(sound, rng):
    """Coded and decoded, and later or sooner by up to half a millisecond every few seconds, as a buffer against jitter
    has it."""
    link, out = OpusLink(1, 48_000), []
    for at in range(0, len(sound) - FRAME, FRAME):
        out.append(link.push(sound[None, at : at + FRAME])[0])
    coded = np.concatenate([*out, np.zeros(2 * FRAME, np.float32)])[: len(sound)]
    for at in range(0, len(sound), 4 * RATE):
        coded[at : at + 4 * RATE] = np.roll(coded[at : at + 4 * RATE], int(rng.integers(-24, 25)))
    return coded


def write(folder, setup, far, sent=None):
    harp = stem("harp")
    for name, sound in (("parts/harp", harp), ("parts/lounge", far), ("listeners/lounge_call", sent)):
        if sound is not None:
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            sf.write(folder / f"{name}.wav", sound, RATE, subtype="FLOAT")
    parts = {"harp": "parts/harp.wav", "lounge": "parts/lounge.wav"}
    heard = {"lounge_call": "listeners/lounge_call.wav"} if sent is not None else {}
    save_take(folder, Take(date="2026-11-28T20:15:30", setup=setup, parts=parts, listeners=heard))
    return load_take(folder)


def lag(source, heard):
    return int(np.argmax(np.abs(correlate(heard, source, method="fft")))) - (len(source) - 1)


@pytest.mark.parametrize(("coded", "within"), [(False, 1), (True, 48)])
def test_a_far_end_whose_part_is_known_lies_where_it_was_meant_in_what_is_handed_on(
    nightboat, tmp_path, rng, coded, within, capsys
):
    folder = tmp_path / "A take"
    far = stem("lounge")
    far = later(through_opus(far, rng) if coded else far, LATE)
    take = write(folder, nightboat, far)
    assert main(["in-step", str(folder), "--sounds", str(FOLDER), "--keep", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["parts"]["lounge"]
    assert told["by"] == "source"
    assert told["late_ms"] == pytest.approx(LATE / 48, abs=within / 48)
    out = tmp_path / "out"
    out.mkdir()
    made = hand_on(folder, load_take(folder), out, Asked("editor"))
    files = {f.path.stem[3:].lower(): sf.read(f.path)[0] for f in made.files if f.path.suffix == ".wav"}
    assert abs(lag(stem("lounge"), files["lounge"]) - lag(stem("harp"), files["harp"])) <= within
    assert in_step_frames(take, RATE)["lounge"] == (0, "unknown"), "nothing else has moved it"


def test_their_loudspeaker_tells_by_what_comes_in_again(nightboat, tmp_path, rng):
    """Nobody knows what they play; what was sent is heard in it, 35 dB down, wandering by a millisecond."""
    sent = later(stem("harp"), 480)
    own = (
        0.05
        * np.convolve(rng.standard_normal(len(sent)), np.ones(20) / 20, "same")
        * (np.arange(len(sent)) % 96000 < 30000)
    )
    back = np.zeros(len(sent), np.float32)
    for at in range(0, len(sent), 5 * RATE):
        wander = int(rng.integers(-24, 24))
        back[at : at + 5 * RATE] = later(sent, LATE + wander)[at : at + 5 * RATE]
    found = in_step(tmp_path, write(tmp_path, nightboat, (0.3 * back + own).astype(np.float32), sent), "lounge")
    assert found.by == "echo"
    assert abs(found.late_s - (LATE + 480) / RATE) < 0.001
    assert found.wander_s < 0.003


def test_phrases_tell_within_what_is_stated_where_nothing_else_does(nightboat, tmp_path, rng):
    found = in_step(tmp_path, write(tmp_path, nightboat, later(stem("lounge"), LATE // 2)), "lounge")
    assert found.by == "phrases"
    assert abs(found.late_s - LATE // 2 / RATE) < found.plus_minus_s + 0.03
    assert found.plus_minus_s > 0.001, "ears are not as sure as waveforms"


def test_where_nothing_tells_that_is_said_and_nothing_is_moved(nightboat, tmp_path, rng, capsys):
    hum = 0.1 * np.sin(2 * np.pi * 97 * np.arange(50 * RATE) / RATE).astype(np.float32)
    write(tmp_path, nightboat, hum)
    assert main(["in-step", str(tmp_path), "--keep"]) == 1
    assert "nothing tells how late it comes in" in capsys.readouterr().out
    assert load_take(tmp_path).edits.tracks == {}
    assert main(["in-step", str(tmp_path), "--part", "voice"]) == 2
