"""What is being recorded is never lost: recorder killed, hung, disk full, folder gone, not writable; nothing moves the
song."""

import os
import resource
import shutil
import signal
import stat
import subprocess
import sys
import time

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import Qt

from brucke.core.edits.listener_edits import duplicate_listener, remove_listener
from brucke.core.edits.part_edits import remove_part
from brucke.core.edits.route_edits import change_device
from brucke.core.measure.expected_source import played
from brucke.engine.processes.forked import FORKS
from brucke.engine.processes.lives import lives
from brucke.engine.processes.region import Head
from brucke.ports.sounds.segments import read_segments
from brucke.takes.sounds import take_sound

from ..lateness import song_lateness
from .conftest import key, pause, wait

pytestmark = pytest.mark.live


@pytest.fixture
def recorded(live, monkeypatch, tmp_path):
    """Recording by hand, with something on disk."""
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    w = live
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 5)
    pause(1.2)
    return w


def said(w):
    """Everything that was said since the recording began."""
    return " | ".join(w.everything_said)


@pytest.fixture(autouse=True)
def heard(live):
    """A notice that another one follows at once is a notice still."""
    live.everything_said = []
    live.session.noticed.connect(lambda text, tone: live.everything_said.append(text))
    plain = live.notice.say
    live.notice.say = lambda text, tone: (live.everything_said.append(text), plain(text, tone))


def end(w):
    key(w, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    wait(lambda: w.taking.state == "idle", 20)


def gap_frames(folder):
    """Frames of the engine that no segment holds."""
    segments = read_segments(folder)
    ends = [s.frame + s.frames for s in segments]
    return sum(max(0, b.frame - a) for a, b in zip(ends, segments[1:], strict=False))


def all_tracks_end_together(folder, take):
    lengths = {take_sound(folder, n)[0].shape[1] for n in (*take.parts.values(), *take.listeners.values())}
    return len(lengths) == 1


def test_recording_by_hand_moves_nothing_ends_by_hand_and_is_its_owners_alone(live, sources):
    w = live
    wait(lambda: w.running.track[0] > 1.0, 10)
    w.do("share")
    w.do("on_air")
    before = w.running.track[0]
    key(w, Qt.Key.Key_R)
    assert w.taking.state == "idle", "what is typed while they hear records nothing"
    key(w, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    wait(lambda: w.taking.recording.state == "recording", 5)
    wait(
        lambda: "recording 0:0" in w.deck.facts.state and "They hear you" in w.deck.facts.state, 5
    )  # two states, both visible
    assert w.running.playing
    assert w.running.track[0] >= before, "the song goes on where it was"
    assert "recorder" in w.strip.hears.text().lower(), "a recorder hears while it records"
    w.do("proof")
    assert "recording" in said(w), "no proof take moves the track now"
    w.playback.listen("now", "recorder")
    assert "They hear you" in said(w)
    pause(9.0)  # longer than this window's proof takes
    assert w.taking.state == "recording", "it never ends by itself"
    w.session.edit("a longer buffer", change_device(w.session.setup, "table", buffer_frames=512), "gather")
    assert "nothing is started anew" in said(w)
    key(w, Qt.Key.Key_F5)
    assert w.running.state == "running"
    end(w)
    assert w.place == "share", "the place stays"
    assert "recorder" not in w.strip.hears.text().lower()
    folder, take = w.taking.takes[-1]
    assert stat.S_IMODE(os.stat(folder).st_mode) == 0o700
    assert all_tracks_end_together(folder, take)
    lounge = folder / take.far_ends["lounge_call"]
    sound, rate = sf.read(lounge, dtype="float32")
    whole = take_sound(folder, take.parts["voice"])[0].shape[1]
    assert len(sound) > whole - rate, "the far end's file was written as it came"
    assert stat.S_IMODE(os.stat(lounge).st_mode) == 0o600
    harp = played(sources["harp"], take.track, len(sound), len(sources["harp"]))
    late = song_lateness(harp, np.ascontiguousarray(sound.mean(axis=1)), rate)
    # A second that a busy computer lost is not heard clearly; a gap or a jump would stay in all that follow.
    assert len(late) >= 3
    assert max(late) >= whole / rate - 5
    assert np.ptp(list(late.values())) < 3, f"the song is equally late all the while: {late}, {w.running.dropouts} lost"


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP], ids=["killed", "hung"])
def test_a_recorder_that_ends_or_hangs_is_said_at_once_and_nothing_is_lost(recorded, how):
    w = recorded
    folder = w.taking.folder
    began = time.monotonic()
    os.kill(w.running.link.recorder.process.pid, how)
    wait(lambda: "Recording was interrupted" in said(w) or "Nothing has been written" in said(w), 3)
    assert time.monotonic() - began < 2.0, "said at once, a busy machine counted in"
    wait(lambda: w.taking.recording.state != "recording" or "Recording was interrupted" in said(w), 1)
    wait(lambda: "Recording was interrupted" in said(w), 5)  # one that hangs is given what the ring can spare
    wait(lambda: w.taking.recording.state == "recording", 10)
    pause(1.0)
    end(w)
    take = w.taking.take
    assert len(read_segments(folder)) == 2
    assert gap_frames(folder) == 0, "the ring still held what the dead recorder did not write"
    assert all_tracks_end_together(folder, take)
    assert any("new segment" in m for m in take.missing)
    assert "Missing" in said(w)


def test_a_full_disk_goes_on_elsewhere_and_both_takes_are_whole(recorded):
    w = recorded
    first = w.taking.folder
    sizes = [p.stat().st_size for p in first.glob("parts/*.wav")]
    pid = w.running.link.recorder.process.pid
    limit = max(sizes) + 300_000
    resource.prlimit(pid, resource.RLIMIT_FSIZE, (limit, resource.RLIM_INFINITY))
    # Whoever comes after that recorder finds no room in this folder either.
    full = lambda folder: "no space left on device" if folder == first else ""  # noqa: E731
    import brucke.app.recording.recorder as module

    real, module.can_write = module.can_write, full
    try:
        wait(lambda: "goes on in" in said(w), 10)
        wait(lambda: w.taking.recording.state == "recording" and w.taking.folder != first, 10)
    except AssertionError as e:
        raise AssertionError(f"{said(w)}: {w.taking.recording.state}, {w.taking.state}, {w.taking.folder}") from e
    finally:
        module.can_write = real
    pause(1.2)
    end(w)
    (a, b) = w.taking.takes[-2:]
    assert a[0] == first
    assert any("no space left" in m and "goes on in" in m for m in a[1].missing)
    assert all_tracks_end_together(*a)
    assert all_tracks_end_together(*b)


def test_a_folder_that_is_gone_is_said_and_recording_goes_on(recorded):
    w = recorded
    folder = w.taking.folder
    shutil.rmtree(folder)
    wait(lambda: "the folder is gone" in said(w), 3)
    wait(lambda: w.taking.recording.state == "recording", 10)
    assert w.taking.folder != folder
    pause(1.0)
    end(w)
    assert w.taking.take is not None
    assert all_tracks_end_together(*w.taking.takes[-1])


def test_where_nothing_can_be_written_it_says_so_and_takes_another_folder(live, monkeypatch, tmp_path):
    w = live
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setattr("brucke.app.recording.take_folders.of_the_demo", lambda: tmp_path / "file" / "demo")
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    key(w, Qt.Key.Key_R)
    assert "takes nothing" in said(w)
    wait(lambda: w.taking.recording.state == "recording", 5)
    assert tmp_path / "home" in w.taking.folder.parents
    end(w)


def test_an_engine_that_hangs_in_a_recording_leaves_it_whole(recorded):
    w = recorded
    folder = w.taking.folder
    wait(lambda: w.running.link.standbys, 10)
    frame = w.running.link.get(Head.RECORDED)
    os.kill(w.running.link.engine.process.pid, signal.SIGSTOP)
    wait(lambda: w.running.link.get(Head.RECORDED) > frame + 4800 and w.running.state == "running", 15)
    wait(lambda: w.taking.recording.state == "recording", 5)
    pause(1.0)
    end(w)
    first, *rest = read_segments(folder)
    told = sum((b.monotonic_ns - first.monotonic_ns) / 1e9 - (b.frame - first.frame) / 48000 for b in rest) / len(rest)
    assert abs(told) < 0.1, f"frames have gone on with time: {read_segments(folder)}, {lives(w.running.link.region)}"
    assert gap_frames(folder) > 0.3 * 48000
    assert "(the engine was replaced)" in said(w), "what is missing is said"
    assert all_tracks_end_together(folder, w.taking.take)


SLOW_RECORDER = """
import os, sys, time
real = os.fsync
def slow(fd):
    time.sleep({sync_s})
    real(fd)
os.fsync = slow
write = os.write
if {stall}:
    from brucke.ports.sounds import files
    plain, began = files.TrackWriter.write, time.monotonic()
    def stalled(self, sound):
        while time.monotonic() - began > {stall}:
            time.sleep(1)
        plain(self, sound)
    files.TrackWriter.write = stalled
from brucke.engine.processes.recorder import main
main()
"""


def with_slow_disk(link, monkeypatch, sync_s=0.0, stall=0.0):
    """Recorders that are started from now on have such a disk."""
    plain = link._spawn

    def spawn(role, module, *arguments, nice=0):
        if role != "recorder":
            return plain(role, module, *arguments, nice=nice)
        script = SLOW_RECORDER.format(sync_s=sync_s, stall=stall)
        real = sys.executable
        monkeypatch.setattr(sys, "executable", real)
        original, forks = subprocess.Popen, FORKS.start
        monkeypatch.setattr(FORKS, "start", lambda *_asked: None)  # in an interpreter of its own
        monkeypatch.setattr(
            subprocess, "Popen", lambda argv, **how: original([argv[0], "-c", script, *argv[3:]], **how)
        )
        try:
            return plain(role, module, *arguments)
        finally:
            monkeypatch.setattr(subprocess, "Popen", original)
            monkeypatch.setattr(FORKS, "start", forks)

    monkeypatch.setattr(link, "_spawn", spawn)
    spare, link.spare_recorder = link.spare_recorder, None
    if spare is not None:
        spare.process.kill()
        spare.process.wait()
    link.renew_recorder()
    pause(3.0)  # until it has loaded everything, as one that records has


def with_tracks(w, tracks):
    """As many files in a take."""
    setup = w.session.setup
    for x in ("headphones", "shore_stream", "recorder") if tracks == 2 else ():
        setup = remove_listener(setup, x)
    for p in ("harp", "cello", "lounge", "picture") if tracks == 2 else ():
        setup = remove_part(setup, p)
    for _ in range(tracks - 2 * len(setup.listeners)):
        setup = duplicate_listener(setup, "recorder")
    w.session.edit("other tracks", setup, "gather")
    wait(lambda: w.running.state == "running" and w.session.setup is setup, 20)
    pause(3.0)


@pytest.mark.parametrize(("sync_s", "tracks"), [(0.1, 16), (0.6, 2), (0.6, 8), (3.0, 2), (3.0, 16)])
def test_a_disk_that_takes_its_time_loses_nothing_and_nobody_is_ended_who_works(
    live, monkeypatch, tmp_path, sync_s, tracks
):
    """Every file of a take takes so long to be made safe."""
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    w = live
    if tracks != 8:
        with_tracks(w, tracks)
    with_slow_disk(w.running.link, monkeypatch, sync_s)
    recorder = w.running.link.recorder
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 5)
    pause(6.0)
    assert w.running.link.recorder is recorder
    assert recorder.alive
    end(w)
    take = w.taking.take
    assert take.missing == ()
    assert len(take.parts) + len(take.listeners) == tracks
    assert len(read_segments(w.taking.takes[-1][0])) == 1
    assert all_tracks_end_together(*w.taking.takes[-1])
    assert take_sound(w.taking.takes[-1][0], take.parts["voice"])[0].shape[1] > 5.5 * 48000
    assert ("The disk has not answered" in said(w)) == (sync_s > 1.5)


def test_a_disk_that_stalls_for_good_is_said_within_two_seconds_and_the_window_goes_on(live, monkeypatch, tmp_path):
    import brucke.app.recording.recorder as watch

    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    monkeypatch.setattr(watch, "can_write", lambda folder: time.sleep(60) or "")
    w = live
    monkeypatch.setattr(w.taking.recording, "_elsewhere", lambda: time.sleep(60))
    with_slow_disk(w.running.link, monkeypatch, stall=2.0)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 5)
    wait(lambda: w.taking.recording.state == "behind", 5)
    began = time.monotonic()
    wait(lambda: "Nothing has been written" in said(w), 2)
    longest, last = 0.0, time.monotonic()
    ticks = []

    def tick():
        nonlocal longest, last
        longest, last = max(longest, time.monotonic() - last), time.monotonic()
        ticks.append(w.running.link.get(Head.FRAMES) if w.running.link else 0)

    w.clock.tick.connect(tick)
    wait(lambda: "Nothing is being recorded" in said(w), 15)
    w.clock.tick.disconnect(tick)
    assert longest < 1.0, "nothing in the window waits for the disk"
    assert ticks[-1] > ticks[0] + 48000, "and sound goes on"
    assert "the disk does not answer" in said(w)
    assert time.monotonic() - began < 10
    wait(lambda: w.taking.state == "idle", 30)
