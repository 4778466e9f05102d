"""What is lost when something is killed: twenty times each the window, engine, recorder and loudness, under load of
both cores or not; promised against measured. Beside it, how long an idle process of the same kind takes to come up."""

import os
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

TIMES = 20
BUSY = "while True: pass"
WINDOW = """
import itertools, os, sys, time
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, QTimer
from brucke.demo import SETUP
from brucke.ui.shell.app import make_app
from brucke.app.session.session import Session
from brucke.rehearse import equipment
from brucke.ui.theme.theme import Theme
from brucke.app.studio import Studio
from brucke.ui.shell.window import Window
app, _, _ = make_app()
session = Session(equipment)
session.open(SETUP)
w = Window(Theme(), Studio(session, QSettings(os.environ["XDG_CONFIG_HOME"] + "/s.ini", QSettings.Format.IniFormat)))
w.show()
w.running.start(play=True)
count = itertools.count(1)
def edit():
    if w.taking.recording.state == "recording":
        n = next(count)
        session.edit(f"note {n}", replace(session.setup, notes=str(n)), "gather")
        print(n, time.time(), w.taking._folder, flush=True)
def record():
    if w.running.state == "running" and w.taking.state == "idle":
        w.taking.record()
timers = []
for act, every in ((edit, 70), (record, 200)):
    t = QTimer(); t.timeout.connect(act); t.start(every); timers.append(t)
app.exec()
"""


def _homes(folder: str) -> dict[str, str]:
    return {
        **os.environ, "XDG_DATA_HOME": f"{folder}/data", "XDG_CONFIG_HOME": f"{folder}/config", "HOME":
        f"{folder}/home",
        "QT_QPA_PLATFORM": "offscreen",
    }  # fmt: skip


def _window_kills() -> None:
    import soundfile as sf

    from brucke.core.storage.recovery import find_recoveries
    from brucke.ports.sounds.segments import read_segments

    lost_edits, lost_take, uneven = [], [], 0
    for _ in range(TIMES):
        with tempfile.TemporaryDirectory() as folder:
            program = subprocess.Popen(
                [sys.executable, "-c", WINDOW], stdout=subprocess.PIPE, text=True, env=_homes(folder)
            )
            assert program.stdout is not None
            first = program.stdout.readline().split(maxsplit=2)
            time.sleep(3.3)
            program.send_signal(signal.SIGKILL)
            killed = time.time()
            program.wait()
            edits = [line.split(maxsplit=2) for line in program.stdout.read().splitlines()] or [first]
            time.sleep(1.5)
            [(_file, r)] = find_recoveries(Path(folder) / "data" / "brucke" / "recovery")
            missing = [float(at) for n, at, _f in edits if int(n) > int(r.setup.notes)]
            lost_edits.append(max((killed - at for at in missing), default=0.0))
            take = Path(edits[-1][2])
            lengths = {sf.info(p).frames for p in (*take.glob("parts/*.wav"), *take.glob("listeners/*.wav"))}
            uneven += len(lengths) != 1
            whole = sum(s.frames for s in read_segments(take)) / 48000
            lost_take.append(max(0.0, killed - float(first[1]) - whole))
    print(
        f"window killed: edits lost at most {max(lost_edits):.2f} s (2), of a take {max(lost_take):.2f} s (1), uneven "
        f"{uneven}"
    )


class _Live:
    """A window in this process, running and (unless told not to) recording."""

    def __init__(self, record: bool = True) -> None:
        from PyQt6.QtCore import QSettings

        from brucke.app.session.session import Session
        from brucke.app.studio import Studio
        from brucke.demo import SETUP
        from brucke.rehearse import equipment
        from brucke.ui.shell.app import make_app
        from brucke.ui.shell.window import Window
        from brucke.ui.theme.theme import Theme

        self.app, _, _ = make_app()
        session = Session(equipment)
        session.open(SETUP)
        settings = QSettings(f"{os.environ['XDG_CONFIG_HOME']}/s.ini", QSettings.Format.IniFormat)
        self.w = Window(Theme(), Studio(session, settings))
        self.w.document_dialogs.may_leave = lambda: True  # type: ignore[method-assign]
        self.w.show()
        self.w.running.start(play=True)
        self.until(lambda: self.w.running.state == "running")
        if record:
            self.record()

    def record(self) -> None:
        self.w.taking.record()
        self.until(lambda: self.w.taking.recording.state == "recording")

    def end(self) -> None:
        self.w.taking.record()
        self.until(lambda: self.w.taking.state == "idle", 60)

    def until(self, met: Callable[[], bool], seconds: float = 30.0) -> float:
        """How long that took."""
        began = time.monotonic()
        while not met():
            self.app.processEvents()
            time.sleep(0.002)
            if time.monotonic() - began > seconds:
                raise TimeoutError
        return time.monotonic() - began

    def live(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        self.until(lambda: time.monotonic() > end, seconds + 5)


def _said(what: str, seconds: list[float], promised: float) -> None:
    median, worst = statistics.median(seconds), max(seconds)
    print(f"{what}: median {median:.2f} s, worst {worst:.2f} s (promised {promised:g})")


def _engine(live: _Live, how: int, what: str, settle_s: float = 2.0) -> None:
    """`settle_s` is how long after the last time: so long another one takes to be ready."""
    from brucke.engine.processes.region import Head

    gaps = []
    for _ in range(TIMES):
        link = live.w.running.link
        assert link is not None
        live.until(lambda link=link: bool(link.standbys))
        live.live(settle_s)
        done = link.get(Head.RECORDED)
        os.kill(link.engine.process.pid, how)
        gaps.append(live.until(lambda link=link, done=done: link.get(Head.RECORDED) > done + 4800))
    _said(what, gaps, 2.0)


def _recorder(live: _Live, how: int, what: str) -> None:
    gaps = []
    for _ in range(TIMES):
        link, recording = live.w.running.link, live.w.taking.recording
        assert link is not None
        live.live(3.5)  # three within ten seconds, and it rightly goes on in another folder
        old = link.recorder.process.pid
        os.kill(old, how)
        gaps.append(live.until(lambda old=old, link=link, r=recording: link.recorder.process.pid != old and r.state
            == "recording"))  # fmt: skip
    _said(what, gaps, 4.0)


def _loudness(live: _Live) -> None:
    gaps = []
    for _ in range(TIMES):
        link = live.w.running.link
        assert link is not None
        live.until(lambda link=link: link.loudness is not None and float(link.listener_loudness()[0, 4]) > 0.3)
        old = link.loudness
        assert old is not None
        os.kill(old.process.pid, signal.SIGKILL)
        old.process.wait()
        link.region.sound("loudness")[0, 4] = 0.0  # what it said last
        gaps.append(live.until(lambda link=link: float(link.listener_loudness()[0, 4]) > 0.0))
    _said("loudness killed, measured again after", gaps, 4.0)


def run() -> None:
    from brucke.ports.sounds.segments import read_segments

    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(_homes(folder))
        live = _Live()
        _engine(live, signal.SIGKILL, "engine killed, sound is back after")
        _engine(live, signal.SIGSTOP, "engine hung, sound is back after")
        _recorder(live, signal.SIGKILL, "recorder killed, files grow again after")
        _recorder(live, signal.SIGSTOP, "recorder hung, files grow again after")
        _loudness(live)
        take = live.w.taking._folder
        live.w.taking.record()
        live.until(lambda: live.w.taking.state == "idle")
        segments = read_segments(take)
        ends = [s.frame + s.frames for s in segments]
        gap = sum(max(0, b.frame - a) for a, b in zip(ends, segments[1:], strict=False))
        lost = sum(s.lost_frames for s in segments)
        print(
            f"of that take, {len(segments)} segments: {gap} frames between them, {lost} overrun and silent (48000 "
            f"promised each)"
        )
        live.w.taking.record()
        live.until(lambda: live.w.taking.recording.state == "recording")
        busy = [subprocess.Popen([sys.executable, "-c", BUSY]) for _ in range(os.cpu_count() or 1)]
        _engine(live, signal.SIGKILL, "engine killed, all cores busy, sound is back after", 6.0)
        _engine(live, signal.SIGSTOP, "engine hung, all cores busy, sound is back after", 6.0)
        for b in busy:
            b.kill()
        live.w.close()
    _window_kills()
    began = time.monotonic()
    subprocess.run([sys.executable, "-c", "import numpy, numba"], check=True)
    print(f"reference: a process that only imports NumPy and numba takes {time.monotonic() - began:.2f} s")
