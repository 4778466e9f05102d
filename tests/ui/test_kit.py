"""The few controls all places share, and the pure pieces of painting."""

import gc
import itertools
import weakref

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6 import sip
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from brucke.ui.kit.button import Button
from brucke.ui.kit.curve import curve_sheet
from brucke.ui.kit.field import TextField
from brucke.ui.kit.flow import Flow
from brucke.ui.kit.label import Words
from brucke.ui.kit.meter import HOLD_FRAMES, Ballistics, meter_geometry
from brucke.ui.kit.table import PlainTable
from brucke.ui.paint.ruler import level_share, marks, round_step
from brucke.ui.shell.notice import Notice
from brucke.ui.theme.fonts import first_fitting, width, wrap
from brucke.ui.theme.theme import Theme
from brucke.ui.theme.tokens import LIGHT, NIGHT, SCALES, mixed
from brucke.words.timing import clock_text


@given(span=st.floats(0.01, 1e5), most=st.integers(1, 40))
def test_a_ruler_has_round_steps_and_never_too_many(span, most):
    step = round_step(span, most)
    digits = step / 10 ** np.floor(np.log10(step) + 1e-9)
    assert min(abs(digits - d) for d in (1, 2, 5, 10)) < 1e-6
    assert span / step <= most * (1 + 1e-6)
    found = marks(0, span, step)
    assert found[0] == 0
    assert found[-1] <= span * (1 + 1e-9)
    assert all(b - a == pytest.approx(step) for a, b in itertools.pairwise(found))


@given(st.floats(-200, 40, allow_nan=False), st.floats(-200, 40, allow_nan=False))
def test_a_louder_sound_never_has_a_shorter_bar(a, b):
    low, high = sorted((a, b))
    assert 0 <= level_share(low) <= level_share(high) <= 1


def test_meters_rise_at_once_fall_slowly_and_hold_their_peak():
    m = Ballistics(1)
    assert m.feed(np.array([0.5], np.float32))
    assert m.level[0] == pytest.approx(-6.02, abs=0.01)
    m.feed(np.array([0.0], np.float32))
    assert -8 < m.level[0] < -6.5
    assert m.held[0] == pytest.approx(-6.02, abs=0.01)
    for _ in range(HOLD_FRAMES):
        m.feed(np.array([0.0], np.float32))
    assert m.held[0] < -40
    for _ in range(100):
        m.feed(np.array([0.0], np.float32))
    assert not m.feed(np.array([0.0], np.float32)), "silence that stays silence paints nothing"


def test_a_meter_keeps_to_its_rectangle(app):
    g = meter_geometry(QRectF(10, 20, 300, 50), 2, LIGHT)
    assert len(g.bars) == 2
    for bar in g.bars:
        assert QRectF(10, 20, 300, 50).contains(bar)


def test_a_curve_marks_its_peak_and_its_label_fits_beside_it(app):
    for peak in (3, 50, 97):
        values = tuple(np.exp(-0.5 * ((np.arange(100) - peak) / 2) ** 2))
        sheet = curve_sheet(values, "10.59 ms", 280, 60, LIGHT)
        label = sheet.texts[0]
        assert label.rect.left() >= 0
        assert label.rect.right() <= 280
        line = next(x for x in sheet.lines if x.dashed)
        assert line.points[0][0] == pytest.approx(280 * peak / 99)
    assert not curve_sheet((), "", 280, 60, LIGHT).texts


def test_words_wrap_to_the_room_and_the_longest_that_fits_is_chosen(app):
    lines = wrap("The picture is the slowest here. Delay the voice.", "body", 1.0, 150)
    assert len(lines) > 2
    assert all(width(x, "body", 1.0) <= 150 for x in lines)
    assert " ".join(lines) == "The picture is the slowest here. Delay the voice."
    assert first_fitting(("a long wording", "short", ""), "body", 1.0, width("short", "body", 1.0)) == "short"
    assert first_fitting(("wide",), "body", 1.0, 3) == ""


def test_a_flow_wraps_and_pushes_its_last_to_the_right(app, qtbot):
    theme, holder = Theme(), QWidget()
    qtbot.addWidget(holder)
    flow = Flow(parent=holder)
    buttons = [Button(theme, f"Button {i}", "outline") for i in range(5)]
    for b in buttons:
        flow.addWidget(b)
    flow.pushed = buttons[-1]
    holder.resize(900, 200)
    holder.show()
    assert len({b.y() for b in buttons}) == 1
    assert buttons[-1].geometry().right() == 899
    one = flow.heightForWidth(900)
    holder.resize(300, 200)
    flow.setGeometry(holder.rect())
    assert len({b.y() for b in buttons}) > 1
    assert flow.heightForWidth(300) > one
    for i, a in enumerate(buttons):
        assert a.geometry().right() < 300
        assert not any(a.geometry().intersects(b.geometry()) for b in buttons[i + 1 :])
    assert flow.itemAt(9) is None
    assert flow.takeAt(9) is None


def test_buttons_answer_space_and_enter_and_say_their_key(app, qtbot):
    b = Button(Theme(), "Measure", "primary", "M")
    qtbot.addWidget(b)
    pressed = []
    b.clicked.connect(lambda: pressed.append(1))
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Space, Qt.Key.Key_Enter):
        QTest.keyClick(b, key)
    assert len(pressed) == 3
    assert b.shown == "Measure  (M)"
    wide = b.sizeHint().width()
    b.show_hint(False)
    assert b.shown == "Measure"
    assert b.sizeHint().width() < wide
    assert b.colours()[0] == "water"
    b.setEnabled(False)
    QTest.keyClick(b, Qt.Key.Key_Return)
    assert len(pressed) == 3
    assert b.colours() == ("", "line", "mute")


def test_words_without_text_take_no_room_and_never_become_a_window(app, qtbot):
    lone = Words(Theme(), "body")
    qtbot.addWidget(lone)
    lone.say("before it has a place")
    assert not lone.isVisible()
    holder = QWidget()
    qtbot.addWidget(holder)
    inner = Words(Theme(), "body", parent=holder)
    holder.show()
    inner.say("here")
    assert inner.isVisible()
    inner.say("")
    assert not inner.isVisible()


def test_a_notice_is_said_once_and_goes_away(app, qtbot):
    n = Notice(Theme())
    qtbot.addWidget(n)
    n.say("Saved as hour.brucke.json.", "water")
    assert not n.isHidden()
    QTest.mouseClick(n.away, Qt.MouseButton.LeftButton)
    assert n.isHidden()


def test_a_table_is_read_by_cells_and_copied_whole(app, qtbot):
    t = PlainTable(Theme(), "Arrivals")
    qtbot.addWidget(t)
    t.rows.show_rows(["part", "takes"], [["Harp", "21.33 ms"], ["Voice", "5.98 ms"]])
    index = t.rows.index(1, 1)
    assert t.rows.data(index) == "5.98 ms"
    assert t.rows.data(index, Qt.ItemDataRole.AccessibleTextRole) == "5.98 ms"
    assert t.rows.headerData(0, Qt.Orientation.Horizontal) == "part"
    QTest.keyClick(t, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert app.clipboard().text() == "part\ttakes\nHarp\t21.33 ms\nVoice\t5.98 ms"


def test_the_theme_steps_through_its_scales_and_back_and_tells_everyone(app):
    theme, told = Theme(), []
    theme.changed.connect(lambda: told.append(theme.tokens.scale))
    for _ in range(8):
        theme.step_scale(1)
    assert theme.tokens.scale == SCALES[-1] == 1.75
    for _ in range(8):
        theme.step_scale(-1)
    assert theme.tokens.scale == 1.0
    theme.toggle_night()
    assert theme.tokens.name == "night"
    assert theme.tokens.card == NIGHT.card
    theme.toggle_night()
    assert len(told) == 18


def test_small_things():
    assert mixed("#000000", "#FFFFFF", 0.5) == "#808080"
    assert clock_text(72.9) == "1:12"
    assert LIGHT.scaled(1.5).px(8) == 12
    assert LIGHT.part(9) == LIGHT.parts[1]


def test_a_field_that_is_gone_hears_no_change_of_colours_and_nothing_keeps_it(app):
    """Deleted by its parent while Python still has it, and dropped by everybody."""
    theme, holder = Theme(), QWidget()
    field, told = TextField(theme, "Name"), []
    field.setParent(holder)
    theme.follow(field, lambda: told.append(field.text()))
    theme.toggle_night()
    assert told == [""]
    sip.delete(holder)
    for _ in range(3):
        theme.toggle_night()
        theme.step_scale(1)
    assert told == [""]
    other = TextField(theme, "Other")
    here = weakref.ref(other)
    del other
    gc.collect()
    assert here() is None, "the theme keeps nobody"
