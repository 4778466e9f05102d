"""A window of the Nightboat hour; with `live` it runs on the real engine and stand-ins."""

import contextlib
import time

import pytest
from PyQt6.QtCore import QEvent, QPoint, QSettings, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from brucke.demo import SETUP
from brucke.desk.session import Session
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme

from ..stolen import STOLEN, stolen_s

PATIENCE = 3  # a wait's end only says that something hangs: what is promised in seconds is held by a line of its own


def new_window(home, monkeypatch, setup=None):
    """Not running; nothing modal ever asks whether to save."""
    settings = QSettings(str(home / "settings.ini"), QSettings.Format.IniFormat)
    theme = Theme()
    theme.apply()
    session = Session()
    if setup is not None:
        session.open(setup)
    w = Window(theme, session, settings, take_seconds=8.0)
    monkeypatch.setattr(w.filing, "may_leave", lambda: True)
    w.show()
    w.activateWindow()
    return w


@pytest.fixture
def window(app, qtbot, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch, SETUP)
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
    until = time.monotonic() + PATIENCE * seconds
    while not met():
        QApplication.processEvents()
        time.sleep(0.005)
        assert time.monotonic() < until, "it did not happen in time"


def pause(seconds):
    until = time.monotonic() + seconds
    wait(lambda: time.monotonic() > until, seconds + 5)


def key(window, keys, modifiers=Qt.KeyboardModifier.NoModifier):
    """One press, wherever the focus is."""
    target = QApplication.focusWidget() or window
    QTest.keyClick(target, keys, modifiers)
    QApplication.processEvents()


def press(button):
    assert button.isVisible(), button.text()
    assert button.isEnabled(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton, pos=QPoint(button.width() // 2, button.height() // 2))
    QApplication.processEvents()


def type_in(window, text):
    """Letters and digits as one types them."""
    QTest.keyClicks(QApplication.focusWidget() or window, text)
    QApplication.processEvents()


def drag(widget, start, end, modifiers=Qt.KeyboardModifier.NoModifier):
    """From one point to another in one gesture, as a mouse does it."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifiers, start)
    for i in range(1, 9):
        at = start + (end - start) * (i / 8)
        event = QMouseEvent(
            QEvent.Type.MouseMove, at.toPointF(), widget.mapToGlobal(at).toPointF(), Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton, modifiers,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifiers, end)
    QApplication.processEvents()


def part(w, id):
    return w.session.setup.part(id)


def pick(view, text):
    """Open the view's menu and pick what begins with `text`."""
    view.add_menu()
    action = next(a for a in view.menu.actions() if a.text().startswith(text))
    view.menu.setActiveAction(action)
    QTest.keyClick(view.menu, Qt.Key.Key_Return)
    view.window().activateWindow()  # without a screen nobody else gives it back
    QApplication.processEvents()


def measure(window):
    """Measure as a user would."""
    wait(lambda: window.running.state == "running", 60)
    window.measuring.count_s = 0.2  # that it counts three seconds is a test of its own
    for _ in range(3):  # where the machine is too busy it says so, and who uses it tries again
        window.measuring.begin()
        wait(lambda: not window.measuring.busy, 60)
        if "too busy" not in window.measuring.message:
            break
    assert not window.measuring.failed, window.measuring.message


@contextlib.contextmanager
def exact():
    """Around what holds a sound to the frame while it plays, and around nothing else: where the machine below takes more than
    a twentieth of the time away, blocks are lost whoever plays, and what fails then is left out, and said."""
    before, began = stolen_s(), time.monotonic()
    try:
        yield
    except AssertionError:
        share = (stolen_s() - before) / (time.monotonic() - began)
        if share > STOLEN:
            pytest.skip(f"the machine below took {share:.0%} of the time away")
        raise


@pytest.fixture
def gather(window):
    window.do("gather")
    return window.gather
