"""The application without a window, sounding, and what its voice is behind its chain."""

import time
from contextlib import contextmanager

import numpy as np
from PyQt6.QtCore import QCoreApplication, QSettings

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.engine.processes.kept_rows import KeptRows
from brucke.engine.processes.region import Head, record_frames
from brucke.rehearse import equipment

RATE = 48000


def until(met, seconds=30):
    end = time.monotonic() + seconds
    while not met():
        QCoreApplication.processEvents()
        time.sleep(0.005)
        assert time.monotonic() < end, "it did not happen in time"


@contextmanager
def sounding(setup_file, folder):
    """`said` keeps every notice."""
    session = Session(equipment)
    session.open(setup_file)
    s = Studio(session, QSettings(str(folder / "s.ini"), QSettings.Format.IniFormat))
    s.said = []
    session.noticed.connect(lambda text, _tone: s.said.append(text))
    s.running.start(play=True)
    until(lambda: s.running.state == "running", 60)
    try:
        yield s
    finally:
        s.end()


def stands(s, rest_db, seconds=0.1):
    """Whether the voice stands behind its chain as loud as before it, so much later as the chain says, with no more
    than `rest_db` of anything else beside it, in the newest `seconds` that the recorder could keep."""
    at, part = next((i, p) for i, p in enumerate(s.session.setup.parts) if p.id == "voice")
    link, count = s.running.link, round(seconds * RATE)
    rows, kept = link.track_rows([("voice", at, 1)], [], [("voice", at)]), KeptRows(link.region)
    until(lambda: link.get(Head.RECORDED) % record_frames(link.shape) > count)
    first, cost = link.get(Head.RECORDED) - count, part.chain[0].latency_frames
    dry, behind = (kept.copy(rows[name], first, count)[0][0] for name in ("parts/voice", "processed/voice"))
    dry, behind = dry[: len(dry) - cost], behind[cost:]
    if np.abs(dry).max() < 0.01:
        return False
    gain = float(dry @ behind / (dry @ dry))
    rest = 10 * np.log10(float(np.mean((behind - gain * dry) ** 2) / np.mean(behind**2)) + 1e-12)
    return abs(gain - 1) < (0.05 if rest_db > -60 else 1e-3) and rest < rest_db
