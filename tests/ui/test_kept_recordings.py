"""Recordings belong to somebody: asked for before, found where one looks, named, given, taken away and brought back."""

import json
import subprocess
import sys

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from brucke.app.recording import consent
from brucke.app.recording.take_folders import file_name, takes_folder
from brucke.app.session.session import Session
from brucke.core.edits.route_edits import put_on_this_computer, rename
from brucke.core.knowledge.evidence import Agreed, Knowledge
from brucke.core.storage.bundle import export_bundle, find_file, import_bundle
from brucke.core.storage.setup_file import decode, encode, load
from brucke.demo import FOLDER
from brucke.rehearse import equipment
from brucke.takes.sounds import take_sound
from brucke.takes.take import Take, save_take

from .conftest import in_question, key, pause, press, wait

ANNA = Agreed(part="lounge", who="Anna", date="2026-11-30T10:00:00+01:00")


def press_r(w):
    """Without a screen nobody gives the window its keys back after a question."""
    w.activateWindow()
    w.setFocus()
    QApplication.processEvents()
    key(w, Qt.Key.Key_R)


def record(w, seconds=1.0):
    """By hand, to its end; the take, or None where nothing was recorded."""
    before = len(w.taking.takes)
    press_r(w)
    if w.taking.state == "idle":
        return None
    wait(lambda: w.taking.recording.state == "recording", 10)
    pause(seconds)
    press_r(w)
    wait(lambda: w.taking.state == "idle" and len(w.taking.takes) == before + 1, 20)
    return w.taking.take


def test_nobody_at_a_far_end_is_recorded_before_they_were_asked(live, monkeypatch):
    w, session, asked = live, live.session, []
    assert consent.not_asked(session) == [], "a stand-in is nobody"
    for module in ("app.recording.consent", "ui.places.gather.agreed_card"):
        monkeypatch.setattr(f"brucke.{module}.is_somebody", lambda _s, part: part.kind == "far_end")

    def leave(dialog):
        asked.append(dialog.text.text())

    in_question(leave)
    assert record(w) is None, "left unanswered, nothing is recorded"
    assert asked == ["Lounge would be in this recording. Do they agree?"]
    assert not takes_folder(session).exists()

    def without(dialog):
        press(dialog.buttons["no"])

    in_question(without)
    take = record(w)
    assert "lounge" not in take.parts
    assert "voice" in take.parts
    assert not {"recorder", "headphones"} & set(take.listeners), "nor what they are mixed into"
    folder = w.taking.takes[-1][0]
    assert not list((folder / "parts").glob("lounge*.wav"))
    assert not list((folder / "listeners").glob("recorder*.wav"))
    record(w)
    assert session.unsaved, "who agreed is worth keeping"

    w.go_to("gather")
    w.gather.choose("part/lounge")
    card = w.gather.agreed
    assert card.said.text() == "They are not recorded."
    card.who.setText("Anna\x07")
    press(card.yes)
    assert card.said.text().startswith("Anna agreed on ")
    take = record(w)
    assert "lounge" in take.parts
    assert {"recorder", "headphones"} <= set(take.listeners)
    w.go_to("review")
    assert w.review.kept.agreed.text().startswith("Anna agreed on ")
    again = decode(encode(session.setup, session.knowledge))[1].agreement("lounge")
    assert again.who.startswith("Anna")
    assert again.who.isprintable()
    w.gather.agreed.no.click()
    assert consent.may_be_recorded(session) == set(), "taken back with one press"


@pytest.fixture
def kept(window):
    """Two recordings by hand of the open setup, a third with a listener whose parts stand side by side."""
    w = window
    home = takes_folder(w.session)
    rng = np.random.default_rng(7)
    for i, channels in enumerate((2, 2, 4)):
        folder = home / f"2026-11-30 14.0{i}.00"
        setup = w.session.setup
        sound = rng.uniform(-0.4, 0.4, (30_000, channels)).astype(np.float32)
        (folder / "listeners").mkdir(parents=True)
        for x in setup.listeners:
            sf.write(folder / f"listeners/{x.id}.wav", sound, setup.rate_hz, subtype="FLOAT")
        listeners = {x.id: f"listeners/{x.id}.wav" for x in setup.listeners}
        knowledge = Knowledge(agreed=(ANNA,))
        date = f"2026-11-30T14:0{i}:00+01:00"
        save_take(
            folder, Take(date=date, setup=setup, knowledge=knowledge, parts={"lounge": "x.wav"}, listeners=listeners)
        )
    w.taking.find()
    w.go_to("review")
    return w


def test_one_is_named_given_deleted_and_put_back(kept, monkeypatch, data_home):
    w, card, taking = kept, kept.review.kept, kept.taking
    assert card.agreed.text() == "Anna agreed on 30 Nov"
    assert card.where.text() == "It goes when the demo is closed."
    taking.choose(1)
    folder = taking.takes[1][0]
    shown = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: (shown.append(url.toLocalFile()), True)[1])
    press(card.show_it)
    assert shown == [str(folder)]

    def call_it(name):
        def do(dialog):
            assert dialog.field.hasSelectedText()
            QTest.keyClicks(dialog.field, name)
            press(dialog.buttons["rename"])

        in_question(do)
        press(card.rename)

    call_it("Anna sings, the good one")
    assert taking.takes[1][0] == folder.with_name("Anna sings, the good one")
    assert not folder.exists()
    assert card.name.text() == "Anna sings, the good one"
    taking.find()
    assert [taking.name_of(i) for i in range(3)] == ["", "Anna sings, the good one", ""], (
        "in time they stay where they were"
    )
    taking.choose(2)
    call_it("../Anna sings, the good one")
    assert taking.name_of(2) == "-Anna sings, the good one".strip("-") or "called" in w.notice.words.text()
    taking.choose(1)
    w.review.choose_listener("shore_stream")
    press(card.give)
    folder = taking.takes[1][0]
    given = folder.parent / "Anna sings, the good one, Shore stream.flac"
    sound, _ = sf.read(given, always_2d=True, dtype="float32")
    assert np.abs(sound - take_sound(folder, "listeners/shore_stream.wav")[0].T).max() < 2**-22, (
        "every sample, to 24 bits"
    )
    assert [u.toLocalFile() for u in QGuiApplication.clipboard().mimeData().urls()] == [str(given)]
    press(card.give)
    assert (folder.parent / "Anna sings, the good one, Shore stream 2.flac").exists(), "nothing is written over"
    taking.choose(2)
    press(card.give)
    many = sorted(folder.parent.glob("2026-11-30 14.02*.flac"))[0]
    assert sf.info(many).channels == 2, "every part on its own track is heard together"
    taking.choose(1)
    press(card.delete)
    assert not folder.exists()
    assert len(taking.takes) == 2
    assert w.notice.words.text() == "Anna sings, the good one is in the wastebasket."
    note = (data_home / "data/Trash/info/Anna sings, the good one.trashinfo").read_text()
    assert "Path=" in note, "the desktop's own wastebasket knows where it was"
    press(card.put_back)
    assert folder.exists()
    assert [f for f, _ in taking.takes][1] == folder
    assert taking.chosen == 1
    assert not (data_home / "data/Trash/info/Anna sings, the good one.trashinfo").exists()
    for _ in range(3):
        press(card.delete)
    assert taking.takes == []
    assert card.isVisible()
    assert card.put_back.isVisible()
    press(card.put_back)
    assert len(taking.takes) == 1


def test_what_cannot_be_done_is_said_and_nothing_is_lost(kept, monkeypatch):
    w, card, taking = kept, kept.review.kept, kept.taking
    folder = taking.takes[taking.chosen][0]
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: False)
    press(card.show_it)
    assert str(folder) in w.notice.words.text()
    (folder / "listeners/lounge_call.wav").write_bytes(b"RIFFnothing")
    w.review.choose_listener("lounge_call")
    press(card.give)
    assert (
        w.notice.words.text()
        == "Not written: lounge_call.wav: the file: not a sound that can be read. The recording is as it was."
    )
    assert not list(folder.parent.glob("*.flac*"))
    assert not list(folder.parent.glob(".*"))
    monkeypatch.setattr("brucke.ui.places.review.kept_line.QFile.moveToTrash", lambda _f: (False, ""))
    press(card.delete)
    assert "Not deleted: there is no wastebasket for" in w.notice.words.text()
    assert folder.exists()
    assert len(taking.takes) == 3


def test_they_stand_among_the_users_music_and_the_demos_go_with_it(data_home, nightboat):
    session = Session(equipment)
    session.replace(rename(nightboat, "Lesson: Anna / 2"))
    assert takes_folder(session) == data_home / "music" / "Brucke takes" / "Lesson- Anna - 2"
    assert file_name("../..") == ""
    assert file_name("a/b") == "a-b"
    assert len(file_name("x" * 300)) == 80
    code = (
        "from brucke.app.recording.take_folders import of_the_demo as f; p = f(); (p / 'x').write_text('1'); print(p)"
    )
    made = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True
    ).stdout.strip()
    assert "brucke-demo-" in made
    assert subprocess.run(["ls", made], capture_output=True).returncode != 0


def test_a_setup_for_real_equipment_finds_no_sound_of_ours_and_takes_nobodys_answer_along(
    window, data_home, nightboat, tmp_path
):
    w, session = window, window.session
    assert find_file("harp.flac", session.folders).parent == FOLDER
    w.documents.new("stream", here=True)
    assert all(not p.tracks and not p.beat_source for p in session.setup.parts)
    theirs = put_on_this_computer(nightboat)
    (tmp_path / "theirs").mkdir()
    session.replace(theirs, None, tmp_path / "theirs" / "a.brucke.json")
    assert not find_file("harp.flac", session.folders).exists(), (
        "what a friend's setup names is found only if it is here"
    )
    files = [(p.name, p) for p in FOLDER.glob("*.flac")] + [(p.name, p) for p in FOLDER.glob("*.wav")]
    bundle = tmp_path / "a.brucke.zip"
    export_bundle(bundle, nightboat, Knowledge(agreed=(ANNA,)), files)
    assert b"Anna" not in bundle.read_bytes()
    setup = json.loads(encode(nightboat, Knowledge(agreed=(replace(ANNA, date="soon"),))))
    (tmp_path / "b.brucke.json").write_text(json.dumps(setup))
    with pytest.raises(Exception, match=r"knowledge.agreed\[0\].date: “soon” is not a date"):
        load(tmp_path / "b.brucke.json")
    assert load(import_bundle(bundle, tmp_path / "in"))[1].agreed == ()


def test_found_heard_and_given_away_in_three_presses(live):
    w = live
    record(w, 2.0)
    w.go_to("align")
    w.notice.clear()
    key(w, Qt.Key.Key_R, Qt.KeyboardModifier.AltModifier)
    assert w.place == "review"
    key(w, Qt.Key.Key_B)
    wait(lambda: w.playback.heard == "now" and w.running.back_frame > 4000, 20)
    press(w.review.kept.give)
    wait(lambda: ".flac is copied" in w.notice.words.text(), 10)
