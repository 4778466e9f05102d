"""A take handed on in four ways: each opens in programs that are none of ours, of one length and from one start;
nothing half written stays, and nothing goes along that was to stay."""

import json
import os
import subprocess
import sys
import time
from resource import RLIMIT_FSIZE, setrlimit

import av
import numpy as np
import pyloudnorm
import pytest
import soundfile as sf
from msgspec.structs import replace
from scipy.signal import butter, sosfilt

from brucke.commands.cli import main
from brucke.core.measure.placement import Piece, Placement
from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.processors import Gain, Limiter
from brucke.takes.contents import Asked
from brucke.takes.edits import Edits, Stretch, TrackEdits
from brucke.takes.handed import Stopped
from brucke.takes.handing_on import hand_on, in_step_frames
from brucke.takes.placing import bring_film
from brucke.takes.take import Take, TakeError, load_take, save_take

from ..films import write_film

RATE, SECONDS = 48000, 20


@pytest.fixture
def take(tmp_path, nightboat):
    folder, rng = tmp_path / "A take", np.random.default_rng(4)
    (folder / "parts").mkdir(parents=True)
    (folder / "listeners").mkdir()
    parts = {}
    for name, frames in (("harp", SECONDS * RATE), ("voice", SECONDS * RATE - 5000), ("lounge", SECONDS * RATE)):
        channels = 2 if name == "harp" else 1
        sf.write(folder / "parts" / f"{name}.wav", 0.1 * rng.standard_normal((frames, channels)), RATE, subtype="FLOAT")
        parts[name] = f"parts/{name}.wav"
    mix = 0.05 * sosfilt(butter(4, 6000, fs=RATE, output="sos"), rng.standard_normal((SECONDS * RATE, 2)), axis=0)
    mix[5 * RATE, :] = 0.5
    sf.write(folder / "listeners" / "shore_stream.wav", mix, RATE, subtype="FLOAT")
    save_take(
        folder,
        Take(date="2026-11-28T20:15:30", setup=nightboat, parts=parts,
        listeners={"shore_stream": "listeners/shore_stream.wav"}),
    )  # fmt: skip
    return folder


def probe(file):
    """What FFmpeg's libraries read of it: (tags, codings, sample formats)."""
    with av.open(str(file)) as f:
        return dict(f.metadata), [x.codec_context.name for x in f.streams]


def test_into_an_editor_every_part_is_as_long_begins_alike_and_says_when(take, tmp_path):
    out = tmp_path / "out"
    out.mkdir()
    made = hand_on(take, load_take(take), out, Asked("editor"))
    sounds = [f for f in made.files if f.path.suffix == ".wav"]
    assert [f.path.name for f in sounds] == ["01 Harp.wav", "02 Voice.wav", "03 Lounge.wav"]
    assert {sf.info(f.path).frames for f in sounds} == {SECONDS * RATE}
    for f in sounds:
        tags, codings = probe(f.path)
        assert "encoder" not in tags, "no program goes along"
        assert tags["time_reference"] == str((20 * 3600 + 15 * 60 + 30) * RATE), "EBU Tech 3285"
        assert (codings, sf.info(f.path).subtype) == (["pcm_s24le"], "PCM_24")
    original = sf.read(take / "parts" / "harp.wav")[0]
    np.testing.assert_allclose(sf.read(sounds[0].path)[0], original, atol=2**-22)
    assert (out / "Nightboat hour notes.csv").exists()
    again = hand_on(take, load_take(take), out, Asked("editor", far_ends=False))
    assert [f.path.name for f in again.files][:2] == ["01 Harp 2.wav", "02 Voice 2.wav"], "never in the place of others"
    assert not any("Lounge" in f.path.name for f in again.files)


def test_a_processed_part_lies_with_its_dry_one_after_every_edit(take, tmp_path, nightboat):
    """What came out of a chain came later by what the chain costs."""
    chain = (Gain(gain_db=-6.0), Limiter(ceiling_db=0.0))
    cost = latency_frames(chain, nightboat.block_frames)
    dry = sf.read(take / "parts" / "voice.wav", dtype="float32")[0]
    late = np.concatenate([np.zeros(cost, np.float32), 0.5 * dry])[: len(dry)]
    (take / "processed").mkdir()
    sf.write(take / "processed" / "voice.wav", np.stack([late, late], axis=1), RATE, subtype="FLOAT")
    old = load_take(take)
    setup = replace(nightboat, parts=tuple(replace(p, chain=chain if p.id == "voice" else ()) for p in nightboat.parts))
    edits = Edits(left_out=(Stretch(3.0, 5.5),), tracks={"voice": TrackEdits(gain_db=-3.0, muted=(Stretch(8, 9),))})
    save_take(take, replace(old, setup=setup, processed={"voice": "processed/voice.wav"}, edits=edits))
    made = hand_on(take, load_take(take), tmp_path, Asked("editor"))
    names = [f.path.name for f in made.files if f.path.suffix == ".wav"]
    assert names == ["01 Harp.wav", "02 Voice.wav", "03 Voice processed.wav", "04 Lounge.wav"]
    one, two = (sf.read(tmp_path / n)[0] for n in names[1:3])
    assert np.abs(one).max() > 0.1
    # What the chain held when the recording ended was never kept.
    end = len(dry) - round(2.5 * RATE) - cost + in_step_frames(load_take(take), RATE)["voice"][0]
    np.testing.assert_allclose(two[:end, 0], 0.5 * one[:end], atol=2**-22)


def test_the_song_has_its_loudness_and_its_peaks_stay_below_the_ceiling(take, tmp_path):
    made = hand_on(take, load_take(take), tmp_path, Asked("song", loudness_lufs=-30.0))
    (file,) = made.files
    sound, rate = sf.read(file.path)
    meter = pyloudnorm.Meter(rate)
    assert meter.integrated_loudness(sound) == pytest.approx(-30.0, abs=0.3)
    assert made.reached_lufs == pytest.approx(-30.0, abs=0.01)
    assert file.seconds == pytest.approx(len(sound) / rate, abs=0.03)
    made = hand_on(take, load_take(take), tmp_path, Asked("song", loudness_lufs=-10.0))
    assert "peaks" in made.says
    assert made.peak_db == pytest.approx(-1.0, abs=0.01)
    assert np.abs(sf.read(made.files[0].path)[0]).max() < 0.93


def test_a_film_to_send_has_its_own_pictures_and_the_mix_in_step(take, tmp_path):
    grey = [np.full((48, 64), v, np.uint8) for v in (20, 200)]
    times = np.arange(0, 15, 1 / 25)
    film = write_film(
        tmp_path / "phone.mp4", times, lambda t, _p: grey[int(8.98 < t < 9.2)], 0.01 * np.ones(15 * RATE, np.float32),
        (64, 48), audio="aac",
    )  # fmt: skip
    with pytest.raises(TakeError, match="no film has found its place"):
        hand_on(take, load_take(take), tmp_path, Asked("film"))
    # It began four seconds before the take did: what sounds 5 s into the take is seen 9 s into the film.
    piece = Piece(4.0, 14.9, 0.0, 0.001, 0.0, 0.1, 1.0, 10)
    bring_film(take, film, Placement(True, "", (piece,)))
    assert load_take(take).film.file == "film/film.mp4"
    made = hand_on(take, load_take(take), tmp_path, Asked("film"))
    assert probe(made.files[0].path)[1] == ["h264", "aac"]
    with av.open(str(made.files[0].path)) as f:
        pictures = [(float(x.time), x.to_ndarray(format="gray").mean()) for x in f.decode(video=0)]
    assert len(pictures) == len(times)
    lit = next(t for t, mean in pictures if mean > 100)
    with av.open(str(made.files[0].path)) as f:
        frames = [(float(x.time), x.to_ndarray()) for x in f.decode(audio=0)]
    sound = np.concatenate([x.mean(axis=0) for _t, x in frames])
    heard = int(np.argmax(np.abs(sound))) / RATE + frames[0][0]
    assert heard == pytest.approx(9.0, abs=0.002)
    assert heard - lit == pytest.approx(0.0, abs=0.045)


def test_everything_opens_elsewhere_and_what_is_stopped_or_fails_leaves_nothing(take, tmp_path, capsys, monkeypatch):
    out = tmp_path / "all"
    assert main(["hand-on", str(take), "--out", str(out), "--as", "everything", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {f["start_frames"] for f in told["files"]} == {0}
    for file in told["files"]:
        if not file["path"].endswith((".csv", ".otio")):
            probe(file["path"])
    empty = tmp_path / "none"
    empty.mkdir()
    with pytest.raises(Stopped):
        hand_on(take, load_take(take), empty, Asked("everything"), lambda share: share < 0.5)
    assert list(empty.iterdir()) == []
    for name in ("link", "replace"):  # on a disk that knows files without a name, and on one that does not
        monkeypatch.setattr(os, name, lambda *_a, **_k: (_ for _ in ()).throw(OSError(28, "No space left on device")))
        with pytest.raises(OSError, match="No space"):
            hand_on(take, load_take(take), empty, Asked("song"))
        assert list(empty.iterdir()) == []
        monkeypatch.setattr(os, "O_TMPFILE", os.O_DIRECTORY)


def test_killed_in_the_middle_only_whole_files_are_left(take, tmp_path):
    out = tmp_path / "killed"
    out.mkdir()
    argv = [sys.executable, "-m", "brucke", "hand-on", str(take), "--out", str(out), "--as", "editor"]
    with subprocess.Popen(argv, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as working:
        until = time.monotonic() + 30
        while not list(out.iterdir()) and working.poll() is None and time.monotonic() < until:
            time.sleep(0.0005)
        working.kill()
    left = sorted(p.name for p in out.iterdir())
    assert left
    assert len(left) < 5
    assert all(sf.info(out / name).frames == SECONDS * RATE for name in left if name.endswith(".wav"))
    assert not [name for name in left if name.startswith(".")]


@pytest.mark.parametrize("use", ["editor", "song", "everything"])
def test_a_disk_without_room_is_one_sentence_and_nothing_half_written_stays(take, tmp_path, use):
    out = tmp_path / "full"
    out.mkdir()
    argv = [sys.executable, "-m", "brucke", "hand-on", str(take), "--out", str(out), "--as", use]
    most = 300_000  # bytes that a file may have, as of a disk that is full then
    ended = subprocess.run(
        argv, capture_output=True, text=True, preexec_fn=lambda: setrlimit(RLIMIT_FSIZE, (most, most))
    )
    assert ended.returncode == 2
    assert "file too large" in ended.stderr.splitlines()[-1]
    assert list(out.iterdir()) == []


def test_a_track_that_is_gone_is_said_and_the_others_go_along(take, tmp_path):
    (take / "parts" / "voice.wav").unlink()
    made = hand_on(take, load_take(take), tmp_path, Asked("editor"))
    assert "missing Voice" in made.says
    assert [f.path.name for f in made.files][:2] == ["01 Harp.wav", "03 Lounge.wav"]
    kept = load_take(take)
    with pytest.raises(TakeError, match="no listener"):
        hand_on(take, replace(kept, listeners={}), tmp_path, Asked("song"))
