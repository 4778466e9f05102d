"""The commands: keys, exit codes, and one sentence for whatever is wrong."""

import json
import shutil

import numpy as np
import pytest
import soundfile as sf

from brucke.commands.cli import main
from brucke.demo import FOLDER, SETUP

RATE = 48000


def run(capsys, *argv):
    code = main([str(a) for a in argv])
    said = capsys.readouterr()
    return code, said.out, said.err


def test_arrivals_tells_stages_arrivals_and_the_delays_that_align(capsys):
    code, out, _ = run(capsys, "arrivals", SETUP, "--json")
    assert code == 1, "it starts out of step"
    listeners = {x["id"]: x for x in json.loads(out)["listeners"]}
    assert {x["kind"] for x in listeners.values()} == {"monitor", "call", "stream", "recorder"}
    stream = listeners["shore_stream"]
    harp = next(r for r in stream["routes"] if r["part"] == "harp")
    assert {"part", "arrival_ms", "delay_ms", "align_delay_ms", "stages"} <= harp.keys()
    assert {"name", "latency_ms", "evidence"} <= harp["stages"][0].keys()
    assert {x["id"]: x["verdict_code"] for x in listeners.values()} == {
        "headphones": "own_sound", "lounge_call": "early", "shore_stream": "early", "recorder": "early",
    }  # fmt: skip
    assert {r["part"]: r["code"] for r in stream["routes"]} == {
        "harp": "early", "voice": "in_step", "cello": "in_step", "picture": "unknown", "lounge": "far_end",
    }  # fmt: skip
    assert harp["arrival_ms"] == pytest.approx(sum(s["latency_ms"] for s in harp["stages"]))
    assert harp["arrival_ms"] + harp["align_delay_ms"] == pytest.approx(stream["target_ms"], abs=0.03)
    code, out, _ = run(capsys, "arrivals", SETUP, "--listener", "recorder")
    assert out.splitlines()[0] == "Recorder: harp early 10.7 ms"
    assert run(capsys, "arrivals", SETUP, "--listener", "moon")[0] == 2


def test_offset_prints_its_keys_and_matches_only_what_belongs_together(capsys, tmp_path, sources):
    voice = sources["voice"][12 * RATE : 20 * RATE]
    sf.write(tmp_path / "a.wav", voice, RATE)
    sf.write(tmp_path / "b.flac", 0.5 * np.concatenate([np.zeros(4801, np.float32), voice]), RATE)
    code, out, _ = run(capsys, "offset", tmp_path / "a.wav", tmp_path / "b.flac", "--json")
    found = json.loads(out)
    assert code == 0
    assert found["match"] is True
    assert found["offset_frames"] == pytest.approx(4801, abs=0.1)
    assert found["offset_ms"] == pytest.approx(100.02, abs=0.01)
    assert 0 < found["confidence"] <= 1
    code, out, _ = run(capsys, "offset", tmp_path / "a.wav", FOLDER / "cello.flac", "--json")
    assert (code, json.loads(out)["match"], json.loads(out)["offset_ms"]) == (1, False, None)
    assert "later than a.wav" in run(capsys, "offset", tmp_path / "a.wav", tmp_path / "b.flac")[1]


def test_render_runs_the_engine_and_writes_a_file_for_each_part_and_listener(capsys, tmp_path):
    sf.write(tmp_path / "click.wav", np.eye(1, 4800, 100, dtype=np.float32)[0], RATE)
    shutil.copy(SETUP, tmp_path / "hour.json")
    code, out, _ = run(
        capsys,
        "render",
        tmp_path / "hour.json",
        "--out",
        tmp_path / "out",
        "--input",
        f"harp={tmp_path / 'click.wav'}",
        "--json",
    )
    assert code == 0
    files = json.loads(out)["files"]
    assert {f.split("out/")[1] for f in files} == {
        *(f"parts/{p}.wav" for p in ("harp", "voice", "cello", "lounge")),
        *(f"listeners/{x}.wav" for x in ("headphones", "lounge_call", "shore_stream", "recorder")),
    }
    heard, _ = sf.read(tmp_path / "out/listeners/headphones.wav")
    assert np.flatnonzero(np.abs(heard[:, 0]) > 1e-4).tolist() == [100]
    assert heard[100, 0] == pytest.approx(10 ** (-6 / 20), rel=1e-4)
    kept, _ = sf.read(tmp_path / "out/listeners/recorder.wav")
    assert kept.shape[1] == 6
    assert np.abs(kept[:, 2:]).max() == 0, "every part its own track"


def wav(path, sound, rate=RATE, subtype="FLOAT"):
    sf.write(path, sound, rate, subtype=subtype)
    return path


def bad_files(folder, rng):
    noise = (0.1 * rng.standard_normal(6 * RATE)).astype(np.float32)
    good = wav(folder / "good.wav", noise)
    cut = folder / "cut.wav"
    cut.write_bytes(good.read_bytes()[: len(good.read_bytes()) // 2])
    lost = noise.copy()
    lost[777] = np.nan
    (folder / "text.wav").write_text("once upon a time")
    return {
        "empty.wav": (wav(folder / "empty.wav", noise[:0]), "no frames"),
        "cut.wav": (cut, "cut off"),
        "silent.wav": (wav(folder / "silent.wav", 0 * noise), "silent"),
        "slow.wav": (wav(folder / "slow.wav", noise, 44100), "44100 Hz"),
        "lost.wav": (wav(folder / "lost.wav", lost), "frame 777: not a number"),
        "text.wav": (folder / "text.wav", "not a sound file"),
        "gone.wav": (folder / "gone.wav", "no such file"),
        "short.wav": (wav(folder / "short.wav", noise[:RATE]), "shorter than 4 s"),
    }


@pytest.mark.parametrize(
    "name", ["empty.wav", "cut.wav", "silent.wav", "slow.wav", "lost.wav", "text.wav", "gone.wav", "short.wav"]
)
def test_a_bad_sound_file_is_one_sentence_and_exit_code_2(capsys, tmp_path, rng, name):
    path, reason = bad_files(tmp_path, rng)[name]
    command = ("offset", tmp_path / "good.wav", path, "--json")
    if name == "slow.wav":  # what compares converts, what renders refuses
        command = ("render", SETUP, "--out", tmp_path / "o", "--input", f"voice={path}")
    code, out, err = run(capsys, *command)
    assert (code, out) == (2, "")
    assert reason in err
    assert name in err
    assert err.count("\n") == 1
    if name not in ("silent.wav", "short.wav"):
        code, out, err = run(capsys, "render", SETUP, "--out", tmp_path / "o", "--input", f"voice={path}")
        assert (code, out) == (2, "")
        assert name in err


@pytest.mark.parametrize(
    ("argv", "said"),
    [
        (["render", SETUP, "--out", "x", "--input", "trumpet=a.wav"], "PART=FILE"),
        (["arrivals", "nowhere.json"], "no such file"),
        (["prove", "nowhere", "--sounds", FOLDER], "no such file"),
    ],
)
def test_bad_usage_is_one_sentence(capsys, argv, said):
    code, out, err = run(capsys, *argv)
    assert (code, out) == (2, "")
    assert said in err
    assert err.startswith("brucke: ")
    assert "Traceback" not in err


def test_unknown_commands_and_numbers_out_of_range_are_exit_code_2(capsys):
    assert run(capsys, "juggle")[0] == 2
    assert run(capsys, "rehearse", SETUP, "--out", "x", "--seconds", "0")[0] == 2
    assert run(capsys, "--help")[0] == 0


def test_a_take_whose_files_lead_outside_is_refused(capsys, tmp_path):
    take = tmp_path / "take"
    take.mkdir()
    body = {
        "format": "brucke take",
        "version": 1,
        "date": "2026-11-24",
        "setup": {},
        "parts": {"voice": "../../secret.wav"},
    }
    (take / "take.json").write_text(json.dumps(body))
    code, _, err = run(capsys, "prove", take, "--sounds", FOLDER)
    assert code == 2
    assert "leads outside the take" in err


def test_loudness_in_its_keys_and_silence_is_null(capsys, tmp_path):
    tone = (10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * np.arange(20 * RATE) / RATE)).astype(np.float32)
    code, out, _ = run(capsys, "loudness", wav(tmp_path / "tone.wav", np.stack([tone] * 2, axis=1)), "--json")
    said = json.loads(out)
    assert code == 0
    assert list(said) == ["integrated_lufs", "momentary_max_lufs", "short_term_max_lufs", "range_lu", "true_peak_dbtp"]
    for key in list(said)[:3]:
        assert said[key] == pytest.approx(-23, abs=0.1)
    assert said["true_peak_dbtp"] == pytest.approx(-23, abs=0.2)
    code, out, _ = run(capsys, "loudness", wav(tmp_path / "silence.wav", 0 * tone), "--json")
    assert json.loads(out)["integrated_lufs"] is None
    assert "nothing to measure" in run(capsys, "loudness", tmp_path / "silence.wav")[1]


def test_noise_is_learnt_kept_and_taken_out_in_step(capsys, tmp_path, rng, sources):
    room = 0.01 * rng.standard_normal(20 * RATE)
    room[12 * RATE :] += sources["voice"][: 8 * RATE]
    x = wav(tmp_path / "x.wav", room.astype(np.float32))
    profile, y = tmp_path / "room.noise.json", tmp_path / "y.wav"
    code, out, _ = run(capsys, "denoise", x, "--profile", 12, "--out", y, "--keep-profile", profile, "--json")
    said = json.loads(out)
    assert code == 0
    assert (said["latency_frames"], said["latency_ms"]) == (896, pytest.approx(18.667, abs=0.001))
    assert said["floor_before_db"] - said["floor_after_db"] > 30
    clean, dirty = (sf.read(f)[0] for f in (y, x))
    assert len(clean) == len(dirty)
    assert np.argmax(np.abs(clean[13 * RATE :])) == pytest.approx(np.argmax(np.abs(dirty[13 * RATE :])), abs=3)
    again = tmp_path / "z.wav"
    assert run(capsys, "denoise", x, "--profile", profile, "--out", again, "--strength", 1)[0] == 0
    np.testing.assert_array_equal(sf.read(again)[0], clean)
    for argv, why in (
        ((x, "--profile", 20), "it was not silent at 1"),
        ((x, "--profile", 2), "less than 3 s of silence"),
        ((x, "--profile", 99), "has 20.0 s"),
        ((x, "--profile", tmp_path / "gone.json"), "gone.json: the file: no such file"),
        ((wav(tmp_path / "slow.wav", room, 44100), "--profile", profile), "learnt at 48000 Hz, slow.wav has 44100 Hz"),
        ((x, "--profile", wav(tmp_path / "still.wav", 0 * room)), "nothing came in at all"),
    ):
        code, out, err = run(capsys, "denoise", *argv, "--out", tmp_path / "no.wav")
        assert (code, out) == (2, "")
        assert why in err
        assert err.count("\n") == 1
        assert not (tmp_path / "no.wav").exists()


def test_what_two_recordings_tell_of_one_another_as_json(capsys, tmp_path):
    keys = {
        "drift": {"match", "drift_ppm", "drift_ppm_error", "offset_ms_at_start", "steps", "says"},
        "take-offset": {"match", "offset_ms", "plus_minus_ms", "scatter_ms", "trend_ms_per_min", "phrases", "says"},
        "clean": {"verdict", "found", "not_judged", "says"},
        "picture": {"match", "sound_early_ms", "spread_ms", "events", "frame_ms", "says"},
    }
    voice, harp = FOLDER / "voice.flac", FOLDER / "harp.flac"
    sound, rate = sf.read(harp, dtype="float32")
    sf.write(tmp_path / "later.wav", np.concatenate([np.zeros((480, *sound.shape[1:])), sound]), rate)
    code, out, _ = run(capsys, "drift", harp, tmp_path / "later.wav", "--json")
    found = json.loads(out)
    assert code == 0
    assert keys["drift"] <= found.keys()
    assert found["offset_ms_at_start"] == pytest.approx(480 / rate * 1e3, abs=0.01)
    code, out, _ = run(capsys, "take-offset", voice, harp, "--json")
    assert code == 0
    assert keys["take-offset"] <= json.loads(out).keys()
    code, out, _ = run(capsys, "clean", harp, tmp_path / "later.wav", "--json")
    assert code == 1, "a song cannot tell all of it"
    assert keys["clean"] <= json.loads(out).keys()
    assert json.loads(out)["verdict"] == "unsure"
    code, out, _ = run(capsys, "slate", tmp_path / "slate.mkv", "--fps", "50", "--json")
    assert code == 0
    code, out, _ = run(capsys, "picture", tmp_path / "slate.mkv", "--json")
    found = json.loads(out)
    assert code == 0
    assert keys["picture"] <= found.keys()
    assert (found["match"], found["frame_ms"]) == (True, pytest.approx(20))
    code, out, _ = run(capsys, "picture", tmp_path / "slate.mkv")
    assert "sound and picture come together" in out.splitlines()[0]


def test_stages_of_ways_that_share_them_and_ways_that_are_none(capsys, tmp_path):
    ways = tmp_path / "ways.json"
    measured = [
        {"name": "whole", "stages": ["out", "coder", "in"], "ms": 212.0, "plus_minus_ms": 0.5},
        {"name": "without", "stages": ["out", "in"], "ms": 12.0, "plus_minus_ms": 0.1},
    ]
    ways.write_text(json.dumps({"measured": measured, "possible": [["out"], ["out", "in"]]}))
    code, out, _ = run(capsys, "stages", ways, "--json")
    found = json.loads(out)
    assert code == 0
    coder = next(s for s in found["stages"] if s["stage"] == "coder")
    assert coder["ms"] == pytest.approx(200.0)
    assert coder["plus_minus_ms"] == pytest.approx(0.26**0.5)
    assert coder["only_together_with"] == []
    assert found["worth_measuring"] == [["out"]]
    assert {s["stage"]: s["only_together_with"] for s in found["stages"]}["out"] == ["in"]
    for text, why in (
        ("{", "not JSON"),
        ('{"measured": []}', "length"),
        ('{"measured": [{"name": "x", "stages": ["a"], "ms": 1e9}]}', "<= 10000"),
    ):
        ways.write_text(text)
        code, out, err = run(capsys, "stages", ways)
        assert (code, out) == (2, "")
        assert why in err
        assert err.count("\n") == 1


def test_recordings_that_tell_nothing_are_refused_in_one_sentence(capsys, tmp_path):
    rng = np.random.default_rng(1)
    sf.write(tmp_path / "silent.wav", np.zeros(20 * RATE), RATE)
    sf.write(tmp_path / "one.wav", 0.1 * rng.standard_normal(20 * RATE), RATE)
    sf.write(tmp_path / "other.wav", 0.1 * rng.standard_normal(20 * RATE), RATE)
    sf.write(tmp_path / "short.wav", 0.1 * rng.standard_normal(RATE), RATE)
    for argv, why in (
        (("drift", "one.wav", "silent.wav"), "silent"), (("drift", "one.wav", "short.wav"), "too short"),
        (("take-offset", "one.wav"), "has 1 channels"), (("picture", "one.wav"), "holds no picture"),
        (("slate", "film.txt"), "ends in none of"), (("slate", "film.mkv", "--fps", "fast"),
        "is no number of pictures"),
    ):  # fmt: skip
        code, out, err = run(capsys, argv[0], *[tmp_path / a if "." in a else a for a in argv[1:]])
        assert (code, out) == (2, "")
        assert why in err
        assert err.count("\n") == 1
    for argv in (("drift", "one.wav", "other.wav"), ("clean", "one.wav", "other.wav")):
        code, out, _ = run(capsys, argv[0], *[tmp_path / a for a in argv[1:]], "--json")
        found = json.loads(out)
        assert code == 1
        assert found["reason"] == "no_match"
        assert not found.get("match", False)
