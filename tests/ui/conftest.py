"""A window of the Nightboat hour; with `live` it runs on the real engine and stand-ins."""

import os
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication

from brucke.demo import SETUP
from brucke.ui.session import Session
from brucke.ui.theme.theme import Theme
from brucke.ui.window import Window


@pytest.fixture
def window(app, qtbot, data_home, monkeypatch):
    """Not running; nothing modal ever asks."""
    settings = QSettings(str(data_home / "settings.ini"), QSettings.Format.IniFormat)
    theme = Theme()
    theme.apply()
    session = Session()
    session.open(SETUP)
    w = Window(theme, session, settings, take_seconds=8.0)
    monkeypatch.setattr(w.filing, "may_leave", lambda: True)
    w.show()
    yield w
    w.close()


@pytest.fixture
def live(window):
    """The same window with sound flowing."""
    window.running.start(play=True)
    wait(lambda: window.running.state == "running", 60)
    return window


def wait(met, seconds):
    """Let the window live until something is so."""
    until = time.monotonic() + seconds
    while not met():
        QApplication.processEvents()
        time.sleep(0.005)
        assert time.monotonic() < until, "it did not happen in time"


def pause(seconds):
    until = time.monotonic() + seconds
    wait(lambda: time.monotonic() > until, seconds + 5)


def measure(window, tries=6):
    """Measure as a user would: again, where a busy machine lost blocks in the middle and the repeats disagreed."""
    for _ in range(tries):
        window.measuring.begin()
        wait(lambda: not window.measuring.busy, 60)
        if not window.measuring.failed:
            return
    raise AssertionError(window.measuring.message)


def stolen_s():
    """Time that the machine below us has taken away, over all cores: no fault of the program's."""
    ticks = int(Path("/proc/stat").read_text().splitlines()[0].split()[8])
    return ticks / os.sysconf("SC_CLK_TCK")
