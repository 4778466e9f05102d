"""In Review a film finds its place in a recording, and the recording is handed on by what it is for; both can be
stopped, and say what came of them."""

import av
import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from brucke.app.recording.take_folders import takes_folder
from brucke.demo import FOLDER
from brucke.takes.take import Take, load_take, save_take
from brucke.ui.places.review.hand_on_dialog import HandOnDialog

from ..films import write_film
from .conftest import key, pause, press, wait

RATE, BEGINS_S, FILM_S = 48000, 9.0, 24.0


@pytest.fixture
def evening(window):
    """A recording of the demo's own parts, and a film of some of it that began later."""
    folder = takes_folder(window.session) / "The evening"
    (folder / "parts").mkdir(parents=True)
    (folder / "listeners").mkdir()
    parts = {}
    for name in ("harp", "voice", "cello"):
        sound = sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)[0].mean(axis=1)
        sf.write(folder / "parts" / f"{name}.wav", sound, RATE, subtype="FLOAT")
        parts[name] = sound
    mix = np.stack([sum(parts.values())] * 2, axis=1)
    sf.write(folder / "listeners" / "shore_stream.wav", 0.4 * mix, RATE, subtype="FLOAT")
    files = {name: f"parts/{name}.wav" for name in parts}
    listeners = {"shore_stream": "listeners/shore_stream.wav"}
    save_take(folder, Take(date="2026-11-30T20:00:00", setup=window.session.setup, parts=files, listeners=listeners))
    first = round(BEGINS_S * RATE)
    film = write_film(
        folder.parent.parent / "telephone.mp4", np.arange(0, FILM_S, 1 / 25),
        lambda t, _p: np.full((48, 64), 100 + int(t) % 2, np.uint8),
        0.5 * mix[first : first + round(FILM_S * RATE), 0], (64, 48), audio="aac",
    )  # fmt: skip
    window.taking.find()
    window.go_to("review")
    return folder, film


def test_a_film_finds_its_place_and_the_recording_goes_out_as_one_film(window, evening, monkeypatch, tmp_path):
    folder, film = evening
    kept = window.review.kept
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a: (str(film), "")))
    press(kept.film)
    assert any("is looked for in the recording" in text for text in window.notice.texts)
    wait(lambda: not kept.files.doing, 120)
    piece = load_take(folder).film.pieces[0]
    assert piece.at_s - piece.begin_s == pytest.approx(BEGINS_S, abs=0.002)
    assert window.taking.take.film is not None
    assert any(text.startswith("telephone.mp4 begins 9.0") for text in window.notice.texts), window.notice.texts
    out = tmp_path / "out"
    out.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", staticmethod(lambda *_a: str(out)))
    press(kept.hand_on)
    dialog = next(d for d in window.findChildren(HandOnDialog) if d.isVisible())
    assert dialog.uses.buttons.keys() == {"song", "film", "editor", "everything"}
    dialog.uses.buttons["film"].click()
    dialog.louder.buttons["-23"].click()
    assert dialog.holds.text().startswith("Only what is heard together goes along")
    press(dialog.another)
    wait(lambda: not kept.files.doing, 120)
    assert [f.name for f in out.iterdir()] == ["Nightboat hour film.mp4"], dialog.lines.text()
    assert "−23.0 LUFS" in dialog.lines.text().replace("-", "−")
    dialog.uses.buttons["editor"].click()
    assert dialog.holds.text() == "In it: harp, voice, cello, each by itself."
    press(dialog.write)
    wait(lambda: not kept.files.doing, 120)
    assert {f.name for f in out.glob("*.wav")} == {"01 Harp.wav", "02 Voice.wav", "03 Cello.wav"}
    dialog.reject()
    assert window.settings.value("hand_on/use") == "editor", "the next time it is asked with that"
    assert kept.film.text().startswith("Another film")
    press(kept.no_film)
    assert load_take(folder).film is None
    assert not kept.no_film.isVisible()
    assert (folder / "film" / "film.mp4").exists()


def test_what_is_stopped_leaves_nothing_and_a_strange_film_is_said(window, evening, monkeypatch, tmp_path):
    folder, film = evening
    kept, out = window.review.kept, tmp_path / "out"
    out.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", staticmethod(lambda *_a: str(out)))
    kept.open_hand_on()
    dialog = next(d for d in window.findChildren(HandOnDialog) if d.isVisible())
    assert "film" not in dialog.uses.buttons, "no film was brought"
    dialog.uses.buttons["everything"].click()
    press(dialog.another)
    press(dialog.stop)
    wait(lambda: not kept.files.doing, 60)
    assert list(out.iterdir()) == []
    assert dialog.lines.text() == "Stopped. Nothing has changed."
    dialog.reject()
    before = load_take(folder)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a: (str(film), "")))
    press(kept.film)
    assert kept.film.text() == "Stop looking"
    assert not kept.delete.isEnabled()
    press(kept.film)
    wait(lambda: not kept.files.doing, 60)
    assert any(text == "Stopped. Nothing has changed." for text in window.notice.texts)
    assert load_take(folder) == before
    strange = tmp_path / "strange.mkv"
    strange.write_bytes(b"none of a film")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a: (str(strange), "")))
    press(kept.film)
    wait(lambda: not kept.files.doing, 60)
    assert any(text.startswith("strange.mkv: the file") for text in window.notice.texts), window.notice.texts
    assert load_take(folder) == before


@pytest.mark.live
def test_from_the_end_of_a_song_to_a_film_on_disk_in_four_keys(live, monkeypatch, tmp_path):
    """R ends the recording, Ctrl+G hands it on, 2 is the film, Enter writes it where films belong."""
    w, home = live, tmp_path / "Videos"
    home.mkdir()
    monkeypatch.setenv("XDG_VIDEOS_DIR", str(home))
    wait(w.isActiveWindow, 5)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.state == "recording" and w.studio.pictures.seen is not None, 30)
    pause(6)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.state == "idle" and w.taking.take is not None, 60)
    assert w.taking.take.film is not None, w.taking.take.missing
    key(w, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    dialog = next(d for d in w.findChildren(HandOnDialog) if d.isVisible())
    wait(dialog.isActiveWindow, 5)
    QTest.keyClick(dialog, Qt.Key.Key_2)
    assert dialog.use == "film"
    QTest.keyClick(dialog, Qt.Key.Key_Return)
    wait(lambda: not w.review.kept.files.doing and w.review.kept.files.files, 120)
    assert w.review.kept.files.files[0].parent == home
    (film,) = home.iterdir()
    with av.open(str(film)) as f:
        assert [s.type for s in f.streams] == ["video", "audio"]
        assert sum(1 for _ in f.decode(video=0)) > 100
    dialog.reject()
