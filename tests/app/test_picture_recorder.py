"""The picture beside the sound: the stand-in's camera, read by a process of its own, in place in the take; what goes
wrong with it is said within a second."""

import os
import signal
import time

import av
import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QCoreApplication, QSettings

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.edits.route_edits import change_device
from brucke.core.measure.sharp_sounds import sharp_sounds
from brucke.core.measure.sound_and_picture import sound_and_picture, telling
from brucke.demo import FOLDER, SETUP
from brucke.engine.processes.messages import SlowCamera
from brucke.rehearse import equipment
from brucke.standins.truth import invent
from brucke.takes.camera_place import later_than_sound
from brucke.takes.film import LEAST, RISE, SHARE
from brucke.takes.recording import read_pictures

TIMES = int(os.environ.get("BRUCKE_MISHAPS", "3"))  # 20 where every mishap is planted as often as was promised


@pytest.fixture
def studio(app, data_home):
    session = Session(equipment)
    session.open(SETUP)
    it = Studio(session, QSettings(str(data_home / "s.ini"), QSettings.Format.IniFormat))
    it.running.start(play=True)
    wait(lambda: it.running.state == "running")
    yield it
    it.end()


def wait(met, seconds=60):
    until = time.monotonic() + seconds
    while not met():
        QCoreApplication.processEvents()
        time.sleep(0.005)
        assert time.monotonic() < until, "it did not happen in time"


def pause(seconds):
    until = time.monotonic() + seconds
    wait(lambda: time.monotonic() > until, seconds + 5)


def record(studio):
    studio.taking.record(asks=False)
    wait(lambda: studio.taking.state == "recording" and studio.pictures.seen is not None)


def kept(studio):
    studio.taking.record()
    wait(lambda: studio.taking.state == "idle")
    folder, take = studio.taking.takes[-1]
    return folder, take


def camera_processes():
    found = []
    for process in os.listdir("/proc"):
        if process.isdigit():
            try:
                with open(f"/proc/{process}/comm") as f:
                    if f.read().strip() == "brucke picture":
                        found.append(int(process))
            except OSError:
                continue
    return found


@pytest.mark.live
def test_the_picture_lies_in_the_take_where_the_singer_claps(studio):
    assert studio.pictures.state == "off", "no camera is open before anything is recorded or heard"
    record(studio)
    pause(40)  # singers clap now and then, and pictures are missing where the machine is taken away
    assert studio.pictures.trouble(time.monotonic())[0] == ""
    folder, take = kept(studio)
    wait(lambda: studio.pictures.state == "off")
    assert [m for m in take.missing if "picture" in m] == []
    (piece,) = take.film.pieces
    with av.open(str(folder / take.film.file)) as film:
        assert film.streams.video[0].codec_context.name == "h264"
        count = sum(1 for _ in film.decode(film.streams.video[0]))
    assert count == pytest.approx(30 * piece.end_s, abs=0.1 * 30 * piece.end_s)
    voice, rate = sf.read(folder / take.parts["voice"], dtype="float32", always_2d=True)
    sharp = telling(sharp_sounds(np.ascontiguousarray(voice[:, 0]), rate, RISE, SHARE, LEAST))
    at = sharp.times_s - piece.at_s
    found = sound_and_picture(read_pictures(folder / take.film.file, 100.0, at), at).offset
    assert found is not None
    # What the camera takes beyond what is thought of it is left; nobody has measured it.
    late = later_than_sound(take)
    truth = invent(take.setup, equipment.SEED, False).cameras["camera"].transfer_s
    thought = 1 / 30
    assert abs(found.seconds - (truth - thought)) < found.plus_minus_s + 0.010
    assert late.plus_minus < 0.03


@pytest.mark.live
def test_a_camera_process_that_dies_leaves_a_gap_in_the_picture_and_none_in_the_sound(studio):
    record(studio)
    pause(4)
    for process in camera_processes():
        os.kill(process, signal.SIGKILL)
    wait(lambda: studio.pictures.state == "gone", 3)
    wait(lambda: studio.pictures.state == "sees", 10)
    pause(3)
    folder, take = kept(studio)
    assert take.film is not None
    assert any(m.startswith("a part of the picture") for m in take.missing)
    with av.open(str(folder / take.film.file)) as film:
        times = np.array([float(f.time) for f in film.decode(film.streams.video[0])])
    assert len(times) > 100
    steps = np.diff(times)
    assert (steps > 0).all()
    assert (steps > 0.5).sum() == 1, "one gap, where it was"
    assert not list((folder / "film").glob("camera 0*")), "one file, in one piece"


@pytest.mark.live
def test_a_camera_that_falls_behind_or_gives_nothing_is_said_within_a_second(studio):
    said = []
    studio.session.stands.connect(
        lambda text, _tone, holds: said.append((text, holds)) if " pictures" in text else None
    )
    record(studio)
    pause(3)
    now = lambda: next((m.text for (code, _of), m in studio.mishaps.now.items() if code == "pictures"), "")  # noqa: E731
    for share, words in ((0.5, "pictures a second instead of 30"), (0.0, "gives no pictures just now")):
        took = []
        for _time in range(TIMES):
            wait(lambda: now() == "", 5)
            pause(1.2)
            began = time.monotonic()
            studio.running.link.tell_world(SlowCamera(share=share))
            wait(lambda words=words: words in now(), 5)
            took.append(time.monotonic() - began)
            studio.running.link.tell_world(SlowCamera(share=1.0))
        print(words, np.round(sorted(took), 2))
        assert np.median(took) < 1.0, took
        assert max(took) < 1.5, took
    wait(lambda: now() == "", 5)
    assert any("pictures a second instead" in text for text, _holds in said)
    assert not any(holds() for _text, holds in said), "gone once it is mended"
    kept(studio)


@pytest.mark.live
def test_no_camera_is_opened_that_nobody_chose(studio, monkeypatch):
    """A setup for real equipment records a picture only from the camera that was chosen, and says where it is not."""
    setup = studio.session.setup
    studio.session.edit("a camera", change_device(setup, "camera", card="Desk camera"), "gather")
    assert FOLDER in studio.session.folders, "the sounds of the others are still found"
    studio.taking.record(asks=False)
    wait(lambda: studio.pictures.state == "gone")
    wait(lambda: any("it is not there" in m.text for m in studio.mishaps.now.values()), 3)
    assert camera_processes() == []
    _folder, take = kept(studio)
    assert take.film is None
    assert "the picture: it is not there" in take.missing
