"""A stranger's files: one sentence or everything holds; nothing hangs, nothing is written outside, ears are safe."""

import json
import os
import subprocess
import sys

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace

from brucke.commands.cli import main
from brucke.core.document.ranges import RANGES
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import SetupError, decode, encode, load, save
from brucke.demo import FOLDER
from brucke.ports.sounds.files import SoundFileError, read_sound
from brucke.ports.sounds.track import track_info
from brucke.takes.take import TakeError, load_take

# What a few seconds are enough for on two cores; `./run bench hostile` does five thousand of each.
COUNTS = {"setup": 1500, "preset": 1200, "profile": 600, "take": 1500, "bundle": 150, "sound": 600}


@pytest.mark.parametrize("kind", COUNTS)
def test_mutations_are_one_sentence_or_everything_after_them_holds(kind):
    argv = [sys.executable, "-m", "tests.hostile", kind, str(COUNTS[kind]), "20261126"]
    done = subprocess.run(argv, capture_output=True, text=True, timeout=120, check=True)
    found = json.loads(done.stdout)
    assert found["raised"] == []
    assert found["outside"] == found["litter"] == []
    assert found["slowest_s"] < 2.0
    assert found["memory_mb"] < 300
    assert found["accepted"] > 0 or kind == "bundle", "some are still good, so what follows is tried too"


def said(capsys, *argv):
    """Exit code 2 and one line; what it says."""
    assert main([str(a) for a in argv]) == 2
    line = capsys.readouterr().err
    assert line.startswith("brucke: ")
    assert line.count("\n") == 1
    assert "Traceback" not in line
    return line


def test_what_never_ends_or_never_answers_is_refused_at_once(capsys, tmp_path):
    os.mkfifo(tmp_path / "pipe.json")
    (tmp_path / "folder.json").mkdir()
    (tmp_path / "zero.json").symlink_to("/dev/zero")
    for name in ("pipe.json", "folder.json", "zero.json"):
        bad = tmp_path / name
        for argv in (
            ("arrivals", bad), ("check", bad), ("loudness", bad), ("offset", bad, bad), ("import", bad),
            ("render", bad, "--out", tmp_path / "o"), ("denoise", bad, "--profile", "1", "--out", tmp_path / "x.wav"),
        ):  # fmt: skip
            assert "not a file that can be read" in said(capsys, *argv), argv


def test_a_playlist_is_not_a_sound_and_nothing_is_fetched(tmp_path):
    good = tmp_path / "good.wav"
    sf.write(good, np.zeros(4800), 48000)
    lists = {
        "list.m3u8": f"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{good}\n#EXT-X-ENDLIST\n",
        "concat.wav": f"ffconcat version 1.0\nfile {good}\n",
        "session.wav": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 9 RTP/AVP 0\n",
    }
    for name, body in lists.items():
        (tmp_path / name).write_text(body)
        with pytest.raises(SoundFileError, match="not a sound or video file"):
            track_info(tmp_path / name)
    assert track_info(good).seconds == pytest.approx(0.1)


def test_a_sound_that_claims_hours_of_eight_channels_is_read_as_what_is_there(tmp_path):
    claims = tmp_path / "claims.wav"
    sf.write(claims, np.zeros((480, 8)), 48000, subtype="FLOAT")
    body = bytearray(claims.read_bytes())
    at = body.index(b"data") + 4
    body[at : at + 4] = (3 * 3600 * 48000 // 4 * 8 * 4 % 2**32).to_bytes(4, "little")
    body[4:8] = (2**31).to_bytes(4, "little")
    claims.write_bytes(bytes(body))
    code = (
        "import sys; from pathlib import Path; from brucke.ports.sounds.files import read_sound, "
        "SoundFileError\ntry: read_sound(Path(sys.argv[1]))\nexcept SoundFileError as e: "
        "print(e)\nprint(int(Path('/proc/self/status').read_text().split('VmHWM:')[1].split()[0]) // 1024)"
    )  # fmt: skip
    out = subprocess.run(
        [sys.executable, "-c", code, str(claims)], capture_output=True, text=True, timeout=20, check=True
    )
    sentence, memory = out.stdout.splitlines()
    assert "cut off" in sentence
    assert int(memory) < 300


def everywhere(raw, field, value, path=""):
    """The document with `field` set to `value` in one place after the other."""
    if isinstance(raw, dict):
        for key, inner in raw.items():
            if key == field:
                yield path, {**raw, key: value}
            for where, changed in everywhere(inner, field, value, f"{path}.{key}"):
                yield where, {**raw, key: changed}
    elif isinstance(raw, list):
        for i, inner in enumerate(raw):
            for where, changed in everywhere(inner, field, value, f"{path}[{i}]"):
                yield where, [*raw[:i], changed, *raw[i + 1 :]]


@pytest.mark.parametrize("gain", [200.0, 194.0, 1e300])
def test_a_file_that_asks_for_200_db_anywhere_is_refused(gain):
    from .hostile import _example_setup

    setup, knowledge = _example_setup()
    raw = json.loads(encode(setup, knowledge))
    raw["routes"].append(
        {"part": "voice", "listener": "headphones", "map": [{"source": 0, "target": 0, "gain_db": 0.0}]}
    )
    raw["routes"] = list({(r["part"], r["listener"]): r for r in raw["routes"]}.values())
    raw["moments"][0]["routes"] = [{"part": "voice", "listener": "headphones", "gain_db": 0.0}]
    decode(json.dumps(raw).encode())
    fields = {
        f for table in RANGES.values() for f in table if f.endswith(("gain_db", "trim_db", "make_up_db", "level_db"))
    }
    tried = set()
    for field in fields:
        for _where, changed in everywhere(raw, field, gain):
            tried.add(field)
            with pytest.raises(SetupError, match=r"is outside|unknown field"):
                decode(json.dumps(changed).encode())
    assert {"gain_db", "trim_db", "make_up_db"} <= tried


@pytest.mark.parametrize("id", ["../../out", "/tmp/out", "a/b", "..", "Ä", "a b", "x" * 65, "a\0", ""])
def test_ids_never_become_paths(tmp_path, nightboat, id):
    """A stranger's take or setup wrote files outside its folder, with dots in an id."""
    raw = json.loads(encode(nightboat, Knowledge()).decode().replace('"voice"', json.dumps(id)))
    (tmp_path / "s.brucke.json").write_text(json.dumps(raw))
    with pytest.raises(SetupError, match=r"cannot be an id|characters that cannot be written"):
        load(tmp_path / "s.brucke.json")
    take = {"format": "brucke take", "version": 1, "date": "2026-11-24",
        "setup": {k: v for k, v in raw.items() if k not in (
        "format", "version")}}  # fmt: skip
    (tmp_path / "take.json").write_text(json.dumps(take))
    with pytest.raises(TakeError):
        load_take(tmp_path)


def test_whatever_is_accepted_renders_to_numbers_within_one(tmp_path, nightboat, capsys):
    """Everything as loud as the table allows, from sounds at full scale."""
    from brucke.core.sound.processors import Compressor, Gain

    loud = tuple(replace(p, trim_db=40.0,
        chain=(Gain(gain_db=24.0), Compressor(make_up_db=24.0))) for p in nightboat.parts if p.channels)  # fmt: skip
    routes = tuple(replace(r, gain_db=12.0,
        on=True) for r in nightboat.routes if r.part in {p.id for p in loud} and not (
        r.part == "lounge" and r.listener == "lounge_call"))  # fmt: skip
    listeners = tuple(replace(x, chain=(Gain(gain_db=24.0),) if x.channels <= 2 else ()) for x in nightboat.listeners)
    setup = replace(nightboat, parts=loud, routes=routes, listeners=listeners, moments=())
    for name in ("harp", "voice", "cello", "lounge"):
        (tmp_path / f"{name}.flac").symlink_to(FOLDER / f"{name}.flac")
    save(tmp_path / "loud.brucke.json", setup, Knowledge())
    assert main(["render", str(tmp_path / "loud.brucke.json"), "--out", str(tmp_path / "out"), "--seconds", "4"]) == 0
    for file in (tmp_path / "out" / "listeners").glob("*.wav"):
        sound, _ = read_sound(file)
        assert np.isfinite(sound).all()
        assert 0.3 < np.abs(sound).max() <= 1.0
        if file.stem == "headphones":
            assert np.abs(sound).max() <= 10 ** (-3 / 20) + 1e-6, "the monitor's ceiling"


def test_output_that_cannot_be_written_is_one_sentence(capsys, tmp_path):
    (tmp_path / "in_the_way").write_text("")
    demo = FOLDER / "nightboat.brucke.json"
    out = tmp_path / "in_the_way" / "out"
    for argv in (
        ("render", demo, "--out", out, "--seconds", "1"), ("export", demo, out / "b.zip"), ("new", "sing", out /
        "n.json"),
        ("denoise", FOLDER / "voice.flac", "--profile", "1", "--out", out / "v.wav"),
    ):  # fmt: skip
        said(capsys, *argv)
