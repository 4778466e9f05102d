"""Edits of a take change no file; what is handed on after them is cut alike in all four ways, without a click."""

import av
import numpy as np
import opentimelineio as otio
import pyloudnorm
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.signal import butter, sosfilt

from brucke.core.measure.placement import Piece, Placement
from brucke.rehearse.remix import remix
from brucke.rehearse.render import render_setup
from brucke.takes import edits as e
from brucke.takes.contents import Asked
from brucke.takes.edited import SEAM_S, Sounds, left
from brucke.takes.edits import UNEDITED, Edits, Stretch, after_edits_s, kept
from brucke.takes.handing_on import hand_on, in_step_frames
from brucke.takes.levelling import gain_like_neighbours
from brucke.takes.overview import A_SECOND, FLOOR_DB, outline, overview
from brucke.takes.placing import bring_film
from brucke.takes.take import Take, TakeError, load_take, save_take

from ..films import write_film

RATE, SECONDS = 48000, 12
EVERY = st.floats(0, 10).map(lambda x: round(x, 2))
STRETCHES = st.tuples(EVERY, EVERY).filter(lambda t: t[1] - t[0] > 0.05).map(lambda t: Stretch(*t))


def write_take(folder, setup, sounds, mixes=()):
    files = {}
    for name, sound in (*sounds.items(), *mixes):
        room = "parts" if name in sounds else "listeners"
        (folder / room).mkdir(parents=True, exist_ok=True)
        sf.write(folder / room / f"{name}.wav", sound.T, RATE, subtype="FLOAT")
        files[name] = f"{room}/{name}.wav"
    heard = {name: files.pop(name) for name, _sound in mixes}
    save_take(folder, Take(date="2026-11-28T20:15:30", setup=setup, parts=files, listeners=heard))
    return folder


def edited(folder, edits):
    save_take(folder, replace(load_take(folder), edits=edits))
    return load_take(folder)


@given(st.lists(STRETCHES, max_size=6), st.lists(STRETCHES, max_size=3))
def test_what_is_left_is_what_nobody_left_out_frame_by_frame(outs, backs):
    rate, seconds = 1000, 10.0
    edits, model = UNEDITED, np.ones(10_000, bool)
    for s in outs:
        edits = e.leave_out(edits, s)
        model[round(s.begin_s * rate) : round(s.end_s * rate)] = False
    for s in backs:
        edits = e.bring_back(edits, s)
        model[round(s.begin_s * rate) : round(s.end_s * rate)] = True
    assert not list(e.edit_problems(edits, []))
    times = np.arange(10_000, dtype=np.float32)[None]
    blocks = iter([times[:, i : i + 777] for i in range(0, 10_000, 777)])
    pieces = list(left(blocks, edits, seconds, rate))
    found = np.concatenate(pieces, axis=1)[0] if pieces else np.zeros(0)
    wanted = np.flatnonzero(model)
    # Two that are only a millisecond apart may be one.
    assert abs(len(found) - len(wanted)) <= 2 * (len(outs) + len(backs))
    if len(found) == len(wanted):
        whole = found == wanted
        assert (found <= wanted + 1e-3).all(), "only fades at seams differ"
        assert (~whole).sum() <= 2 * round(SEAM_S * rate) * (len(kept(edits, seconds)) + 1)
    for i in range(0, len(wanted), 997):
        at = after_edits_s(edits, (wanted[i] + 0.5) / rate, seconds)
        assert at is None or abs(at * rate - i) <= 1 + 2 * (len(outs) + len(backs))


def test_mutes_gains_cuts_and_fades_click_nowhere(nightboat, tmp_path):
    """Spectral: nothing of a 300 Hz tone is heard above 6 kHz, wherever it is cut."""
    t = np.arange(SECONDS * RATE) / RATE
    tone = (0.5 * np.sin(2 * np.pi * 300 * t)).astype(np.float32)[None]
    folder = write_take(tmp_path / "A take", nightboat, {"voice": tone})
    edits = e.mute(UNEDITED, "voice", [Stretch(2.0, 3.0), Stretch(4.0003, 4.2)])
    edits = e.raise_by(edits, "voice", Stretch(5.0, 6.0), 6.0)
    edits = e.raise_by(edits, "voice", None, -3.0)
    edits = e.fade(e.leave_out(edits, Stretch(7.0001, 9.0)), 0.5, 0.5)
    sounds = Sounds(folder, edited(folder, edits))
    rate, _channels, blocks = sounds.part("voice")
    out = np.concatenate(list(sounds.left(rate, blocks)), axis=1)[0]
    assert len(out) == sounds.left_frames(rate) == round((12 - 1.9999) * RATE)
    rest = sosfilt(butter(8, 6000, "high", fs=RATE, output="sos"), out)
    assert 20 * np.log10(np.abs(rest[100:-100]).max() / 0.5) < -80
    level = lambda a, b: np.abs(out[round(a * RATE) : round(b * RATE)]).max()  # noqa: E731
    assert level(2.02, 2.98) == 0.0
    assert level(5.1, 5.9) == pytest.approx(0.5 * 10 ** (3 / 20), rel=0.01)
    assert level(1.0, 1.9) == pytest.approx(0.5 * 10 ** (-3 / 20), rel=0.01)
    assert level(0.0, 0.05) < 0.05
    moved = Sounds(folder, edited(folder, e.move(UNEDITED, "voice", 0.25)))
    later = np.concatenate(list(moved.part("voice")[2]), axis=1)[0]
    np.testing.assert_array_equal(later[12_000:], tone[0, : len(later) - 12_000])
    assert (later[:12_000] == 0).all()


def test_a_mix_that_is_made_anew_is_what_the_engine_would_have_given(nightboat, tmp_path, rng):
    sounds = {
        p.id: (0.1 * rng.standard_normal((len(p.channels), 3 * RATE))).astype(np.float32)
        for p in nightboat.parts if p.channels
    }  # fmt: skip
    folder = write_take(tmp_path / "A take", nightboat, sounds, [("shore_stream", np.zeros((2, 3 * RATE)))])
    render_setup(nightboat, sounds, tmp_path / "live", 3.0)
    live = sf.read(tmp_path / "live/listeners/shore_stream.wav", dtype="float32")[0].T
    edits = e.mute(UNEDITED, "voice", [Stretch(1.0, 2.0)])
    take = edited(folder, edits)
    rate, blocks = remix(folder, take, "shore_stream")
    made = np.concatenate(list(blocks), axis=1)
    assert rate == RATE
    assert made.shape == live.shape
    np.testing.assert_allclose(made[:, : round(0.95 * RATE)], live[:, : round(0.95 * RATE)], atol=1e-6)
    quiet = {**sounds, "voice": sounds["voice"].copy()}
    quiet["voice"][:, round(1.02 * RATE) : round(1.98 * RATE)] = 0.0
    assert Sounds(folder, take).remixed("shore_stream")
    with pytest.raises(TakeError, match="made anew"):
        Sounds(folder, take).mix("shore_stream")
    render_setup(nightboat, quiet, tmp_path / "quiet", 3.0)
    without = sf.read(tmp_path / "quiet/listeners/shore_stream.wav", dtype="float32")[0].T
    a, b = round(1.5 * RATE), round(1.9 * RATE)
    np.testing.assert_allclose(made[:, a:b], without[:, a:b], atol=2e-3)
    assert np.abs(made[:, a:b] - live[:, a:b]).max() > 0.05


def see_timeline(file, there):
    """By the format's own library: tracks of one length, files that are there, the cut in the picture."""
    timeline = otio.adapters.read_from_file(str(file))
    assert {round(t.duration().to_seconds(), 3) for t in timeline.tracks} == {9.0}
    assert [t.name for t in timeline.tracks] == ["Picture", "Harp", "Voice"]
    clips = list(timeline.find_clips())
    assert {c.media_reference.target_url for c in clips} <= there
    pictures = [c.source_range for c in timeline.video_tracks()[0].find_clips()]
    spans = [(r.start_time.to_seconds(), r.end_time_exclusive().to_seconds()) for r in pictures]
    assert spans == [(0.0, 2.0), (5.0, 11.9)]


def test_a_cut_made_here_is_in_all_four_ways_and_they_agree_to_the_frame(nightboat, tmp_path, rng):
    """A click at 9 s lies 3 s earlier, in every file, with its picture."""
    frames = SECONDS * RATE
    sounds = {"harp": 0.01 * rng.standard_normal((2, frames)), "voice": 0.01 * rng.standard_normal((1, frames))}
    mix = 0.01 * rng.standard_normal((2, frames))
    for sound in (*sounds.values(), mix):
        sound[:, 9 * RATE : 9 * RATE + 480] = 0.8
    folder = write_take(tmp_path / "A take", nightboat, sounds, [("shore_stream", mix)])
    grey = [np.full((48, 64), v, np.uint8) for v in (20, 200)]
    film = write_film(
        tmp_path / "phone.mp4", np.arange(0, 12, 1 / 25), lambda t, _p: grey[int(8.99 < t < 9.2)],
        0.01 * np.ones(12 * RATE, np.float32), (64, 48), audio="aac",
    )  # fmt: skip
    bring_film(folder, film, Placement(True, "", (Piece(0.0, 11.9, 0.0, 0.001, 0.0, 0.1, 1.0, 10),)))
    take = edited(folder, e.leave_out(UNEDITED, Stretch(2.0, 5.0)))
    before = {f: f.read_bytes() for f in folder.rglob("*.wav")}
    wanted, moved = 9 * RATE, in_step_frames(take, RATE)
    for use in ("editor", "song", "film", "everything"):
        out = tmp_path / use
        out.mkdir()
        made = hand_on(folder, take, out, Asked(use), remix=remix)
        for file in made.files:
            if file.path.suffix == ".otio":
                see_timeline(file.path, {f.path.name for f in made.files})
            if file.path.suffix in (".csv", ".otio") or file.path.stem == "Picture":
                continue
            with av.open(str(file.path)) as f:
                heard = np.concatenate(
                    [np.atleast_2d(x.to_ndarray()).astype(float).reshape(-1, x.samples)[:1]
                     if x.format.is_planar else x.to_ndarray().reshape(x.samples, -1).T[:1].astype(float)
                     for x in f.decode(audio=0)], axis=1,
                )[0]  # fmt: skip
            lossy = file.path.suffix in (".opus", ".mp4")
            assert abs(len(heard) - wanted) <= (2048 if lossy else 0), file.path
            heard = np.abs(heard) / np.abs(heard).max()
            sooner = moved.get(file.path.stem[3:].lower(), (0, ""))[0] if file.path.suffix == ".wav" else 0
            at = 6 * RATE + sooner  # by what is known of its way in
            assert int(np.argmax(heard > 0.5)) == pytest.approx(at, abs=400 if lossy else 0), file.path
            if file.path.suffix == ".mp4":
                with av.open(str(file.path)) as f:
                    lit = [float(x.time) for x in f.decode(video=0) if x.to_ndarray(format="gray").mean() > 100]
                assert lit[0] == pytest.approx(6.0, abs=0.041)
    assert before == {f: f.read_bytes() for f in folder.rglob("*.wav")}, "no file of the take has changed"
    with pytest.raises(TakeError, match="nothing is left"):
        hand_on(folder, edited(folder, e.leave_out(UNEDITED, Stretch(0.0, 99.0))), tmp_path, Asked("song"))


@pytest.mark.parametrize("edits", [
    Edits(left_out=(Stretch(3.0, 2.0),)), Edits(left_out=(Stretch(3.0, 5.0), Stretch(1.0, 4.0))),
    Edits(fade_in_s=float("inf")), e.mute(UNEDITED, "nobody", [Stretch(0, 1)]),
    replace(UNEDITED, tracks={"voice": e.TrackEdits(gain_db=300.0)}),
    replace(UNEDITED, tracks={"voice": e.TrackEdits(moved_s=float("nan"))}),
])  # fmt: skip
def test_edits_that_are_none_are_refused_in_one_sentence(nightboat, tmp_path, edits):
    folder = write_take(tmp_path / "A take", nightboat, {"voice": np.zeros((1, RATE))})
    save_take(folder, replace(load_take(folder), edits=edits))
    with pytest.raises(TakeError, match="edits"):
        load_take(folder)


def test_a_stretch_is_made_as_loud_as_what_is_around_it(nightboat, tmp_path, rng):
    """Against the loudness of pyloudnorm."""
    noise = 0.1 * rng.standard_normal((1, SECONDS * RATE))
    noise[:, 5 * RATE : 7 * RATE] *= 10 ** (-9 / 20)
    folder = write_take(tmp_path / "A take", nightboat, {"voice": noise.astype(np.float32)})
    gain = gain_like_neighbours(folder, load_take(folder), "voice", Stretch(5.0, 7.0))
    meter = pyloudnorm.Meter(RATE)
    around = np.concatenate([noise[0, : 5 * RATE], noise[0, 7 * RATE : 12 * RATE]])
    assert gain == pytest.approx(
        meter.integrated_loudness(around) - meter.integrated_loudness(noise[0, 5 * RATE : 7 * RATE]), abs=0.2
    )
    assert gain == pytest.approx(9.0, abs=0.3)
    for bad in (Stretch(5.0, 5.1), Stretch(0.0, 12.0)):
        with pytest.raises(TakeError, match="silent"):
            gain_like_neighbours(folder, load_take(folder), "voice", bad)


def test_an_outline_is_kept_made_anew_when_a_track_changes_and_never_believed_of_a_stranger(nightboat, tmp_path):
    folder = write_take(tmp_path / "A take", nightboat, {"voice": np.full((1, 2 * RATE), 0.1, np.float32)})
    take = load_take(folder)
    first = overview(folder, take)["voice"]
    assert len(first) == 2 * A_SECOND
    assert first[10] == round(255 * (1 - 20 / FLOOR_DB))
    (folder / "parts/voice.wav").touch()
    np.testing.assert_array_equal(overview(folder, take)["voice"], first)
    sf.write(folder / "parts/voice.wav", np.full((3 * RATE, 1), 0.5, np.float32), RATE, subtype="FLOAT")
    assert len(overview(folder, take)["voice"]) == 3 * A_SECOND
    for hostile in (b"none", b"PK\x03\x04 broken"):
        (folder / "overview.npz").write_bytes(hostile)
        assert len(overview(folder, take)["voice"]) == 3 * A_SECOND
    np.savez_compressed(folder / "overview.npz", stamp=np.array("x"), voice=np.zeros(2**27, np.uint8))
    assert len(overview(folder, take)["voice"]) == 3 * A_SECOND
    fine = outline(folder, take, "voice", 1.0, 0.001, 48)
    assert (fine == round(255 * (1 + 20 * np.log10(0.5) / FLOOR_DB))).all()
