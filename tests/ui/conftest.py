"""A window of the Nightboat hour; with `live` it runs on the real engine and stand-ins."""

import contextlib
import time

import pytest
from PyQt6.QtCore import QEvent, QPoint, QSettings, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.demo import SETUP
from brucke.rehearse import equipment
from brucke.ui.kit.question import Question
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme

from ..desktop_server import setup_here
from ..stolen import STOLEN, stolen_s

PATIENCE = 3  # a wait's end only says that something hangs: what is promised in seconds is held by a line of its own


def new_window(home, monkeypatch, setup=None):
    """Not running; nothing modal ever asks whether to save."""
    settings = QSettings(str(home / "settings.ini"), QSettings.Format.IniFormat)
    theme = Theme()
    theme.apply()
    session = Session(equipment)
    if setup is not None:
        session.open(setup)
    w = Window(theme, Studio(session, settings, take_seconds=8.0))
    monkeypatch.setattr(w.document_dialogs, "may_leave", lambda: True)
    w.steps.fresh_s = 0.0  # a test looks after every step
    w.places.make_all()  # as the window does by itself within its first second
    w.show()
    w.activateWindow()
    return w


@pytest.fixture(autouse=True)
def _no_window_goes_on():
    """A test that fails in the middle leaves its window behind, and an engine that would slow down everything after
    it."""
    yield
    for left in QApplication.topLevelWidgets():
        if isinstance(left, Window) and left.running.link is not None:
            left.end_now()


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


def in_question(do):
    """As soon as a question is open. Whatever fails is seen: the question is left."""

    def look():
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, Question):
            QTimer.singleShot(20, look)
            return
        try:
            do(dialog)
        finally:
            dialog.reject()

    QTimer.singleShot(20, look)


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
    for _ in range(
        3
    ):  # where the machine is too busy it says so, or finds that repeats disagree, and who uses it tries again
        window.measuring.begin()
        wait(lambda: not window.measuring.busy, 60)
        if not window.measuring.failed:
            break
    assert not window.measuring.failed, window.measuring.message


@contextlib.contextmanager
def exact():
    """Around what holds a sound to the frame while it plays, and around nothing else: where the machine below takes
    more than a twentieth of the time away, blocks are lost whoever plays, and what fails then is left out, and said."""
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


@pytest.fixture
def here(app, qtbot, desktop, data_home, monkeypatch, tmp_path):
    """A window on a setup of the private desktop, not running."""
    save(tmp_path / "here.brucke.json", setup_here(), Knowledge())
    w = new_window(data_home, monkeypatch, tmp_path / "here.brucke.json")
    yield w
    w.close()


@pytest.fixture
def at_the_microphone(here, desktop):
    """The same, running, with the headphones at the microphone of the desk."""
    here.running.start()
    wait(lambda: here.running.state == "running" and here.desktop.linked, 60)
    assert desktop.ask("pw-link", "box:monitor_FL", "room:input_FL").returncode == 0
    return here
