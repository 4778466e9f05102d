"""Films as people bring them, made by FFmpeg's coders: every container, odd stamps, damage; and the film that Brucke
writes."""

from fractions import Fraction

import numpy as np
import pytest

from brucke.takes import recording
from brucke.takes.film import judge_film
from brucke.takes.shots import keep_shots, read_shots
from brucke.takes.slate import event_pictures, picture_rate, write_slate
from brucke.takes.take import TakeError

from ..films import RATE, write_film

SIZE = (320, 180)
EVENTS = 1.2 + np.cumsum([0.0, 0.731, 1.017, 0.659, 1.103, 0.807, 0.913, 0.687])
SECONDS = float(EVENTS[-1]) + 1.2


def flashing(events):
    rng = np.random.default_rng(2)

    def draw(t, period):
        picture = 40 + rng.integers(0, 5, (SIZE[1], SIZE[0]), dtype=np.uint8)
        picture[60:110, 130:190] = 230 if np.any((t >= events - 1e-9) & (t < events + 0.12)) else 20
        return picture.astype(np.uint8)

    return draw


def beeping(events, rate=RATE):
    sound = np.zeros(round(SECONDS * rate), np.float32)
    beep = 0.3 * np.cos(2 * np.pi * 1000 * np.arange(round(0.07 * rate)) / rate)
    for e in events:
        sound[round(e * rate) :][: len(beep)] = beep
    return sound


@pytest.mark.parametrize(
    ("name", "codec", "audio", "rate", "fps", "begins"),
    [
        ("a.mkv", "libx264", "pcm_s16le", 48000, 25, 0.0),
        ("a.mp4", "libx264", "aac", 44100, 30, 0.0),
        ("a.mov", "mpeg4", "pcm_s16le", 22050, 24, 0.0),
        ("a.avi", "mpeg4", "mp3", 48000, 25, 0.0),
        ("a.mkv", "mjpeg", "libopus", 48000, 50, 0.0),
        ("a.mkv", "libx264", "flac", 48000, 30, 0.7),
    ],
)  # fmt: skip
def test_every_container_and_sound(tmp_path, name, codec, audio, rate, fps, begins):
    """Also where the first pictures are missing: `begins` is when they do."""
    later = 0.084
    times = np.arange(begins, SECONDS, 1 / fps)
    pixel = {"mjpeg": "yuvj420p"}.get(codec)
    file = write_film(
        tmp_path / name, times, flashing(EVENTS + later), beeping(EVENTS, rate), SIZE, codec, audio, rate, pixels=pixel
    )
    judged = judge_film(file)
    assert judged.found.seen == "flashes"
    assert judged.found.offset.events == 8
    assert judged.found.offset.seconds == pytest.approx(later, abs=0.25 / fps)
    assert judged.seen.period_s == pytest.approx(1 / fps, rel=0.02)


@pytest.mark.parametrize(("text", "name"), [("25", "s.mkv"), ("29.97", "s.mp4"), ("60", "s.mov"), ("24", "s.avi")])
def test_the_film_to_record_is_exactly_together(tmp_path, text, name):
    fps = picture_rate(text)
    events = write_slate(tmp_path / name, fps)
    assert min(np.diff(events)) > 1 / 3, "never more than three flashes in a second (WCAG 2.2, 2.3.1)"
    assert [round(e * fps) for e in events] == event_pictures(fps)
    found = judge_film(tmp_path / name).found
    assert (found.seen, found.offset.events) == ("flashes", len(events))
    assert abs(found.offset.seconds) < 1e-3
    assert found.offset.plus_minus_s == pytest.approx(1 / fps / 8, rel=0.02)


def test_rates_as_people_write_them():
    assert picture_rate("29.97") == picture_rate("30000/1001") == Fraction(30000, 1001)
    assert picture_rate("23.976") == Fraction(24000, 1001)
    assert picture_rate("25") == 25
    for bad in ("", "fast", "0", "1000", "1/0"):
        with pytest.raises(ValueError, match="pictures a second"):
            picture_rate(bad)


def test_what_cannot_be_judged_is_one_sentence(tmp_path):
    still, sound = np.arange(0, SECONDS, 0.04), beeping(EVENTS)
    cases = {
        "no_sound.mkv": (write_film(tmp_path / "no_sound.mkv", still, flashing(EVENTS), None, SIZE), "holds no sound"),
        "short.mkv": (
            write_film(tmp_path / "short.mkv", still[:4], flashing(EVENTS), sound, SIZE),
            "holds only 4 pictures",
        ),
    }
    whole = write_film(tmp_path / "whole.mkv", still, flashing(EVENTS), sound, SIZE).read_bytes()
    for name, data in {"empty.mp4": b"", "text.mkv": b"a film? " * 400, "cut.mkv": whole[:300]}.items():
        (tmp_path / name).write_bytes(data)
        cases[name] = (tmp_path / name, "the file: ")
    for name, (file, why) in cases.items():
        with pytest.raises(TakeError, match=why) as refused:
            judge_film(file)
        assert str(refused.value).startswith(name)
        assert "\n" not in str(refused.value)


@pytest.mark.parametrize("what", ["sound", "picture"])
def test_stamps_that_jump_back_are_refused_and_holes_are_silence(tmp_path, monkeypatch, what):
    file = write_film(tmp_path / "a.mkv", np.arange(0, SECONDS, 0.04), flashing(EVENTS), beeping(EVENTS), SIZE)
    whole = recording._Frames.__iter__
    by = -2.0

    def jumping(self):
        for frame in whole(self):
            if self._what == what and frame.time > 3.0:
                frame.pts += round(by / frame.time_base)
            yield frame

    monkeypatch.setattr(recording._Frames, "__iter__", jumping)
    with pytest.raises(TakeError, match=rf"a\.mkv: the {what}: its time stamps jump back at 1\.\d s"):
        judge_film(file)
    by = 1.5
    judged = judge_film(file)
    if what == "sound":
        assert judged.sound.sound.shape[1] == pytest.approx((SECONDS + 1.5) * RATE, abs=0.1 * RATE)
    else:
        assert np.diff(judged.seen.times_s).max() == pytest.approx(1.54, abs=0.02)


def test_what_is_kept_for_showing_comes_back(tmp_path):
    file = write_film(tmp_path / "a.mkv", np.arange(0, SECONDS, 0.04), flashing(EVENTS + 0.1), beeping(EVENTS), SIZE)
    keep_shots(judge_film(file), tmp_path / "shots.npz")
    shots = read_shots(tmp_path / "shots.npz")
    assert shots.events_s == pytest.approx(EVENTS, abs=1e-3)
    middle = shots.sound.shape[1] // 2
    assert (
        np.abs(shots.sound[0, middle : middle + 200]).max()
        > 0.1
        > np.abs(shots.sound[0, middle - 200 : middle - 5]).max()
    )
    around = shots.near(0, 7, 0.1)
    assert len(around) == 7
    lit = shots.pictures[around][:, 40:50, 70:90].mean(axis=(1, 2)) > 100
    assert lit.tolist() == sorted(lit.tolist())
    assert lit.any()
    assert not lit.all()
    with pytest.raises(TakeError, match=r"shots\.npz: the file: "):
        keep_shots(judge_film(file), tmp_path / "none" / "shots.npz")
