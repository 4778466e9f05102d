"""What is told stays as long as it is so and matters, and no longer; nothing covers it."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt

from .conftest import key, press, wait


def test_what_is_so_stands_until_it_is_so_no_longer_and_nothing_covers_it(window):
    w, gone = window, [True]
    w.session.notice("air is not there.", "coral", lambda: gone[0])
    w.session.notice("Nothing to undo.", "mute")
    w.session.notice("Saved.", "water")
    assert w.notice.texts == ["air is not there.", "Saved."], "what passes gives way to what comes after it"
    page = w.places.geometry()
    assert w.notice.geometry().bottom() <= page.bottom(), "it lies over the page, which has not moved"
    rows = [r for r in w.notice.rows if not r.isHidden()]
    assert [r.words.text() for r in rows] == w.notice.texts
    w.session.notice("Not saved: the disk is full.", "coral")
    w.session.notice("They hear you: F9 first.", "amber")
    assert w.notice.texts == ["air is not there.", "Not saved: the disk is full.", "They hear you: F9 first."]
    w.session.notice("The engine stopped.", "coral", lambda: True)
    assert "air is not there." in w.notice.texts, "what is so goes last"
    assert len(w.notice.texts) == 3
    gone[0] = False
    wait(lambda: "air is not there." not in w.notice.texts, 5)
    newest = w.notice.texts[-1]
    key(w, Qt.Key.Key_Escape)
    assert newest not in w.notice.texts
    press(w.notice.away)
    assert not w.notice.isVisible() or len(w.notice.texts) == 1


def test_silence_is_said_while_it_lasts(window):
    w = window
    w.do("silence")
    w.do("undo")
    assert [t.split(":")[0] for t in w.notice.texts] == ["Silence", "Nothing to undo."]
    w.do("silence")
    assert not any(t.startswith("Silence:") for t in w.notice.texts)


def test_an_offer_is_taken_once_and_goes(window):
    done = []
    window.notice.offer("Brought back.", "amber", "Show", lambda: done.append(1))
    press(window.notice.offered)
    assert done == [1]
    assert not window.notice.isVisible()


def test_what_was_refused_is_no_longer_refused_once_its_reason_is_gone(window):
    """“Start first” stood there after the start."""
    w = window
    w.do("on_air")
    assert w.notice.texts == ["Start first (F5): nothing is running yet."]
    w.running.state = "starting"
    w.notice.tick()
    assert w.notice.texts == []
    w.session.set_live(replace(w.session.live, on_air=True))
    w.do("start_stop")
    w.notice.tick()
    assert w.notice.texts == ["They hear you: nothing is stopped by one key. F9 first."]
    w.session.set_live(replace(w.session.live, on_air=False))
    w.notice.tick()
    assert w.notice.texts == []
    w.running.state = "stopped"
