"""A window of the Nightboat hour; with `live` it runs on the real engine and stand-ins."""

import time

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
    monkeypatch.setattr(w, "_may_lose", lambda: True)
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
