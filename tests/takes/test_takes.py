"""Takes on disk: films on one clock, proofs and the reasons for none, folders that stay their own."""

from fractions import Fraction

import av
import numpy as np
import pytest
import soundfile as sf

from brucke.core.timing.take_verdict import ListenerProof, PartLeft
from brucke.takes.film import read_film
from brucke.takes.proof import prove_listener, prove_take, sounds_left
from brucke.takes.take import Take, TakeError, load_take, save_take

RATE = 48000


def film_file(path, flash_s, click_s, sound=True, seconds=4.0):
    """A film whose picture flashes and whose sound clicks at known times."""
    with av.open(str(path), "w", format="matroska") as out:
        video = out.add_stream("mjpeg", rate=25)
        video.width, video.height, video.pix_fmt = 64, 48, "yuvj420p"
        video.time_base = video.codec_context.time_base = Fraction(1, 1000)
        audio = out.add_stream("flac", rate=RATE) if sound else None
        if audio is not None:
            audio.layout = "stereo"
            wave = np.zeros((2, int(seconds * RATE)), np.int16)
            for t in click_s:
                wave[:, round(t * RATE)] = 20000
            for i in range(0, wave.shape[1], 4096):
                frame = av.AudioFrame.from_ndarray(
                    wave[:, i : i + 4096].T.reshape(1, -1).copy(), format="s16", layout="stereo"
                )
                frame.sample_rate, frame.pts, frame.time_base = RATE, i, Fraction(1, RATE)
                out.mux(audio.encode(frame))
            out.mux(audio.encode(None))
        for k in range(int(seconds * 25)):
            lit = any(abs(k / 25 - t) < 0.02 for t in flash_s)
            picture = np.full((48, 64, 3), 220 if lit else 30, np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = k * 40, Fraction(1, 1000)
            out.mux(video.encode(frame))
        out.mux(video.encode(None))
    return path


def test_sound_and_picture_of_a_film_are_read_on_one_clock(tmp_path):
    film = read_film(film_file(tmp_path / "a.mkv", [1.0, 3.0], [1.0, 2.5]))
    clicks = np.flatnonzero(film.sound[0] > 0.4) / RATE + film.sound_start_s
    assert clicks == pytest.approx([1.0, 2.5], abs=1e-4)
    bright = film.times_s[film.brightness > 100]
    assert bright == pytest.approx([1.0, 3.0], abs=1e-3)
    assert film.brightness.min() < 2
    assert film.sound.shape[0] == 2


def test_a_film_without_sound_or_that_is_none_is_one_sentence(tmp_path):
    with pytest.raises(TakeError, match=r"b\.mkv: the file: holds no sound"):
        read_film(film_file(tmp_path / "b.mkv", [1.0], [], sound=False))
    (tmp_path / "c.mkv").write_bytes(b"not a film at all")
    with pytest.raises(TakeError, match=r"c\.mkv: the file: "):
        read_film(tmp_path / "c.mkv")


def test_a_take_is_read_as_it_was_saved(tmp_path, nightboat):
    left = PartLeft(median_ms=0.3, error_ms=0.1, scatter_ms=4.0, windows=9, times_s=(1.0,), values_ms=(0.3,))
    take = Take(
        date="2026-11-24T19:42:00+00:00", setup=nightboat, moment="sing", parts={"voice": "parts/voice.wav"},
        proof={"recorder": ListenerProof(left={"voice": left})},
    )  # fmt: skip
    save_take(tmp_path / "t", take)
    assert load_take(tmp_path / "t") == take
    assert list(sounds_left(take.proof)) == [("recorder", "voice", left)]
    assert [p.name for p in (tmp_path / "t").iterdir()] == ["take.json"]


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ("{", "line 1, column 2 is not json"),
        ('{"format": "brucke take", "version": 9, "date": "x", "setup": {}}', "not a take this program reads"),
        ('{"format": "brucke take", "version": 1, "date": 5, "setup": {}}', "expected `str`"),
        ('{"date": "2026-11-24", "setup": {}, "far_ends": {"a": "/etc/passwd"}}', "leads outside the take"),
    ],
)
def test_a_bad_take_is_one_sentence(tmp_path, body, said):
    (tmp_path / "take.json").write_text(body)
    with pytest.raises(TakeError) as e:
        load_take(tmp_path)
    assert said.lower() in str(e.value).lower()
    assert "\n" not in str(e.value)


def kept_take(folder, nightboat, tracks, seconds=16):
    """A take whose recorder file holds the given parts, each `late` frames after its beat."""
    length = seconds * RATE
    data = np.zeros((length, 6), np.float32)
    for column, (sound, late) in enumerate(tracks):
        data[late:, column] = sound[:length][: length - late]
    folder.mkdir(parents=True, exist_ok=True)
    sf.write(folder / "recorder.wav", data, RATE, subtype="FLOAT")
    return Take(date="2026-11-24T19:42:00+00:00", setup=nightboat, listeners={"recorder": "recorder.wav"})


def test_what_is_left_is_measured_in_the_listeners_file(tmp_path, nightboat, sources):
    shift = 5 * RATE
    rolled = {k: np.roll(v, -shift) for k, v in sources.items()}
    take = kept_take(tmp_path, nightboat, [(rolled["harp"], 0), (rolled["voice"], 577), (rolled["cello"], 96)])
    seen = []
    proved = prove_take(tmp_path, take, sources, lambda share, what: seen.append(share))
    left = proved.proof["recorder"].left
    assert left["voice"].median_ms == pytest.approx(577 / 48, abs=0.01)
    assert left["cello"].median_ms == pytest.approx(2.0, abs=0.01)
    assert left["harp"].windows >= 10
    assert proved.proof["recorder"].lead == "harp"
    assert proved.proof["shore_stream"].reason == "no_lead", "nothing was kept of it"
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    assert load_take(tmp_path).proof == proved.proof


def test_reasons_for_no_proof(tmp_path, nightboat, sources, rng):
    recorder = nightboat.listener("recorder")
    short = kept_take(tmp_path / "s", nightboat, [(sources["harp"], 0)], seconds=4)
    assert prove_listener(tmp_path / "s", short, recorder, sources).reason == "too_short"
    noise = (0.1 * rng.standard_normal(len(sources["harp"]))).astype(np.float32)
    other = kept_take(tmp_path / "o", nightboat, [(noise, 0)])
    assert prove_listener(tmp_path / "o", other, recorder, sources).reason == "not_found"
    assert prove_listener(tmp_path / "o", other, recorder, {"voice": sources["voice"]}).reason == "no_lead"
