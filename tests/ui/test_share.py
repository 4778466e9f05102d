"""Share in the real window: the grid by keys and by mouse, channel maps, the two questions, listeners, and mends."""

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from brucke.core.document.setup import MapPoint, Setup
from brucke.core.edits import listener_edits, part_edits, route_edits
from brucke.core.routing.maps import effective_map

from .conftest import drag, key, pause, pick, press, type_in

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


@pytest.fixture
def share(window):
    window.do("share")
    window.share.grid.choose("harp", "headphones")
    pause(0.05)
    return window.share


def route(w, part, listener):
    return w.session.setup.route(part, listener)


def on(w, part, listener):
    r = route(w, part, listener)
    return r is not None and r.on


def cell(view, part, listener):
    """The middle of a cell, in the grid's viewport."""
    setup = view.session.setup
    row = [p.id for p in setup.parts].index(part)
    column = [x.id for x in setup.listeners].index(listener) + 2
    return view.grid.visualRect(view.grid.routes.index(row, column)).center()


def points(w, part, listener):
    setup = w.session.setup
    r = route(w, part, listener)
    return {(m.source, m.target): m.gain_db for m in effective_map(setup.part(part), setup.listener(listener), r)}


def test_the_grid_by_keys(window, share):
    w = window
    assert w.focusWidget() is share.grid
    before = w.session.setup
    key(w, Qt.Key.Key_Space)
    assert not on(w, "harp", "headphones")
    assert share.switch.words.text() == "Harp does not go to Headphones."
    key(w, Qt.Key.Key_Space)
    gain = route(w, "harp", "headphones").gain_db
    pause(0.7)
    for _ in range(3):
        type_in(w, "+")
    type_in(w, "-")
    QTest.keyClick(share.grid, "+", ALT)
    assert route(w, "harp", "headphones").gain_db == pytest.approx(gain + 2.1)
    w.do("undo")
    assert route(w, "harp", "headphones").gain_db == gain, "a row of nudges is one step"
    key(w, Qt.Key.Key_Right)
    assert share.listener == "lounge_call"
    type_in(w, "4")
    assert share.entry.isVisible(), "a digit begins a number"
    share.entry.lineEdit().setText("-7.5")
    key(w, Qt.Key.Key_Return)
    assert route(w, "harp", "lounge_call").gain_db == -7.5
    assert w.focusWidget() is share.grid
    key(w, Qt.Key.Key_Return)
    assert share.entry.isVisible()
    assert share.entry.lineEdit().selectedText()
    key(w, Qt.Key.Key_Return)
    assert not share.entry.isVisible()
    key(w, Qt.Key.Key_Delete)
    assert not on(w, "harp", "lounge_call")
    while w.session.undo_stack.canUndo():
        w.do("undo")
    assert w.session.setup == before


def test_many_at_once(window, share):
    w = window
    for _ in range(2):
        key(w, Qt.Key.Key_Down, SHIFT)
    key(w, Qt.Key.Key_Right, SHIFT)
    assert len(share.grid.cells()) == 6
    type_in(w, "3")
    share.entry.lineEdit().setText("-3")
    key(w, Qt.Key.Key_Return)
    for part in ("harp", "voice", "cello"):
        for listener in ("headphones", "lounge_call"):
            assert route(w, part, listener).gain_db == -3, (part, listener)
            assert on(w, part, listener)
    key(w, Qt.Key.Key_Delete)
    assert not any(on(w, p, x) for p in ("harp", "voice", "cello") for x in ("headphones", "lounge_call"))
    assert w.session.undo_stack.undoText() == "6 routes off"
    w.do("undo")
    assert on(w, "cello", "lounge_call")


def test_the_grid_by_mouse_in_one_gesture_each(window, share):
    w, view = window, share.grid.viewport()
    before = w.session.setup
    harp = route(w, "harp", "shore_stream")
    drag(view, cell(share, "harp", "shore_stream"), cell(share, "lounge", "lounge_call"))
    assert w.session.setup == before, "a call's own far end is no place to move to"
    w.session.edit("free", route_edits.set_on(w.session.setup, "lounge", "headphones", False), "share")
    drag(view, cell(share, "harp", "shore_stream"), cell(share, "lounge", "headphones"))
    assert not on(w, "harp", "shore_stream")
    assert route(w, "lounge", "headphones") == replace(harp, part="lounge", listener="headphones")
    assert (share.part, share.listener) == ("lounge", "headphones")
    w.do("undo")
    assert on(w, "harp", "shore_stream"), "moving is one step"
    drag(view, cell(share, "harp", "shore_stream"), cell(share, "lounge", "headphones"), CTRL)
    assert on(w, "harp", "shore_stream")
    assert on(w, "lounge", "headphones"), "with Ctrl it is copied"
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=cell(share, "voice", "recorder"))
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=cell(share, "voice", "recorder"))
    assert not on(w, "voice", "recorder")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=cell(share, "voice", "recorder"))
    assert on(w, "voice", "recorder"), "one click on the ring"
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=cell(share, "voice", "recorder"))
    assert on(w, "voice", "recorder"), "a click on what is on only chooses it"
    width = share.gain.scale.width()
    QTest.mouseClick(share.gain.scale, Qt.MouseButton.LeftButton, pos=QPoint(round(0.75 * width - 5), 10))
    assert -1 < route(w, "voice", "recorder").gain_db < 1, "the scale has its marks where they stand"


def test_copy_a_row_a_column_a_whole_listener(window, share):
    w = window
    heads = share.grid.listeners_head.viewport()
    at = QPoint(share.grid.listeners_head.sectionViewportPosition(2) + 20, 10)
    QTest.mouseClick(heads, Qt.MouseButton.LeftButton, pos=at)
    assert len(share.grid.cells()) == len(w.session.setup.parts), "the head chooses the column"
    key(w, Qt.Key.Key_C, CTRL)
    share.grid.choose("cello", "shore_stream")
    key(w, Qt.Key.Key_V, CTRL)
    for p in w.session.setup.parts:
        assert on(w, p.id, "shore_stream") == on(w, p.id, "headphones"), p.id
        if on(w, p.id, "headphones"):
            assert route(w, p.id, "shore_stream").gain_db == route(w, p.id, "headphones").gain_db
    w.do("undo")
    row = QPoint(20, share.grid.parts_head.sectionViewportPosition(1) + 10)
    QTest.mouseClick(share.grid.parts_head.viewport(), Qt.MouseButton.LeftButton, pos=row)
    assert len(share.grid.cells()) == len(w.session.setup.listeners)
    key(w, Qt.Key.Key_C, CTRL)
    share.grid.choose("harp", "recorder")
    key(w, Qt.Key.Key_V, CTRL)
    assert [on(w, "harp", x.id) for x in w.session.setup.listeners] == [
        on(w, "voice", x.id) for x in w.session.setup.listeners
    ]
    share.grid.choose("voice", "lounge_call")
    press(share.listener_card.double)
    new = w.session.setup.listeners[2]
    assert (new.id, share.listener) == ("lounge_call_2", "lounge_call_2") or share.listener == "lounge_call"
    assert [on(w, p.id, new.id) for p in w.session.setup.parts if p.kind == "follower"] == [
        on(w, p.id, "lounge_call") for p in w.session.setup.parts if p.kind == "follower"
    ]


def test_do_i_hear_it_do_they_by_one_key_each(window, share):
    w = window
    share.grid.choose("voice", "lounge_call")
    others = [x.id for x in w.session.setup.listeners if x.kind != "monitor"]
    was = on(w, "voice", "headphones")
    key(w, Qt.Key.Key_H)
    assert on(w, "voice", "headphones") != was
    key(w, Qt.Key.Key_J)
    first = {on(w, "voice", x) for x in others}
    key(w, Qt.Key.Key_J)
    second = {on(w, "voice", x) for x in others}
    assert first ^ second == {True, False}, "all, then none"
    question = share.grid.visualRect(share.grid.routes.index(1, 1)).center()
    QTest.mouseClick(share.grid.viewport(), Qt.MouseButton.LeftButton, pos=question)
    assert {on(w, "voice", x) for x in others} == first
    assert share.to.text().startswith("they hear it: ")
    for _ in range(3):
        w.session.edit("one", route_edits.set_on(w.session.setup, "voice", "recorder", True), "share")
    share.grid.choose("lounge", "headphones")
    key(w, Qt.Key.Key_J)
    assert not on(w, "lounge", "lounge_call"), "never their own far end"


def test_a_call_gets_its_own_far_end_only_by_a_deliberate_step(window, share):
    w = window
    share.grid.choose("lounge", "lounge_call")
    key(w, Qt.Key.Key_Space)
    assert not on(w, "lounge", "lounge_call")
    assert "never gets its own far end back" in w.notice.words.text()
    press(share.switch.own)
    assert on(w, "lounge", "lounge_call")
    w.checking.renew()
    data = share.grid.routes.data_
    note = next(c for row in data.cells for c in row if c.said.startswith("Lounge to Lounge call"))
    assert note.note == "hears itself"
    card = next(c for c in share.findings if c.isVisible())
    assert card.what.text() == "Lounge call gets its own far end back."
    press(card.button)
    assert not on(w, "lounge", "lounge_call")


def test_voice_on_one_and_two_everything_else_on_three_and_four_in_two_gestures(window, share):
    w = window
    share.grid.choose("voice", "shore_stream")
    share.listener_card.channels.setValue(4)
    card = share.cards[3]
    press(card.here.buttons["0"])
    press(card.rest.buttons["2"])
    assert {t for _, t in points(w, "voice", "shore_stream")} == {0, 1}
    for other in ("harp", "cello"):
        assert {t for _, t in points(w, other, "shore_stream")} == {2, 3}, other
    w.checking.renew()
    found = [f for f in w.checking.findings if f.code == "second_track"]
    assert [f.listener for f in found] == ["shore_stream"], "a stream carries only the first two, and says so"
    share.refresh()
    shown = next(c for c in share.findings if c.isVisible() and c.finding.code == "second_track")
    assert "A recorder keeps them all." in shown.why.text()
    press(shown.button)
    assert w.session.setup.listener("shore_stream").channels == 2


def test_the_channel_map_point_by_point(window, share):
    w = window
    share.grid.choose("harp", "recorder")
    share.listener_card.channels.setValue(8)
    card = share.cards[3]
    view = card.map.viewport()

    def at(source, target):
        return card.map.visualRect(card.map.points.index(source, target)).center()

    press_at = lambda s, t: QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at(s, t))  # noqa: E731
    start = points(w, "harp", "recorder")
    press_at(0, 2)
    assert points(w, "harp", "recorder") == {**start, (0, 2): 0.0}
    card.map.setFocus()
    card.map.setCurrentIndex(card.map.points.index(0, 2))
    for _ in range(3):
        type_in(w, "-")
    assert points(w, "harp", "recorder")[(0, 2)] == -3.0
    drag(view, at(0, 2), at(1, 3))
    assert points(w, "harp", "recorder")[(1, 3)] == -3.0, "carried with its gain in one gesture"
    assert (0, 2) not in points(w, "harp", "recorder")
    press(card.plain)
    assert points(w, "harp", "recorder") == start
    for source, target in list(start):
        press_at(source, target)
    assert len(points(w, "harp", "recorder")) == 1, "a route always keeps one"
    share.grid.choose("harp", "lounge_call")
    share.listener_card.channels.setValue(1)
    assert "mono: both sides at half" in card.note.text()
    share.listener_card.channels.setValue(16)
    assert card.map.points.columnCount() == 16


def test_listeners_are_added_named_laid_out_and_removed(window, share):
    w = window
    before = w.session.setup
    pick(share, "Recorder")
    assert share.listener == "recorder_2"
    share.listener_card.name.setFocus()
    share.listener_card.name.selectAll()
    type_in(w, "Second machine")
    key(w, Qt.Key.Key_Return)
    assert w.session.setup.listener("recorder_2").name == "Second machine"
    press(share.listener_card.tracks)
    x = w.session.setup.listener("recorder_2")
    sides = sum(len(p.channels) for p in w.session.setup.parts)
    assert x.channels == sides
    taken = [t for p in w.session.setup.parts if p.channels for _, t in points(w, p.id, "recorder_2")]
    assert sorted(taken) == list(range(sides)), "every side of every part a track of its own"
    assert "A recorder keeps as many tracks" in share.listener_card.words.text()
    press(share.listener_card.away)
    assert w.session.setup == replace(before, devices=w.session.setup.devices)
    for kind in ("Headphones", "Call", "Stream", "Second computer"):
        pick(share, kind)
    assert len(w.session.setup.listeners) == len(before.listeners) + 4


def test_dry_or_processed_and_when_it_arrives(window, share):
    w = window
    share.grid.choose("voice", "shore_stream")
    press(share.cards[2].which.buttons["dry"])
    assert not route(w, "voice", "shore_stream").processed
    row = [p.id for p in w.session.setup.parts].index("voice")
    assert "dry" in share.grid.routes.data_.cells[row][2].gain
    press(share.cards[2].which.buttons["processed"])
    assert route(w, "voice", "shore_stream").processed
    arrives = share.arrives
    assert arrives.when.text() == "should be together", "nothing was measured yet"
    share.grid.choose("harp", "shore_stream")
    assert arrives.delay.isVisible()
    key(w, Qt.Key.Key_D)
    assert route(w, "harp", "shore_stream").delay_ms > 0
    assert not arrives.delay.isVisible()
    press(arrives.show_in)
    assert (w.place, w.align.listener, w.align.part) == ("align", "shore_stream", "harp")


def test_what_is_wrong_stands_on_its_cell_with_its_mend(window, share):
    w = window
    setup = part_edits.duplicate_part(w.session.setup, "voice")
    setup = part_edits.set_channels(setup, "voice_2", setup.part("voice").channels)
    setup = route_edits.set_gain(setup, "cello", "shore_stream", -60)
    w.session.edit("twice", setup, "share")
    w.checking.renew()
    data = share.grid.routes.data_
    notes = {
        (p.id, x.id): data.cells[r][c].note for r, p in enumerate(data.parts) for c, x in enumerate(data.listeners)
    }
    assert notes["voice_2", "shore_stream"] == "heard twice"
    assert notes["cello", "shore_stream"] == "too soft"
    share.grid.choose("voice_2", "shore_stream")
    card = next(c for c in share.findings if c.isVisible())
    assert card.what.text().startswith("Voice 2 reaches Shore stream twice, 0.0 ms apart, again by way of Voice")
    press(card.button)
    assert not on(w, "voice_2", "shore_stream")
    assert w.deck.spans["share"].state.endswith("to mend")


def test_sixty_four_parts_for_sixteen_listeners_stay_usable(window, share):
    w = window
    setup = Setup(name="Choir")
    for i in range(16):
        setup = listener_edits.add_listener(setup, ("monitor", "call", "stream", "recorder")[i % 4], "L", "D")
    while len(setup.parts) < 64:
        setup = part_edits.add_part(setup, "microphone", "Singer", "Interface")
    w.session.replace(setup)
    w.do("share")
    pause(0.1)
    grid = share.grid
    assert (grid.routes.rowCount(), grid.routes.columnCount()) == (64, 18)
    grid.choose(setup.parts[-1].id, setup.listeners[-1].id)
    pause(0.05)
    rect = grid.visualRect(grid.currentIndex())
    assert grid.viewport().rect().contains(rect), "the cursor is always in sight"
    key(w, Qt.Key.Key_Space)
    assert route(w, setup.parts[-1].id, setup.listeners[-1].id) is not None
    share.grid.selectAll()
    key(w, Qt.Key.Key_Delete)
    assert not any(r.on for r in w.session.setup.routes)
    pick(share, "Call")
    assert "16 listeners are the most." in w.notice.words.text()
    wide = route_edits.set_map(
        w.session.setup, setup.parts[0].id, setup.listeners[0].id, [MapPoint(source=0, target=1)]
    )
    w.session.edit("map", wide, "share")
    w.do("undo")
    w.do("undo")
    assert any(r.on for r in w.session.setup.routes)
