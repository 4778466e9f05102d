"""From an empty window to singing to a backing track into a call: keys only, then the mouse only."""

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialogButtonBox, QFileDialog, QMenu

from brucke.commands.cli import main
from brucke.core.storage.setup_file import load

from .conftest import key, new_window, press, wait

pytestmark = pytest.mark.live


@pytest.fixture
def empty(app, qtbot, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch)
    w.settings.setValue("folder", str(data_home))
    yield w
    w.close()


def in_dialog(kind, act):
    """Do something in the next dialog or menu of a kind, once it is there."""

    def look():
        found = QApplication.activeModalWidget() or QApplication.activePopupWidget()
        if isinstance(found, kind):
            act(found)
        else:
            QTimer.singleShot(20, look)

    QTimer.singleShot(20, look)


def measured(w):
    """Again, where a busy machine lost blocks in the middle: then it takes one more action."""
    wait(lambda: w.measuring.busy, 30)
    wait(lambda: not w.measuring.busy, 60)
    return not w.measuring.failed


def saved_and_good(home, capsys):
    path = home / "Sing to a backing track.brucke.json"
    setup, knowledge = load(path)
    assert knowledge.measurements, "measured, not promised"
    assert {x.kind for x in setup.listeners} == {"monitor", "call", "recorder"}
    assert setup.route("voice", "call").on
    assert setup.route("music", "call").on
    code = main(["check", str(path)])
    said = capsys.readouterr().out
    assert code == 0, said
    assert "22 good" in said


def test_by_keys_alone(empty, data_home, capsys):
    w, presses = empty, 0

    def hit(what, modifiers=Qt.KeyboardModifier.NoModifier):
        nonlocal presses
        presses += 1
        key(w, what, modifiers)

    assert w.gather.start.isVisible()
    assert w.gather.start.templates["sing"].hasFocus(), "the first of the templates waits for Enter"
    hit(Qt.Key.Key_Return)
    assert w.session.setup.name == "Sing to a backing track"
    hit(Qt.Key.Key_P)
    wait(lambda: w.running.playing, 60)
    for _ in range(5):
        hit(Qt.Key.Key_M)
        if measured(w):
            break
    hit(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    assert w.deck.spans["align"].state.startswith("in step")
    hit(Qt.Key.Key_F6)
    hit(Qt.Key.Key_K)
    wait(lambda: not w.checking.listening, 60)
    # A busy machine's dropouts leave what was measured unconfirmed; that is said, and nothing has to be mended.
    assert {f.code for f in w.checking.findings} <= {"unconfirmed"}
    assert {r.state for r in w.checking.results} == {"good"}
    assert w.soundcheck.nothing.text() == "Everything is good."
    in_dialog(QFileDialog, lambda d: hit_return(d))
    hit(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    presses += 1  # Enter in the dialog
    wait(lambda: not w.session.unsaved, 10)
    assert presses <= 25, presses
    saved_and_good(data_home, capsys)


def hit_return(dialog):
    QTest.keyClick(dialog, Qt.Key.Key_Return)


def click_save(dialog):
    button = dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Save)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def click_action(menu, text):
    action = next(a for a in menu.actions() if a.text() == text)
    QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())


def test_by_mouse_alone(empty, data_home, capsys):
    w, clicks = empty, 0

    def hit(button):
        nonlocal clicks
        clicks += 1
        press(button)

    hit(w.gather.start.templates["sing"])
    hit(w.deck.acts[0])
    wait(lambda: w.running.playing, 60)
    wait(lambda: w.deck.acts[1].due, 5)
    for _ in range(5):
        hit(w.deck.acts[1])
        if measured(w):
            break
    hit(w.deck.acts[2])
    wait(lambda: w.taking.state == "idle" and w.place == "review", 120)
    assert set(w.taking.take.proof) >= {"call"}, "what the call really heard was measured"
    hit(w.deck.check)
    hit(w.soundcheck.listen)
    wait(lambda: not w.checking.listening, 60)
    # A busy machine's dropouts leave what was measured unconfirmed; that is said, and nothing has to be mended.
    assert {f.code for f in w.checking.findings} <= {"unconfirmed"}
    assert {r.state for r in w.checking.results} == {"good"}
    assert w.soundcheck.nothing.text() == "Everything is good."
    in_dialog(QFileDialog, click_save)
    in_dialog(QMenu, lambda menu: click_action(menu, "Save"))
    hit(w.deck.menu)
    clicks += 2  # the menu's line and the dialog's button
    wait(lambda: not w.session.unsaved, 10)
    assert clicks <= 15, clicks
    saved_and_good(data_home, capsys)


def test_before_and_now_are_heard_the_first_time_in_five_presses(window):
    w = window
    press(w.deck.acts[0])
    wait(lambda: w.running.playing, 60)
    w.measuring.count_s = 0.2
    for _ in range(5):  # where the machine is too busy it says so, and who uses it tries again
        press(w.deck.acts[1])
        wait(lambda: not w.measuring.busy, 60)
        if not w.measuring.failed:
            break
    wait(lambda: w.deck.acts[2].due, 5)
    before = w.session.setup.routes
    press(w.deck.acts[2])
    assert w.session.setup.routes == before, "first as it is"
    wait(lambda: len(w.taking.takes) == 1 and w.taking.state == "recording", 120)
    wait(lambda: w.taking.state == "idle" and w.place == "review", 120)
    (_, first), (_, second) = w.taking.takes
    assert first.setup.routes == before != second.setup.routes
    assert first.proof
    assert second.proof
    assert "B changes between before and now." in w.notice.words.text()
    QTest.keyClick(w, Qt.Key.Key_B)
    wait(lambda: w.playback.heard == "now" and w.running.back_frame > 0, 20)
    QTest.keyClick(w, Qt.Key.Key_B)
    wait(lambda: w.playback.heard == "before", 20)
    w.playback.stop()
    press(w.deck.acts[2])
    wait(lambda: w.taking.state == "recording", 20)
    w.do("cancel")
    wait(lambda: w.taking.state == "idle", 60)
    assert len(w.taking.takes) == 3, "there is a before by now: one recording, and no more after it was ended"
