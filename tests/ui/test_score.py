"""A recording edited on one axis, by hand and by key: seen, heard, undone, and its files stay as they were."""

from itertools import pairwise

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from brucke.takes.edits import UNEDITED, Stretch, leave_out
from brucke.takes.take import Take, load_take, save_take
from brucke.ui.places.review.score_dialog import ScoreDialog
from brucke.ui.places.review.score_layout import ScoreData, Track, axis_of, rows, score_layout
from brucke.ui.theme.tokens import LIGHT

from .conftest import drag, key, press, wait

RATE, SECONDS = 48000, 40


@pytest.fixture
def score(window, data_home):
    """The dialog of a recording in which a cello is picked up by the singer's microphone."""
    from brucke.app.recording.take_folders import takes_folder

    folder, rng = takes_folder(window.session) / "The lantern song", np.random.default_rng(2)
    (folder / "parts").mkdir(parents=True)
    (folder / "listeners").mkdir()
    t = np.arange(SECONDS * RATE) / RATE
    swell = 0.6 + 0.4 * np.sin(2 * np.pi * 0.7 * t)
    cello = 0.2 * swell * np.sin(2 * np.pi * 110 * t) + 0.02 * rng.standard_normal(len(t))
    sung = (t % 10 < 5) * (0.2 * np.sin(2 * np.pi * 330 * t) + 0.05 * rng.standard_normal(len(t)))
    voice = sung + 0.05 * np.roll(cello, 300) + 1e-4 * rng.standard_normal(len(t))
    for name, sound in (("voice", voice), ("cello", cello)):
        sf.write(folder / "parts" / f"{name}.wav", sound, RATE, subtype="FLOAT")
    sf.write(folder / "listeners" / "shore_stream.wav", np.stack([voice + cello] * 2, 1) / 2, RATE, subtype="FLOAT")
    parts = {name: f"parts/{name}.wav" for name in ("voice", "cello")}
    heard = {"shore_stream": "listeners/shore_stream.wav"}
    setup = window.session.setup
    save_take(folder, Take(date="2026-11-28T20:15:30", setup=setup, parts=parts, listeners=heard))
    window.taking.find()
    window.go_to("review")
    wait(window.isActiveWindow, 5)
    key(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    (dialog,) = window.findChildren(ScoreDialog)
    wait(lambda: len(dialog.editing.outlines) == 2, 20)
    yield dialog
    dialog.close()


def edits(score):
    """As the disk has them."""
    return load_take(score.editing.folder).edits


def at(score, seconds, track):
    d, it = score.drawing.data, score.drawing
    row = rows(d, it.height(), it.tokens)[track] if track else None
    y = row.center().y() if row is not None else 20
    return QPoint(round(axis_of(d, it.width(), it.tokens).x(seconds)), round(y))


def test_a_stretch_is_dragged_left_out_muted_and_brought_back_and_no_sound_changes(score, window):
    before = {f: f.read_bytes() for f in score.editing.folder.rglob("*.wav")}
    drag(score.drawing, at(score, 10, ""), at(score, 20, ""))
    chosen = score.drawing.data.chosen
    assert chosen.begin_s == pytest.approx(10, abs=0.1)
    assert chosen.end_s == pytest.approx(20, abs=0.1)
    QTest.keyClick(score.drawing, Qt.Key.Key_X)
    assert edits(score).left_out == (chosen,)
    assert score.title.text().startswith("The lantern song: 0:30 are left of 0:40")
    drag(score.drawing, at(score, 25, "voice"), at(score, 30, "voice"))
    assert score.drawing.data.chosen_track == "voice"
    QTest.keyClick(score.drawing, Qt.Key.Key_M)
    press(score.louder)
    press(score.later)
    of = edits(score).of("voice")
    assert len(of.muted) == 1
    assert of.raised[0].gain_db == 1.0
    assert of.moved_s == pytest.approx(0.001)
    assert score.undo.text().startswith("Undo: a track moved")
    for _step in range(4):
        QTest.keyClick(score.drawing, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert edits(score) == UNEDITED
    assert not score.undo.isEnabled()
    press(score.redo)
    assert edits(score).left_out == (chosen,)
    assert before == {f: f.read_bytes() for f in score.editing.folder.rglob("*.wav")}
    assert window.session.undo_stack.count() == 0, "the document knows nothing of it"


def test_bleed_is_offered_muted_all_at_once_and_back_with_one_step(score):
    score.drawing.choose(None, "voice")
    press(score.bleed)
    wait(lambda: not score.editing.looking, 60)
    offered = score.editing.offered["voice"]
    assert sum(s.end_s - s.begin_s for s in offered) == pytest.approx(20, abs=2)
    assert edits(score) == UNEDITED, "never unasked"
    press(score.take_all)
    assert len(edits(score).of("voice").muted) == len(offered)
    press(score.undo)
    assert edits(score) == UNEDITED


def test_coming_nearer_shows_single_frames_and_arrows_go_on(score):
    score.drawing.choose(Stretch(12.0, 12.001), "cello")
    for _step in range(60):
        QTest.keyClick(score.drawing, Qt.Key.Key_Plus)
    d = score.drawing.data
    assert d.end_s - d.begin_s == pytest.approx(0.02)
    assert d.begin_s < 12.0005 < d.end_s
    assert any(d.tracks[1].shape), "drawn from the very frames"
    QTest.keyClick(score.drawing, Qt.Key.Key_Home)
    assert score.drawing.data.begin_s == 0.0
    QTest.keyClick(score.drawing, Qt.Key.Key_Right)
    QTest.keyClick(score.drawing, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    chosen = score.drawing.data.chosen
    assert chosen is not None
    assert "Chosen" in score.drawing.accessibleName()


def test_a_disk_that_takes_nothing_and_a_recording_that_is_gone_are_said(score, window, monkeypatch):
    said = []
    window.session.noticed.connect(lambda text, _tone: said.append(text))
    score.drawing.choose(Stretch(1, 2), "")
    monkeypatch.setattr(
        "brucke.app.recording.take_list.save_take",
        lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")),
    )
    score.leave_out()
    assert "Not changed: No space left on device" in said[-1]
    assert score.editing.edits == UNEDITED
    monkeypatch.undo()
    window.taking.leave_out(score.editing.folder)
    assert score.says.text() == "This recording is not there any more."
    assert not score.cut.isEnabled()


@pytest.mark.parametrize("size", [(1024, 500), (1280, 640), (2560, 1200)])
def test_the_score_lies_within_its_frame_and_no_two_texts_of_one_line_overlap(size):
    shape = tuple(np.random.default_rng(1).integers(0, 255, 400).tolist())
    tracks = tuple(
        Track(f"p{i}", f"Instrument {i}", i % 8, shape, (Stretch(3, 5),) if i == 1 else ()) for i in range(8)
    )
    happened = tuple((float(i), f"something happened {i}") for i in range(0, 60, 2))
    data = ScoreData(
        tracks, leave_out(UNEDITED, Stretch(8, 20)), 0.0, 60.0, Stretch(2, 6), "p1", happened, (Stretch(1, 50),), 30.0
    )
    sheet = score_layout(data, *size, LIGHT)
    for text in sheet.texts:
        assert text.rect.left() >= -60
        assert text.rect.right() <= size[0] + 60
        assert text.rect.bottom() <= size[1] + 4
    marks = [t for t in sheet.texts if t.text.startswith("something")]
    assert marks
    for a, b in pairwise(marks):
        assert a.rect.right() <= b.rect.left() + 1


def test_a_stretch_becomes_a_recording_of_its_own_on_the_same_files(score, window):
    before = {f: f.read_bytes() for f in score.editing.folder.rglob("*") if f.is_file()}
    score.drawing.choose(Stretch(10.0, 20.0), "")
    press(score.own)
    (split,) = [f for f, _take in window.taking.takes if f != score.editing.folder]
    assert split.name == "The lantern song, 0.10 to 0.20"
    own = load_take(split)
    assert [(s.begin_s, s.end_s) for s in own.edits.left_out] == [(0.0, 10.0), (20.0, SECONDS)]
    for name in own.parts.values():
        assert (split / name).samefile(score.editing.folder / name)
    assert edits(score) == UNEDITED
    assert before == {f: f.read_bytes() for f in score.editing.folder.rglob("*") if f.is_file()}
