"""Perform: what is said in large type is whole and so; keys that hands need; the order edited; the hour by its keys."""

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog
from scipy.ndimage import binary_closing

from brucke.core.control.bindings import Binding
from brucke.core.control.pressed_controls import HOLD_S
from brucke.core.document.setup import OrderLine
from brucke.core.edits import listener_edits, moment_edits
from brucke.takes.marks import read_marks
from brucke.ui.places.perform.layout import WINDOW, hour_sheet, says_sheet
from brucke.ui.places.perform.model import PerformData, Says, Span
from brucke.ui.shell.actions import ACTIONS
from brucke.ui.shell.find_dialog import FindDialog, matches
from brucke.ui.theme.tokens import LIGHT

from ..desktop_server import RATE
from ..foot_switch import LEFT, RIGHT
from .conftest import key, pause, press, wait
from .test_layout import CASES, check_sheet, longer

SONG_S, FROM_S = 6.0, 20.0  # where everybody plays


def data_of(long):
    word = longer if long else str
    spans = tuple(
        Span(word(name), kind, 3.0 + i % 3, ("was", "now", "next", "later")[min(i, 3)], min(1.0, 0.4 * (2 - i)), i == 4)
        for i, (name, kind) in enumerate((("Slow water", "song"), ("Talk", "talk"), ("Night ferry", "song")) * 4)
    )
    says = tuple(
        Says(word(who), word(what), word(state), "water", "mute")
        for who, what, state in (
            ("You", "hear harp, voice and lounge", ""),
            ("Lounge call", "hears harp, voice and cello", "open, sound flows"),
            ("Shore stream", "hears harp, voice, cello and lounge", "open, nobody has chosen it yet"),
            ("Recorder", "keeps every part", "recording"),
        )
    )
    return PerformData(spans, "1:24 left", word("Sing"), "", says, "", "", "", "", "", "mute", "", ("", ""), "20:12:17")


@pytest.mark.parametrize(("size", "scale", "theme"), CASES)
@pytest.mark.parametrize("words_longer", [False, True])
def test_the_hour_and_the_sentences_are_whole_at_every_size(app, size, scale, theme, words_longer):
    t = theme.scaled(scale)
    data = data_of(words_longer)
    wide, tall = size[0] - t.px(48), size[1] - t.px(240)
    check_sheet(hour_sheet(data, wide, max(t.px(84), tall * 0.21), t), t)
    sheet = says_sheet(data, wide * 0.56, max(t.px(230), tall * 0.7), t)
    check_sheet(sheet, t)
    said = " ".join(x.text for x in sheet.texts)
    for says in data.says if size[0] > 1100 and scale == 1.0 and not words_longer else ():
        assert says.hears in said, "never cut where there is room"


def test_of_a_long_hour_the_lines_around_now_are_drawn(app):
    spans = tuple(Span(f"Song {i}", "song", 3.0, "now" if i == 40 else "later", 0.0, False) for i in range(200))
    sheet = hour_sheet(replace(data_of(False), spans=spans), 1200, 128, LIGHT)
    names = [x.text for x in sheet.texts if x.text.startswith("Song")]
    assert len(names) == WINDOW
    assert "Song 40" in names


def test_keys_of_the_hour_work_in_it_and_nowhere_else_but_while_they_hear(window):
    w = window
    w.go_to("gather")
    key(w, Qt.Key.Key_PageDown)
    assert w.studio.order.at == -1, "elsewhere it turns a page"
    w.go_to("perform")
    key(w, Qt.Key.Key_PageDown)
    assert w.studio.order.line.name == "Welcome"
    assert w.session.live.moment == "talk"
    key(w, Qt.Key.Key_PageDown)
    assert w.studio.order.line.name == "Welcome", "a song cannot begin: nothing sounds"
    assert "Slow water has not begun" in w.notice.words.text()
    key(w, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    assert w.session.live.moment == "sing"
    assert w.perform.moments["sing"].isChecked()
    key(w, Qt.Key.Key_9, Qt.KeyboardModifier.ControlModifier)
    assert w.session.live.moment == "sing", "there is no ninth"
    w.perform.toggle_table()
    key(w, Qt.Key.Key_PageDown)
    assert w.studio.order.line.name == "Welcome", "who edits the hour is not in it"
    w.perform.toggle_table()
    w.session.set_live(replace(w.session.live, on_air=True))
    w.go_to("gather")
    key(w, Qt.Key.Key_PageUp)
    assert w.session.live.moment == "talk", "a pedal works wherever one looks while they hear"
    w.go_to("perform")
    assert not w.strip.isVisible(), "the same stands there large"
    key(w, Qt.Key.Key_F10)
    assert w.perform.silence.isChecked()
    assert {s.state for s in w.perform.says.data.says if s.who != "Recorder"} == {"stopped"}
    key(w, Qt.Key.Key_F10)
    for hand in (w.perform.mute, w.perform.silence):
        press(hand)
        assert hand.isChecked()
        press(hand)
        assert not hand.isChecked()


def test_one_key_brings_what_another_listener_hears_into_the_headphones_and_one_key_ends_it(window):
    w, control = window, Qt.KeyboardModifier.ControlModifier
    heard = []
    for _press in range(4):
        key(w, Qt.Key.Key_J, control)
        heard.append(w.session.live.hears_as)
    assert heard == ["lounge_call", "shore_stream", "recorder", ""], "one after the other, then oneself"
    key(w, Qt.Key.Key_J, control)
    assert any("You hear what Lounge call hears, as it leaves here." in text for text in w.notice.texts)
    key(w, Qt.Key.Key_J, control | Qt.KeyboardModifier.ShiftModifier)
    assert (w.session.live.hears_as, w.session.live.half) == ("lounge_call", True)
    assert any("right ear" in text for text in w.notice.texts)
    w.session.edit("gone", listener_edits.remove_listener(w.session.setup, "lounge_call"), "share")
    assert not w.session.live.hears_as, "who has gone is not heard"


def test_the_order_is_edited_undone_and_read_and_written_as_a_table(window, tmp_path, monkeypatch):
    w = window
    w.go_to("perform")
    press(w.perform.edits)
    page, before = w.perform.page, w.session.setup.order
    page.list.setCurrentRow(2)
    press(page.twice)
    press(page.up)
    assert [x.name for x in w.session.setup.order[:4]] == ["Welcome", "Slow water", "The lanterns", "The lanterns"]
    press(page.away)
    assert w.session.setup.order == before
    press(page.tools[0])
    assert w.session.setup.order[page.at].kind == "song"
    page.moment.buttons["talk"].click()
    page.name.entered.emit("Lantern song")
    page.end.entered.emit(12.0)
    page.goes_on.click()
    line = w.session.setup.order[page.at]
    assert (line.name, line.moment, line.to_s, line.goes_on) == ("Lantern song", "talk", 12.0, True)
    for _step in range(5):
        w.do("undo")
    assert w.session.setup.order == before
    file = tmp_path / "hour.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(lambda *_a: (str(file), "")))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", staticmethod(lambda *_a: (str(file), "")))
    press(page.write)
    w.session.edit("none", replace(w.session.setup, order=()), "perform")
    assert not page.card.isVisible()
    press(page.read)
    assert w.session.setup.order == before
    file.write_text("kind\nballad\n")
    press(page.said["clips"])
    assert w.studio.mishaps.off == {"clips"}
    press(page.said["clips"])
    assert w.studio.mishaps.off == set()
    press(page.read)
    assert w.session.setup.order == before
    assert "Not read. hour.csv: row 2" in w.notice.words.text()


class Keys:
    """The hour by the keyboard."""

    def __init__(self, window):
        self.w = window

    def next(self):
        key(self.w, Qt.Key.Key_PageDown)

    def silence(self):
        key(self.w, Qt.Key.Key_F10)

    def open(self):
        key(self.w, Qt.Key.Key_F9)

    def goodbye(self):
        key(self.w, Qt.Key.Key_F12)


class Feet:
    """The hour by two pedals: tapped and held."""

    def __init__(self, window, switch):
        controls, self.switch = window.studio.controls, switch()
        controls.switch_midi(True)
        acts = ((LEFT, "line_next", False), (LEFT, "on_air", True), (RIGHT, "silence", False), (RIGHT, "goodbye", True))
        controls.bind(tuple(Binding(control=f"controller 1 {c}", act=a, held=held) for c, a, held in acts))
        wait(lambda: any("feet" in name for name in controls.ports), 20)

    def next(self):
        self.switch.tap(LEFT)

    def silence(self):
        self.switch.tap(RIGHT)

    def open(self):
        self.switch.tap(LEFT, HOLD_S + 0.5)

    def goodbye(self):
        self.switch.tap(RIGHT, HOLD_S + 0.5)


@pytest.mark.parametrize("by", ["keys", "feet"])
def test_an_hour_of_three_songs_with_talk_between_and_the_far_end_got_just_that(live, by, request):
    """Soundcheck, open, three songs, a device that goes and comes, silence, goodbye. Recorded: every song reaches the
    call, nothing of the music in the talk, nothing at all in silence and after goodbye."""
    w = live
    hands = Keys(w) if by == "keys" else Feet(w, request.getfixturevalue("foot_switch"))
    song = OrderLine(name="Song", file="harp.flac", from_s=FROM_S, to_s=FROM_S + SONG_S, moment="sing", after="talk")
    talk = OrderLine(kind="talk", name="Talk", moment="talk")
    w.session.edit("order", replace(w.session.setup, order=(talk, song, talk, song, talk, song)), "perform")
    for _try in range(6):  # again, where a busy machine lost blocks in the middle
        key(w, Qt.Key.Key_M)
        wait(lambda: not w.measuring.busy, 60)
        if not w.measuring.failed:
            break
    key(w, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    w.go_to("perform")
    key(w, Qt.Key.Key_F6)
    wait(lambda: w.place == "soundcheck", 10)
    w.go_to("perform")
    hands.open()
    wait(lambda: w.session.live.on_air, 5)
    hands.next()
    wait(lambda: w.studio.order.at == 0, 5)
    key(w, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    wait(lambda: w.taking.recording.state == "recording", 10)
    for number in range(3):
        wait(lambda: w.studio.order.spent_s > 3.0, 10)
        hands.next()
        wait(lambda: w.studio.order.line.kind == "song", 5)
        if number == 1:
            w.running.set_absent({"camera"})
            wait(lambda: "camera" in w.session.facts.missing, 5)
            w.running.set_absent(set())
            wait(lambda: "camera" not in w.session.facts.missing, 5)
        wait(lambda: w.studio.order.ended, 20)
        assert w.session.live.moment == "talk"
        wait(lambda: not w.running.playing, 2)
        if w.studio.order.following is not None:
            hands.next()
            wait(lambda: w.studio.order.line.kind == "talk", 5)
    pause(2.0)
    hands.silence()
    wait(lambda: w.session.live.silent, 5)
    pause(2.0)
    hands.silence()
    wait(lambda: not w.session.live.silent, 5)
    hands.goodbye()
    wait(lambda: not w.session.live.on_air, 15)
    wait(lambda: w.taking.state == "idle", 60)
    folder, take = w.taking.takes[-1]
    sound, rate = sf.read(folder / take.far_ends["lounge_call"], dtype="float32", always_2d=True)
    window = rate // 4
    whole_windows = len(sound) // window
    power = np.square(sound[: whole_windows * window]).mean(axis=1).reshape(whole_windows, window).mean(axis=1)
    loud = 10 * np.log10(power + 1e-12) > -45.0
    loud = binary_closing(np.pad(loud, 4), np.ones(5))[4:-4]  # a second that a busy machine lost makes no new song
    edges = np.flatnonzero(np.diff(np.r_[False, loud, False].astype(int)))
    stretches = [(b - a) / 4 for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > 4]
    assert len(stretches) == 3, stretches
    assert all(SONG_S - 1.5 < s < SONG_S + 2.0 for s in stretches), stretches
    lines = [e for e in w.studio.hour.events if e["what"] == "line"]
    assert [e["kind"] for e in lines] == ["talk", "song"] * 3
    marks = read_marks(folder)
    lines = [m.says for m in marks if m.says in ("Talk", "Song", "silence")]
    assert lines[:6] == ["Song", "Talk", "Song", "Talk", "Song", "silence"]  # a pedal that is held was pressed first
    songs = [m.at_s for m in marks if m.says == "Song"]
    begins = [a / 4 for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > 4]
    assert all(abs(at - begin) < 2.0 for at, begin in zip(songs, begins, strict=True)), (songs, begins)
    assert "Song" in w.review.marks.text()
    w.taking.measure_chosen()
    wait(lambda: w.taking.state == "idle", 120)
    left = w.taking.take.proof["lounge_call"].left
    told = {part: (left[part].median_ms, left[part].windows) for part in ("voice", "cello")}
    moved_ms = 1e3 * w.session.setup.block_frames / RATE * w.running.dropouts  # each block lost moves what is heard
    assert all(windows and abs(ms) < 1.5 + moved_ms for ms, windows in told.values()), (told, moved_ms)


def test_moments_are_made_changed_previewed_and_undone(window):
    w = window
    w.go_to("perform")
    press(w.perform.edits_moments)
    page, before = w.perform.moment_page, w.session.setup.moments
    page.choice.buttons["talk"].click()
    assert w.session.live.moment == "sing", "to look at one calls up nothing"
    page.cells["harp", "lounge_call"].click()
    assert "Lounge call would no longer hear harp." in page.preview.text()
    assert "at once, not in step" in page.preview.text()
    page.policies["lounge_call"].click()
    assert w.session.setup.moment("talk").policy == {}
    press(page.more)
    assert [m.name for m in w.session.setup.moments] == ["Sing", "Talk", "Moment"]
    page.name.entered.emit("Listen")
    press(page.up)
    assert [m.name for m in w.session.setup.moments] == ["Sing", "Listen", "Talk"]
    press(page.calls)
    assert w.session.live.moment == page.moment
    press(page.was)
    assert w.session.live.moment == "sing"
    press(page.away)
    for _step in range(6):
        w.do("undo")
    assert w.session.setup.moments == before


def test_a_moment_that_goes_leaves_no_line_with_its_name(window):
    setup = moment_edits.remove_moment(window.session.setup, "talk")
    assert {x.moment for x in setup.order} | {x.after for x in setup.order} == {"", "sing"}
    window.session.edit("gone", setup, "perform")
    assert window.session.setup == setup


def test_any_action_is_found_by_its_words_and_done(window, monkeypatch):
    w = window
    assert not [a.id for a in ACTIONS if not matches(a.text, a.text)]
    found = []

    def use(dialog):
        dialog.show()
        dialog.field.setText("hour small")
        found.append([dialog.list.item(i).text() for i in range(dialog.list.count())])
        QTest.keyClick(dialog.field, Qt.Key.Key_Down)
        QTest.keyClick(dialog.field, Qt.Key.Key_Return)

    monkeypatch.setattr(FindDialog, "exec", use)
    w.do("find")
    assert found == [["The hour in a small window above others   F2"]]
    assert w.small.form is not None
    form = w.small.form
    w.do("line_next")
    assert form.upcoming.text() == w.perform.upcoming.text() == "Next: Slow water"
    w.session.set_live(replace(w.session.live, on_air=True))
    QTest.keyClick(form.silence, Qt.Key.Key_Space)
    assert not w.session.live.silent, "what is typed changes nothing while they hear"
    press(form.silence)
    assert w.session.live.silent
    w.do("heard")
    assert "nobody has chosen" in w.notice.words.text()
    w.do("small_form")
    assert w.small.form is None
