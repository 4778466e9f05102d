"""What hands need while somebody hears, and that nothing harms that is typed into the wrong window."""

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from brucke.ui.kit.meaning import Meaning
from brucke.ui.kit.question import Line, Question
from brucke.ui.shell import hands
from brucke.ui.shell.actions import ACTIONS, is_typed

from .conftest import in_question, key, pause, press, wait

TEXT = "Hello, how about our music? Open UP: Play 12 moments + more - r.\nQuite so, e.g. d E v w b l 0 5 6 = (yes).\n"


def heard(w, on=True):
    w.session.set_live(replace(w.session.live, on_air=on))
    QApplication.processEvents()


def state(w):
    return (
        w.session.setup,
        w.session.live,
        w.session.knowledge,
        w.place,
        w.running.state,
        w.taking.state,
        w.playback.heard,
        w.measuring.busy,
    )


def type_text(widget, text):
    for c in text:
        if c == "\n":
            QTest.keyClick(widget, Qt.Key.Key_Return)
        else:
            QTest.keyClick(widget, c)


def test_what_is_typed_while_somebody_hears_changes_nothing_whatever_is_chosen(window):
    """In every place, with every control in turn in the focus: setup, mutes, moments, what runs and what is recorded
    are as they were."""
    w = window
    heard(w)
    for place in w.places:
        w.go_to(place)
        heard(w)
        QApplication.processEvents()
        before = state(w)
        controls = [c for c in w.findChildren(QWidget) if c.isVisible() and c.focusPolicy() != Qt.FocusPolicy.NoFocus]
        assert len(controls) > 8
        for c in controls:
            c.setFocus(Qt.FocusReason.OtherFocusReason)
            type_text(c, "pu R,e1+ \n")
        type_text(w, TEXT)
        assert state(w) == before, place
    assert "what is typed here changes nothing" in w.notice.words.text()
    # Nobody hears any more: the keys are as they were.
    heard(w, False)
    w.setFocus()
    assert w.actions_table.by_id["play"].shortcut().toString() == "P"


def test_every_key_in_force_while_somebody_hears_is_one_that_nobody_types(window):
    w = window
    heard(w)
    keys = [k.toString() for a in w.actions_table.by_id.values() for k in a.shortcuts()]
    assert not [k for k in keys if is_typed(k)]
    assert {"F9", "F10", "F11", "F12", "Ctrl+P", "Ctrl+R", "Ctrl+M", "Esc"} <= set(keys)
    assert len(keys) == len(set(keys)), "no key does two things"
    assert [k for k in (s.keys for s in ACTIONS) if k in ("P", "Shift+U", "Ctrl+P", "F9", "Shift+,")], (
        "of each kind some"
    )
    assert "(" not in w.strip.play.shown
    heard(w, False)
    assert "(P)" in w.strip.play.shown


def test_ctrl_and_space_press_what_is_chosen_and_a_field_one_clicked_into_takes_what_is_typed(window):
    w = window
    w.go_to("gather")
    heard(w)
    w.deck.spans["review"].setFocus()
    QTest.keyClick(w.deck.spans["review"], Qt.Key.Key_Space)
    assert w.place == "gather"
    QTest.keyClick(w.deck.spans["review"], Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert w.place == "review"
    w.go_to("share")
    QApplication.processEvents()
    field = next(f for f in w.share.findChildren(hands.QLineEdit) if f.isVisible())
    before = field.text()
    field.setFocus(Qt.FocusReason.OtherFocusReason)
    QTest.keyClicks(field, "7")
    assert field.text() == before
    QTest.mouseClick(field, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    field.selectAll()
    QTest.keyClicks(field, "-7")
    assert field.text() != before


def test_mute_me_is_the_persons_microphone_wherever_one_is_tapped_or_held(window, monkeypatch):
    w = window
    monkeypatch.setattr(hands, "HELD_S", 0.15)
    w.go_to("align")
    w.align.choose_part("harp")
    key(w, Qt.Key.Key_U)
    assert w.session.live.muted == frozenset(), "an invisible selection is not muted"
    assert "Gather shows which part is chosen" in w.notice.words.text()
    for place in ("align", "share", "review"):
        w.go_to(place)
        key(w, Qt.Key.Key_F11)
        assert w.session.live.muted == {"voice"}
        assert w.hands.mute.text() == "Voice muted"
        key(w, Qt.Key.Key_F11)
        assert w.session.live.muted == frozenset()
    QTest.keyPress(w, Qt.Key.Key_F11)
    assert w.session.live.muted == {"voice"}, "at once"
    QTest.keyPress(w, Qt.Key.Key_F11)  # as the keyboard repeats it
    pause(0.3)
    assert w.session.live.muted == {"voice"}
    QTest.keyRelease(w, Qt.Key.Key_F11)
    assert w.session.live.muted == frozenset(), "as long as it is held"
    press(w.hands.mute)
    assert w.session.live.muted == {"voice"}
    QTest.keyPress(w, Qt.Key.Key_F11)
    assert w.session.live.muted == frozenset(), "muted, and held: heard as long as it is held"
    pause(0.3)
    QTest.keyRelease(w, Qt.Key.Key_F11)
    assert w.session.live.muted == {"voice"}


@pytest.mark.parametrize(("size", "scale"), [((1280, 800), 1.0), ((1024, 700), 1.5), ((1920, 1080), 1.0)])
def test_what_hands_need_stands_in_the_same_place_on_every_page_and_a_notice_moves_nothing(window, size, scale):
    w = window
    w.theme.set(scale=scale)
    w.resize(*size)
    wait(lambda: w.width() == size[0], 3)
    stood = set()
    for place in w.places:
        w.go_to(place)
        for text in ("", "Something happened, and a long sentence tells what that was and what to do about it."):
            w.notice.say(text, "amber")
            QApplication.processEvents()
            where = [
                (b.mapTo(w, QPoint(0, 0)).x(), b.mapTo(w, QPoint(0, 0)).y(), b.isVisible())
                for b in (*w.hands.buttons, w.deck.live)
            ]
            # Perform says large what the strip says, and has its room.
            full = place == "perform"
            assert w.perform.says.isVisible() if full else w.strip.hears.isVisible()
            stood.add((tuple(where), None if full else w.places.geometry().getRect()))
            assert w.places.height() >= 0.55 * size[1], "the page keeps its room"
            assert all(
                x + b.width() <= w.width() for (x, _, _), b in zip(where, (*w.hands.buttons, w.deck.live), strict=True)
            )
    assert len({where for where, _page in stood}) == 1
    assert len({page for _where, page in stood}) == 2
    assert all(visible for where, _page in stood for *_, visible in where)
    press(w.hands.silence)
    assert w.session.live.silent
    assert w.hands.silence.text() == "End silence"
    press(w.hands.silence)
    assert not w.session.live.silent


def test_who_records_the_microphone_past_us_is_said_wherever_who_hears_you_is_said(window):
    """The foot said that nobody hears you, and Goodbye did, while another program had the voice."""
    w = window
    assert w.audience.hears_text() == "nobody hears you: stopped"
    w.session.see(replace(w.session.facts, bare=(("Call program", "room"),)))
    said = "Call program hears room itself, past Brucke; through Brucke nobody hears you: stopped"
    assert w.strip.hears.text() == w.audience.hears_text() == said
    assert w.strip.hears.tone == "coral"
    for place in w.places:
        w.go_to(place)
        assert w.strip.hears.isVisible() or "Call program hears room itself" in w.perform.trouble.text()
    w.goodbye.begin()
    assert "Call program hears room itself" in w.notice.words.text()
    assert "Nobody hears you." not in w.notice.words.text()
    w.session.see(replace(w.session.facts, bare=()))
    w.goodbye.begin()
    assert "Nobody hears you." in w.notice.words.text()


def test_what_hands_need_works_in_a_question_too(window):
    w = window
    w.session.set_live(replace(w.session.live, on_air=True))
    done = []

    def press_the_row(dialog):
        for press_key in (Qt.Key.Key_F10, Qt.Key.Key_F11):
            QTest.keyClick(dialog.field, press_key)
        done.append((w.session.live.silent, w.hands.muted))
        QTest.keyClick(dialog.field, Qt.Key.Key_F9)
        done.append(w.session.live.on_air)

    in_question(press_the_row)
    Question(w, w.theme, "Do they agree?", (("Yes", "yes"),), line=Line("Who")).exec()
    assert done == [(True, True), False]


def test_what_hands_need_works_while_a_word_is_explained(window):
    w = window
    w.session.set_live(replace(w.session.live, on_air=True))
    card = Meaning(w.theme, ["round trip"], w)
    card.show_at(w.mapToGlobal(w.rect().center()))
    QTest.keyClick(card, Qt.Key.Key_F10)
    assert w.session.live.silent
    QTest.keyClick(card, Qt.Key.Key_F9)
    assert not w.session.live.on_air
    QTest.keyClick(card, Qt.Key.Key_A)
    assert not [m for m in QApplication.topLevelWidgets() if isinstance(m, Meaning) and m.isVisible()]
