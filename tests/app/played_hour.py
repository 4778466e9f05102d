"""An hour whose clock, engine and desktop are played by hand."""

from concurrent.futures import Future
from types import SimpleNamespace

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication, QSettings

from brucke.app.measuring.clock_watch import ClockWatch
from brucke.app.measuring.leak_watch import LeakWatch
from brucke.app.presence import mishaps
from brucke.app.presence.mishaps import Mishaps, Watches
from brucke.app.session.session import Session
from brucke.rehearse import equipment

STEP_S = 0.1


class Hour:
    """A clock, an engine and a desktop that are played by hand."""

    def __init__(self, setup, tmp_path, monkeypatch):
        QCoreApplication.instance() or QCoreApplication([])
        self.now = 1000.0
        monkeypatch.setattr(mishaps.time, "monotonic", lambda: self.now)  # the leak watch's, too
        self.session = Session(equipment)
        self.session.replace(setup)
        self.running = SimpleNamespace(
            state="running", part_peaks=np.zeros((len(setup.parts), 2)), inputs=SimpleNamespace(clips={}), link=None
        )
        self.clocks, self.order = ClockWatch(self.session, self.running), SimpleNamespace(line=None)
        self.pictures = SimpleNamespace(trouble=lambda _now: ("", 0), part=None)
        radio = SimpleNamespace(changed={})
        self.desktop = SimpleNamespace(consumers={}, radio=radio)
        self.leaks = LeakWatch(self.session, self.running)
        self.leaks._pool = SimpleNamespace(submit=self.at_once)
        self.taking = SimpleNamespace(state="idle", seconds_recorded=0.0)
        settings = QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat)
        watches = Watches(self.clocks, self.leaks, self.pictures)
        self.it = Mishaps(self.session, self.running, self.desktop, self.taking, watches, self.order, settings)
        self.it._asked_at = 1e9  # this computer's own disk and battery are others
        self.said = []
        self.session.stands.connect(lambda text, _tone, holds: self.said.append((text, holds)))

    def run(self, seconds, each=None):
        for i in range(round(seconds / STEP_S)):
            self.now += STEP_S
            if each is not None:
                each(i)
            self.leaks.tick()
            self.it.tick()

    @staticmethod
    def at_once(do, *given):
        done = Future()
        done.set_result(do(*given))
        return done

    def live(self, **fields):
        self.session.set_live(replace(self.session.live, **fields))

    def loud(self, part, db):
        self.running.part_peaks[[p.id for p in self.session.setup.parts].index(part)] = 10 ** (db / 20)
