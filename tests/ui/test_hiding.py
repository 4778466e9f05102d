"""Closing the window, goodbye, silence, the headphone check, the last good hour, a card: in the window, by key and by
mouse."""

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from brucke.app.measuring.headphone_check import soft_tone
from brucke.app.presence.at_home import AtHome
from brucke.app.presence.known_good_sessions import keep_hour, kept_hour
from brucke.core.document.setup import OF_THIS_COMPUTER
from brucke.core.edits.route_edits import change_device
from brucke.engine.step.live import open_doors, with_door
from brucke.home.bus import Bus
from brucke.ui.kit.page import save_page, text_page
from brucke.ui.shell.background_mode import BackgroundMode
from brucke.ui.shell.home_dialog import HomeDialog
from brucke.ui.shell.other_side import OtherSideDialog

from .conftest import key, press, wait


class Host(QObject):
    """Of a tray that may be there."""

    changed = pyqtSignal()

    def __init__(self, there):
        super().__init__()
        self.there = there


class Answer:
    """Of whoever is asked whether to stay open."""

    def __init__(self):
        self.asked, self.said = [], ""

    def __call__(self, text):
        self.asked.append(text)
        return self.said


@pytest.fixture
def home(window, monkeypatch, data_home):
    w = window
    for name in ("SESSION", "SYSTEM"):
        monkeypatch.setenv(f"DBUS_{name}_BUS_ADDRESS", f"unix:path={data_home}/none")
    own, system = Bus("session"), Bus("system")
    at_home = AtHome(w.session, w.running, w.taking, w.desktop, w.settings, own, system)
    w.background_mode = BackgroundMode(w, at_home, Host(False), w.settings, Answer())
    w.background_mode.tray = None
    yield w
    w.background_mode = None


def closing(w):
    w.close()
    QApplication.processEvents()
    return w.isVisible() and not w.isMinimized()


def test_closing_hides_only_while_something_sounds_and_asks_while_something_is_open(home):
    w = home
    setup = change_device(w.session.setup, w.session.setup.listener("lounge_call").device, card=OF_THIS_COMPUTER)
    w.session.edit("here", setup, "gather")
    w.running.state = "running"
    assert not closing(w)
    assert w.isMinimized(), "no tray: minimised"
    assert "no tray" in w.notice.words.text()
    assert w.clock._timer.interval() == 200
    w.to_front()
    QApplication.processEvents()
    assert w.clock._timer.interval() == 33
    w.running.set_doors(with_door(w.session.setup, w.session.live, "lounge_call", True))
    assert closing(w), "asked, and left as it was"
    assert w.background_mode.ask.asked == ["Lounge call hears you: you are still heard when the window is hidden."]
    w.background_mode.ask.said = "goes_on"
    assert not closing(w)
    assert open_doors(w.session.setup, w.session.live) == ("lounge_call",)
    w.to_front()
    w.background_mode.ask.said = "closes"
    assert not closing(w)
    assert open_doors(w.session.setup, w.session.live) == ()
    w.to_front()
    w.background_mode.host.there = True
    w.background_mode.hide()
    assert not w.isVisible()
    w.background_mode.tray = type("Gone", (), {"end": lambda self: None})()
    w.background_mode.host.there = False
    w.background_mode.host.changed.emit()
    assert w.isMinimized(), "the tray has ended: something has to lead back"
    w.to_front()
    w.running.state = "stopped"
    w.settings.setValue("hidden/stays", True)
    ended = []
    w.ended.connect(lambda: ended.append(True))
    w.close()
    assert ended, "nothing sounds: it ends"


def test_what_is_chosen_at_home_is_kept_and_a_folder_that_takes_nothing_is_said(home, data_home):
    w = home
    switched = []
    dialog = HomeDialog(w.theme, w.background_mode.home, True, w.background_mode.set_stays, False, switched.append, w)
    dialog.show()
    press(dialog.choices["locked"].buttons["closes"])
    press(dialog.stays.buttons["no"])
    press(dialog.starts.buttons["yes"])
    assert (w.background_mode.home.choice("locked"), w.background_mode.stays, switched) == ("closes", False, [True])
    assert dialog.choices["locked"].buttons["closes"].isChecked()
    assert dialog.awake.text().startswith("This computer may go to sleep")
    dialog.close()


def test_goodbye_fades_the_song_then_closes_and_ends_the_recording_and_esc_takes_it_back(live, monkeypatch):
    w = live
    monkeypatch.setattr("brucke.app.presence.goodbye.FADE_S", 1.0)
    wait(lambda: w.running.playing, 20)
    monitor = [x.kind for x in w.session.setup.listeners].index("monitor")
    wait(lambda: w.running.out_peaks[monitor].max() > 0.01, 10)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 20)
    w.running.set_on_air(True)
    key(w, Qt.Key.Key_F12)
    wait(lambda: w.running.fade_db < -20, 10)
    key(w, Qt.Key.Key_Escape)
    assert w.running.fade_db == 0.0
    assert w.session.live.on_air
    assert w.taking.state == "recording"
    key(w, Qt.Key.Key_F12)
    wait(lambda: not w.session.live.on_air, 10)
    assert w.notice.words.text().startswith("Goodbye.")
    wait(lambda: not w.running.playing, 10)
    wait(lambda: w.taking.state == "idle", 30)
    wait(lambda: w.running.fade_db == 0.0, 10)
    assert w.running.state == "running", "it sounds on, closed"
    take = w.taking.take
    assert take is not None
    assert not take.missing


def test_silence_is_one_key_and_everybody_hears_as_before_after_it(live):
    w = live
    wait(lambda: w.running.playing, 20)
    wait(lambda: w.running.out_peaks.max() > 0.01, 10)
    QTest.keyClick(w, Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
    lowest = []
    wait(lambda: lowest.append(float(w.running.out_peaks.max())) or min(lowest) < 1e-5, 10)
    assert w.audience.hears_text() == "nobody hears anything: silence"
    QTest.keyClick(w, Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
    wait(lambda: w.running.out_peaks.max() > 0.01, 10)


def test_the_headphone_check_asks_left_then_right_and_says_what_it_means(live):
    w = live
    tone = soft_tone(48000, 1, -30.0)
    assert not tone[0].any()
    assert np.abs(tone[1]).max() == pytest.approx(10 ** (-30 / 20), rel=1e-3)
    QTest.keyClick(w, Qt.Key.Key_H, Qt.KeyboardModifier.ShiftModifier)
    card = w.gather.headphones
    assert card.said.text() == "Where is this tone?"
    press(card.answers["loud"])
    assert card.said.text() == "Where is this tone?", "once more, softer"
    press(card.answers["right"])
    assert card.said.text() == "And where is this one?"
    press(card.answers["left"])
    assert "the wrong way round" in card.said.text()
    assert "knob down" in card.said.text()
    assert not w.headphones.heard
    press(card.begin)
    key(w, Qt.Key.Key_Return)  # the focus is on the answer that is expected
    card.answers["right"].setFocus()
    key(w, Qt.Key.Key_Return)
    assert card.said.text() == "Left is left, right is right, and not too loud."
    assert w.headphones.heard
    press(card.begin)
    key(w, Qt.Key.Key_Escape)
    assert w.headphones.asks == ""
    w.running.set_on_air(True)
    assert not w.headphones.begin()
    assert w.notice.words.text() == "They hear you: no tone is played."
    w.running.set_on_air(False)


def test_what_is_different_since_the_last_good_hour_is_said_and_goes_back_with_one_press(window):
    w = window
    hours = w.known_good
    keep_hour(hours.file, hours.now(52.0))
    trimmed = tuple(replace(p, trim_db=3.0) if p.id == "voice" else p for p in w.session.setup.parts)
    w.session.replace(replace(w.session.setup, parts=trimmed), path=w.session.path)
    assert [c.kind for c in hours.changes] == ["setup"]
    w.do("soundcheck")
    card = w.soundcheck.since
    assert card.title.text().startswith("One thing is different since the last good hour (")
    assert "trim +3.0 dB" in card.rows[0].what.text()
    press(card.rows[0].back)
    wait(lambda: not hours.changes, 5)
    assert w.session.setup.part("voice").trim_db == 0.0
    assert not card.isVisible()
    w.do("undo")
    wait(lambda: len(hours.changes) == 1, 5)
    hours.file.write_text(
        '{"format": "brucke hour", "version": 1, "hour": {"date": "no", "minutes": 1, "document": {}}}'
    )
    assert kept_hour(hours.file) is None, "damaged: nothing is said of it"


def test_an_hour_that_was_open_long_enough_and_was_closed_by_hand_is_remembered(window, monkeypatch):
    w = window
    clock = [1000.0]
    monkeypatch.setattr("brucke.app.presence.known_good_sessions.time.monotonic", lambda: clock[0])
    w.running.state = "running"
    assert w.known_good.then is None
    for minutes, good in ((4.0, False), (6.0, True)):
        w.session.set_live(replace(w.session.live, on_air=True))
        w.known_good.tick()
        clock[0] += minutes * 60
        w.known_good.tick()
        w.session.set_live(replace(w.session.live, on_air=False))
        w.known_good.tick()
        assert (w.known_good.then is not None) is good
    assert kept_hour(w.known_good.file).minutes == pytest.approx(6.0)
    w.running.state = "stopped"


def test_a_card_for_the_other_side_is_copied_and_saved(window, tmp_path):
    w = window
    from brucke.words.remote_card import other_sides

    dialog = OtherSideDialog(w.theme, w.session.setup, other_sides(w.session.setup), "", w)
    dialog.show()
    press(dialog.copy)
    assert "switch echo removal" in QGuiApplication.clipboard().text()
    page = text_page(dialog.text)
    assert save_page(page, tmp_path / "card.png") == "Saved as card.png."
    assert (tmp_path / "card.png").read_bytes().startswith(b"\x89PNG")
    assert save_page(page, tmp_path / "card.pdf") == "Saved as card.pdf."
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
    assert "Not saved." in save_page(page, tmp_path / "none" / "card.pdf")
    dialog.close()
    w.session.edit("nobody", replace(w.session.setup, listeners=(), routes=(), parts=(), moments=()), "gather")
    w.do("card")
    assert "no call in this setup" in w.notice.words.text()
