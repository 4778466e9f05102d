"""The work itself, in the real window: keyboard alone, mouse alone, mistakes, and what must not get lost."""

import os
import signal
import time
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.storage.setup_file import load
from brucke.engine.processes.region import Head
from brucke.takes.sounds import take_sound
from brucke.words import timing

from ..stolen import lost_s
from .conftest import key, measure, pause, press, wait


def measured(window):
    return window.session.knowledge.newest(ROUND_TRIP.key(window.session.setup.device("table").id))


def test_measure_align_record_and_save_by_keyboard_alone(live, tmp_path, monkeypatch):
    w = live
    w.activateWindow()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "mine"), ""))
    for _ in range(6):  # again, where a busy machine lost blocks in the middle
        key(w, Qt.Key.Key_M)
        assert (w.measuring.state, w.measuring.count) == ("counting", 3), "three seconds of warning first"
        assert "hold a headphone to the microphone" in w.align.side.evidence.note.text()
        wait(lambda: not w.measuring.busy, 60)
        if not w.measuring.failed:
            break
    assert measured(w) is not None, w.measuring.message
    key(w, Qt.Key.Key_N)
    key(w, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    assert w.session.setup.route("harp", "recorder").delay_ms > 10
    key(w, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert (w.taking.state, w.taking.proof_take) == ("recording", True)
    wait(lambda: w.taking.state == "idle", 120)
    assert w.place == "review"
    assert set(w.taking.take.proof) == {"lounge_call", "shore_stream", "recorder"}
    assert w.taking.take.setup == w.session.setup
    key(w, Qt.Key.Key_B)
    wait(lambda: w.running.back_frame > 0, 10)
    assert w.playback.heard == "now"
    key(w, Qt.Key.Key_Escape)
    assert w.playback.heard == ""
    key(w, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    saved = tmp_path / "mine.brucke.json"
    setup, knowledge = load(saved)
    assert setup == w.session.setup
    assert knowledge.measurements[0].key == "round_trip:table"
    assert (tmp_path / "harp.flac").exists(), "the sounds came along"
    assert not w.session.unsaved


def test_the_same_by_mouse_alone(live):
    w = live
    press(w.align.side.evidence.how)
    press(w.align.side.evidence.sequence)
    for _ in range(6):
        press(w.align.side.evidence.button)
        wait(lambda: not w.measuring.busy, 60)
        if not w.measuring.failed:
            break
    assert measured(w).method == "sequences"
    press(w.align.chips["lounge_call"])
    lane = next(b for b in w.align.drawing.lanes if b.accessibleName().startswith("Harp"))
    press(lane)
    before = w.session.setup.route("harp", "lounge_call").delay_ms
    press(w.align.side.verdict.one)
    after = w.session.setup.route("harp", "lounge_call").delay_ms
    assert before == 0 < after
    press(w.strip.cards["recorder"])
    assert w.align.listener == "recorder"
    press(w.align.side.verdict.all)
    assert w.strip.cards["recorder"].verdict.startswith("in step")
    press(w.deck.spans["review"])
    assert w.place == "review"
    assert w.review.empty.isVisible(), "an empty place teaches"


def test_nudges_within_a_moment_are_one_step_and_never_below_zero(window):
    w = window
    w.align.choose_listener("recorder")
    w.align.choose_part("harp")
    for _ in range(4):
        w.do("later")
    assert w.session.setup.route("harp", "recorder").delay_ms == pytest.approx(4.0)
    w.session.undo()
    assert w.session.setup.route("harp", "recorder").delay_ms == 0
    w.do("earlier")
    assert w.session.setup.route("harp", "recorder").delay_ms == 0


def test_meters_move_and_the_backing_track_plays_pauses_and_seeks(live):
    w = live
    wait(lambda: w.strip.cards["shore_stream"].ballistics.level.max() > -40, 10)
    first = w.grab().toImage()
    pause(0.5)
    second = w.grab().toImage()
    for card in w.strip.cards.values():
        for bar in card.geometry_of_meter().bars:
            at = card.mapTo(w, bar.topLeft().toPoint())
            size = bar.size().toSize()
            assert first.copy(at.x(), at.y(), size.width(), size.height()) != second.copy(
                at.x(), at.y(), size.width(), size.height()
            ), card.text()
    press(w.strip.play)
    wait(lambda: not w.running.playing, 5)
    assert w.strip.play.text() in ("Play", "Pause")
    w.running.seek(20.0)
    wait(lambda: 19.5 < w.running.track[0] < 20.5, 5)
    press(w.strip.play)
    wait(lambda: w.running.track[0] > 20.5, 5)


def test_a_changed_delay_reaches_the_engine(live):
    w = live
    plan = w.running.link.get(Head.PLAN_ADOPTED)
    w.align.choose_listener("recorder")
    w.align.everyone()
    wait(lambda: w.running.link.get(Head.PLAN_ADOPTED) > plan, 5)
    _, adopted = w.running.link.region.read_plan()
    assert adopted.delay[3, 0] == round(w.session.setup.route("harp", "recorder").delay_ms * 48)


def test_when_the_engine_dies_in_a_take_sound_is_back_and_the_take_is_kept(live):
    w = live
    w.taking.seconds = 6.0
    measure(w)
    link = w.running.link
    wait(lambda: link.standbys, 10)
    pause(5.0)  # until one has loaded everything
    w.taking.prove_from_the_top()
    folder, first = w.taking.folder, link.get(Head.RECORDED)
    pause(3.0)
    done, said = link.get(Head.RECORDED), []
    w.session.stands.connect(lambda text, _tone, _holds: said.append(text))
    lost, died = lost_s(), time.monotonic()
    os.kill(link.engine.process.pid, signal.SIGKILL)
    wait(lambda: any("The engine stopped. It is being started again" in s for s in said), 5)
    wait(lambda: link.get(Head.RECORDED) > done and w.running.state == "running", 10)
    assert time.monotonic() - died < 2.0 + (lost_s() - lost), "in time in which nobody waited for a core"
    pause(0.3)
    kept = folder / "parts/voice.wav"
    least = done - first - 48000
    assert sf.info(kept).frames >= least, "at most a second is lost, read while the take goes on"
    with av.open(str(kept)) as f:
        assert sum(frame.samples for frame in f.decode(audio=0)) >= least
    wait(lambda: w.taking.state == "idle", 120)
    assert (folder / "parts/voice.2.wav").exists(), "the rest is a second segment"
    stages = w.session.timing.of("recorder").route("voice").stages
    assert {s.evidence for s in stages if s.code == "capture"} == {"unconfirmed"}, (
        "it counts, and is not simply measured"
    )
    assert "test it again" in w.align.side.evidence.when.text()
    take = w.taking.take
    assert any(m.at >= 0 for m in take.track), "what the track did is known"
    assert w.playback is not None
    whole, rate = take_sound(folder, "parts/voice.wav")
    assert rate == 48000
    assert whole.shape[1] > sf.info(kept).frames + 48000, "both segments are read as one sound"


def test_a_world_that_vanishes_stops_everything_with_a_sentence(live):
    w = live
    live.running.link.world.process.kill()
    wait(lambda: w.running.state == "stopped", 10)
    assert "stopped" in w.notice.words.text()
    w.do("start_stop")
    wait(lambda: w.running.state == "running", 30)


def test_a_wrong_file_is_one_sentence_and_the_open_setup_stays(window, tmp_path):
    w = window
    w.align.choose_listener("recorder")
    w.align.everyone()
    open_setup, steps = w.session.setup, w.session.undo_stack.count()
    bad = tmp_path / "song.json"
    bad.write_text("la la la")
    assert not w.open_file(bad)
    assert w.notice.words.text().startswith("Not opened. song.json: line 1, column")
    assert w.session.setup is open_setup
    assert w.session.undo_stack.count() == steps
    w.session.save_as(tmp_path / "good.brucke.json")
    (tmp_path / "harp.flac").unlink()
    assert not w.open_file(tmp_path / "good.brucke.json")
    assert "no sound harp.flac beside it" in w.notice.words.text()


def test_a_disk_that_is_full_is_said_and_loses_nothing(window, tmp_path, monkeypatch):
    w = window
    target = tmp_path / "hour.brucke.json"
    w.session.save_as(target)
    old = target.read_bytes()
    w.align.choose_listener("recorder")
    w.align.everyone()
    monkeypatch.setattr(os, "fsync", lambda _fd: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    w.do("save")
    assert "Not saved. hour.brucke.json: no space left on device" in w.notice.words.text()
    assert target.read_bytes() == old
    assert w.session.unsaved


def test_the_demo_itself_is_never_written_over(window, tmp_path, monkeypatch):
    asked = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (asked.append(a), ("", ""))[1])
    window.do("save")
    assert asked


def test_all_verdicts_of_one_listener_are_the_same_text(window):
    w = window
    for listener in w.session.setup.listeners:
        w.align.choose_listener(listener.id)
        w.refresh()
        said = timing.verdict_text(w.session.setup, w.session.timing.of(listener.id).verdict)
        assert w.strip.cards[listener.id].verdict == said
        if timing.needs_you(w.session.timing.of(listener.id).verdict):
            assert w.deck.spans["align"].state == said


def test_the_table_says_what_the_drawing_shows_and_copies(window):
    w = window
    w.align.choose_listener("shore_stream")
    w.do("table")
    assert w.align.stack.currentWidget() is w.align.table
    w.align.table.copy()
    text = QApplication.clipboard().text().splitlines()
    assert text[0].split("\t") == ["part", "step", "takes", "±", "how we know"]
    assert any(line.startswith("Harp\tplayer\t21.33 ms") for line in text)
    for lane in w.align.drawing.data.lanes:
        assert any(line.startswith(f"{lane.name}\tarrives") for line in text)
    w.do("table")
    assert w.align.stack.currentWidget() is w.align.drawing


def test_lanes_are_reached_by_tab_and_arrows_with_names_for_readers(window):
    w = window
    w.align.choose_listener("shore_stream")
    first = w.align.drawing.lanes[0]
    first.setFocus()
    w.align.choose_part("harp")
    assert first.accessibleName() == "Harp, sets the beat, early 10.7"
    QTest.keyClick(first, Qt.Key.Key_Down)
    assert w.align.part == "voice"
    assert w.align.drawing.lanes[1].hasFocus()


def test_keys_can_be_changed_and_single_letters_switched_off(window):
    a = window.actions_table
    assert a.set_keys("measure", "R") == "record", "the one that had the key is told"
    assert a.hint("measure") == "R"
    assert a.hint("record") == "Ctrl+R", "what works as well stays"
    a.set_letters(False)
    assert a.hint("measure") == ""
    assert a.hint("save") == "Ctrl+S"
    a.set_letters(True)
    assert a.hint("measure") == "R"


def test_every_action_of_the_table_can_be_done(window, monkeypatch):
    """No dead key: each id is wired."""
    from brucke.ui.shell import action_handlers as module
    from brucke.ui.shell.actions import ACTIONS
    from brucke.ui.shell.document_dialogs import NotesDialog

    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: ("", ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: ("", ""))
    monkeypatch.setattr(NotesDialog, "exec", lambda self: 0)
    monkeypatch.setattr(module, "find_action", lambda *a: None)
    for dialog in ("KeysDialog", "ControlDialog"):
        monkeypatch.setattr(module, dialog, lambda *a: type("D", (), {"exec": lambda self: None})())
    for spec in ACTIONS:
        if spec.id not in ("start_stop", "play", "quit"):
            window.do(spec.id)
    assert len({s.id for s in ACTIONS}) == len(ACTIONS)
    keys = [s.keys for s in ACTIONS if s.keys]
    assert len(keys) == len(set(keys))


def test_takes_are_remembered_and_a_broken_one_is_left_out_with_a_sentence(window, data_home):
    from brucke.app.recording.take_folders import takes_folder
    from brucke.takes.take import Take, save_take

    home = takes_folder(window.session)
    assert Path(data_home) in home.parents
    save_take(home / "1", Take(date="2026-11-24T19:42:00+00:00", setup=window.session.setup))
    (home / "2").mkdir()
    (home / "2" / "take.json").write_text("{")
    window.taking.find()
    assert len(window.taking.takes) == 1
    assert "Left out: 2/take.json" in window.notice.words.text()
    window.go_to("review")
    assert window.review.stack.currentWidget() is window.review.drawing
    assert np.isfinite(window.taking.share)
