"""Smaller ways in which something was lost, heard or kept: each failed before it was mended."""

import os
import tempfile
import threading
import time
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.app.jobs.temporary_folders import sweep, temporary_folder
from brucke.app.measuring.round_trip import Measurer
from brucke.app.presence.at_home import AtHome
from brucke.app.session.session import Session
from brucke.core.edits import listener_edits, part_edits, route_edits
from brucke.core.storage.setup_file import load
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.engine.step.runner import Runner
from brucke.home.bus import Bus
from brucke.ports.sounds.files import write_sound
from brucke.rehearse import equipment

RATE = 48000


def test_a_dropped_file_with_a_name_that_cannot_be_written_comes_in_under_one_that_can(window, tmp_path):
    """Control characters and bytes that are no text: the setup has to be saved and read again."""
    w = window
    w.go_to("gather")
    for name in (b"so\x07ng\x1b.wav", b"so\xffng.wav"):
        file = Path(os.fsdecode(os.fsencode(tmp_path) + b"/" + name))
        write_sound(tmp_path / "plain.wav", np.full((2, RATE), 0.1, np.float32), RATE)
        os.rename(tmp_path / "plain.wav", file)
        w.gather.take_files([file])
    tracks = next(p for p in w.session.setup.parts if p.source == "track").tracks
    assert [t.file for t in tracks][-2:] == ["so_ng_.wav", "so_ng.wav"]
    w.session.save_as(tmp_path / "kept.brucke.json")
    assert load(tmp_path / "kept.brucke.json")[0] == w.session.setup


def test_no_edit_brings_in_what_the_reader_would_refuse(window):
    w = window
    before = w.session.setup
    for bad in (
        part_edits.change_part(before, "voice", trim_db=float("nan")),
        part_edits.set_channels(before, "harp", (255, 256)),
    ):
        w.session.edit("something \x07 odd", bad, "gather")
        assert w.session.setup is before
        assert "not done: something" in w.notice.words.text()
    odd = part_edits.change_part(before, "voice", name="Vo\x00ice")
    odd = listener_edits.change_listener(replace(odd, notes="a\ud800\x0cb"), "recorder", name="x" * 5000)
    w.session.edit("typed", odd, "gather")
    after = w.session.setup
    assert (after.part("voice").name, after.notes, after.listener("recorder").name) == ("Voice", "a\nb", "x" * 200)


def test_folders_that_a_killed_process_left_are_taken_away_and_nobody_elses(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    ours, left = temporary_folder("look"), tmp_path / "brucke-look-left"
    left.mkdir()
    (left / ".who.json").write_text('{"pid": 4194303, "started": 1, "boot": ""}')
    (left / "kept.npz").write_bytes(b"x")
    (tmp_path / "brucke-without-a-note").mkdir()
    (tmp_path / "brucke-link").symlink_to(tmp_path / "brucke-without-a-note")
    assert sweep() == 1
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted(["brucke-link", "brucke-without-a-note",
        Path(ours.name).name])  # fmt: skip
    ours.cleanup()


def test_what_is_listened_back_to_ends_with_its_listener_and_whoever_comes_hears_none_of_it(nightboat):
    from brucke.core.routing.rows import rows_of

    rows = rows_of(nightboat, roomy=True)
    runner = Runner(shape_of(nightboat, rows), compile_plan(nightboat, Live(), rows))
    row = rows.order(nightboat).listeners[0]
    runner.listen_back(row, np.full((2, 10 * RATE), 0.3, np.float32))
    silence = np.zeros((runner.shape.captures, runner.shape.block), np.float32)
    heard = [runner.step(silence)[row].copy() for _ in range(20)]
    assert np.abs(heard[-1]).max() > 0.2
    without = listener_edits.remove_listener(nightboat, nightboat.listeners[0].id)
    left = rows.following(without, 1.0)
    runner.adopt(compile_plan(without, Live(), left))
    runner.step(silence)
    late = listener_edits.add_listener(without, "call", "Late", "Late")
    came = left.following(late, 9.0)
    assert came.order(late).listeners[-1] == row, "in the very same row"
    runner.adopt(compile_plan(late, Live(), came))
    for _ in range(20):
        heard = runner.step(silence)[row].copy()
        assert np.abs(heard).max() < 1e-3
    assert runner.back_frame == -1


def test_nothing_is_played_back_into_a_recording_that_begins_while_its_file_is_read(window, monkeypatch):
    w = window
    read, played = threading.Event(), []
    w.playback._answer = w.playback._pool.submit(lambda: (read.wait(5), np.zeros((2, RATE), np.float32))[1])
    monkeypatch.setattr(w.playback, "_play", lambda *a: played.append(a))
    w.running.state = "running"
    w.running.link = object()
    try:
        w.taking.state = "recording"
        read.set()
        until = time.monotonic() + 5
        while w.playback._answer is not None and time.monotonic() < until:
            time.sleep(0.01)
            answer = w.playback._answer
            if answer.done():
                w.playback._answer = None
                w.playback._begin(answer)
    finally:
        w.running.state, w.running.link, w.taking.state = "stopped", None, "idle"
    assert played == []


@pytest.mark.parametrize("how", ["undone", "opened"])
def test_a_measurement_belongs_to_the_way_it_began_with_and_ends_when_anybody_is_opened(app, nightboat, how):
    session = Session(equipment)
    session.replace(nightboat)
    session.edit("larger", route_edits.change_device(session.setup, "table", buffer_frames=256), "gather")
    link = SimpleNamespace(end_measuring=lambda: None, tell_world=lambda *_a, **_k: None)
    measuring = Measurer(session, SimpleNamespace(state="running", link=link, dropouts=0))
    measuring.begin()
    measuring.tick()
    assert measuring.state == "counting"
    if how == "undone":
        session.undo()
    else:
        session.set_live(replace(session.live, on_air=True))
    measuring.tick()
    assert measuring.state == "idle"
    assert ("changed in the middle" if how == "undone" else "they hear you") in measuring.message
    assert not session.knowledge.measurements


def test_a_sleep_that_was_not_waited_for_leaves_the_next_one_announced(window, monkeypatch):
    """A take was still collected when it slept: what belonged to that sleep does not let go of what holds up the
    next."""
    w = window
    home = AtHome(w.session, w.running, w.taking, w.desktop, w.settings, Bus("session"), Bus("system"))
    let_go = []
    monkeypatch.setattr(home.presence, "may_sleep", lambda: let_go.append(1))
    w.taking.state = "finishing"
    home.presence.sleeps.emit()
    home.tick()
    assert not let_go, "it waits for the take"
    home.presence.woke.emit()  # it slept all the same
    w.taking.state = "idle"
    home.tick()
    assert not let_go
    home.presence.sleeps.emit()
    home.tick()
    assert let_go, "the next sleep is held up until everything is closed, and then let go"
    home.end()
