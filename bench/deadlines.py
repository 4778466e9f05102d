"""A minute of the demo, window painting and recording: deadlines the engine missed, beside an idle loop of the same
pace."""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QSettings

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.demo import SETUP
from brucke.engine.processes.region import Head
from brucke.rehearse import equipment
from brucke.ui.shell.app import make_app
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme

SECONDS = 60
IDLE = """
import os, time
try: os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(20))
except OSError: pass
missed, due = 0, time.monotonic()
for _ in range(int(SECONDS * 48000 / FRAMES)):
    due += FRAMES / 48000
    now = time.monotonic()
    if now < due: time.sleep(due - now)
    elif now - due > 0.1: due = now
    missed += time.monotonic() - due > FRAMES / 48000
print(missed)
"""


def idle_loop(seconds: float, frames: int = 128) -> "subprocess.Popen[str]":
    """A loop of the same pace that does nothing; it prints how many periods it missed."""
    code = f"SECONDS, FRAMES = {seconds}, {frames}\n{IDLE}"
    return subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)


def stolen() -> int:
    return int(Path("/proc/stat").read_text().splitlines()[0].split()[8])


def run() -> None:
    app, _, _ = make_app()
    session = Session(equipment)
    session.open(SETUP)
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Theme(), Studio(session, QSettings(f"{folder}/s.ini", QSettings.Format.IniFormat)))
        window.show()
        window.running.start(play=True)
        while window.running.state != "running":
            app.processEvents()
            time.sleep(0.005)
        link = window.running.link
        assert link is not None
        link.record(folder, link.track_rows([("voice", 1, 1), ("harp", 0, 2)], [("recorder", 3, 6)]))
        before = (link.get(Head.MISSED), link.get(Head.LATE), stolen())
        idle = idle_loop(SECONDS)
        until = time.monotonic() + SECONDS
        while time.monotonic() < until:
            app.processEvents()
            time.sleep(0.005)
        missed, late = link.get(Head.MISSED) - before[0], link.get(Head.LATE) - before[1]
        said, _ = idle.communicate()
        share = (stolen() - before[2]) / os.sysconf("SC_CLK_TCK")
        print(
            f"a minute with window and recorder: engine missed {missed}, stand-in world late {late}, load "
            f"{link.load:.1%}"
        )
        print(
            f"idle loop beside it missed {said.strip()}; the machine stole {share:.2f} s (budget: 1 a minute beyond "
            f"idle)"
        )
        window.running.stop()
