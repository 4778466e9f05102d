"""In the hands: the wheel, what is said of somebody new, what runs and who hears it, and what nobody foresaw."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QAbstractSlider, QAbstractSpinBox, QApplication, QComboBox, QLineEdit, QScrollBar, QWidget

from brucke.app.presence.crash_log import CrashLog
from brucke.core.document.setup import MomentRoute
from brucke.core.edits import route_edits
from brucke.core.edits.route_edits import set_gain
from brucke.core.routing.recording import far_ends_wanted, listeners_kept, parts_kept
from brucke.demo import SETUP

from .conftest import key, part, pick, press, wait


def wheel(widget, by=-120):
    middle = QPointF(widget.rect().center())
    event = QWheelEvent(
        middle, widget.mapToGlobal(middle), QPoint(0, by), QPoint(0, by), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_two_hundred_turns_of_the_wheel_over_every_field_of_every_place_change_nothing(window):
    """Scrolling the right column changed an input and a trim, on air, and undo did not bring it back."""
    w = window
    w.session.set_live(replace(w.session.live, on_air=True))
    w.shape.add_processor("compressor")
    w.shape.add_processor("equaliser")
    before, tried = (w.session.setup, w.session.knowledge), set()
    for place in w.places:
        w.go_to(place)
        QApplication.processEvents()
        fields = [x for x in w.findChildren(QWidget) if x.isVisible() and not isinstance(x,
            QScrollBar) and isinstance(x, QAbstractSpinBox | QComboBox | QAbstractSlider | QLineEdit)]  # fmt: skip
        values = [(x, x.value()) for x in fields if isinstance(x, QAbstractSlider) or hasattr(x, "value")]
        for field in fields:
            field.setFocus()
            for turn in range(200):
                wheel(field, -120 if turn % 3 else 120)
            tried.add((place, type(field).__name__))
        assert all(x.value() == value for x, value in values)
    assert (w.session.setup, w.session.knowledge) == before
    assert {p for p, _ in tried} >= {"gather", "share", "shape"}


def test_somebody_new_reaches_nobody_until_the_one_question_is_answered(window):
    w = window
    w.do("gather")
    pick(w.gather, "Microphone")
    new = w.session.setup.parts[-1].id
    routes = [r for r in w.session.setup.routes if r.part == new]
    assert not any(r.on for r in routes)
    assert w.gather.hear.isVisible()
    press(w.gather.hear.others)
    heard = {r.listener for r in w.session.setup.routes if r.part == new and r.on}
    assert heard == {x.id for x in w.session.setup.listeners if x.kind != "monitor"}
    assert not w.gather.hear.isVisible(), "one question, once"
    w.do("undo")
    assert w.gather.hear.isVisible()


def test_a_far_end_is_only_recorded_where_it_was_switched_on_and_agreed(nightboat):
    assert "lounge" in parts_kept(nightboat, {"lounge"}), "the demo's recorder has it switched on"
    off = route_edits.set_on(nightboat, "lounge", "recorder", False)
    assert "lounge" not in parts_kept(off, {"lounge"})
    assert "headphones" not in listeners_kept(off, {"lounge"}), "it would be in there all the same"
    assert {"lounge_call", "shore_stream", "recorder"} <= set(listeners_kept(off, {"lounge"}))
    assert far_ends_wanted(nightboat) == ["lounge"]
    assert far_ends_wanted(route_edits.set_on(off, "lounge", "shore_stream", False)) == []
    carried = route_edits.set_on(off, "lounge", "shore_stream", True)
    assert far_ends_wanted(carried) == ["lounge"], "a stream that carries them is kept with them in it"
    assert not {"lounge"} & set(parts_kept(nightboat, ()))
    assert not {"recorder", "headphones"} & set(listeners_kept(nightboat, ())), "they would be in there all the same"
    assert "shore_stream" not in listeners_kept(carried, ()), "muted now, they may be heard in a moment"


def test_who_hears_what_is_computed_from_routes_mutes_moment_and_what_runs(window, monkeypatch):
    w = window
    assert w.audience.hears_text() == "nobody hears you: stopped"
    w.running.state = "running"
    assert w.audience.hears_text().startswith("Lounge call hears voice, cello"), "the track stands still"
    monkeypatch.setattr(type(w.running), "playing", True)
    assert w.audience.hears_text().startswith("Lounge call hears harp, voice, cello")
    w.session.set_live(replace(w.session.live, muted=frozenset({"voice"})))
    assert "voice" not in w.audience.hears_text()
    hush = (MomentRoute(part="cello", listener="lounge_call", mute=True),)
    moments = tuple(
        replace(m, routes=(*m.routes, *hush), pauses=False) if m.id == "talk" else m for m in w.session.setup.moments
    )
    w.session.edit("hush", replace(w.session.setup, moments=moments), "share")
    w.session.set_live(replace(w.session.live, moment="talk"))
    assert w.audience.hears_text().startswith("Lounge call hears harp; Shore stream hears harp, cello")
    w.running.state = "stopped"


def test_least_delay_on_purpose_is_no_fault_and_one_sentence_everywhere(window):
    w = window
    w.do("everywhere")
    w.session.set_live(replace(w.session.live, moment="talk"))
    said = next(c.verdict for id, c in w.strip.cards.items() if id == "lounge_call")
    assert said == "Talk: the quickest way"
    assert w.strip.cards["lounge_call"].tone == w.deck.spans["align"].tone == "water"
    assert w.deck.spans["align"].state == said
    w.go_to("align")
    w.align.choose_listener("lounge_call")
    assert w.align.side.verdict.reason.text().startswith(said)


def test_an_empty_setup_offers_nothing_it_cannot_do_and_the_frame_never_moves(window):
    w = window
    spans = [s.geometry() for s in w.deck.spans.values()]
    tall, facts = w.deck.height(), w.deck.facts_rect.right()
    w.go_to("review")
    w.taking.state = "proving"
    w.deck_state.refresh()
    assert [s.geometry() for s in w.deck.spans.values()] == spans
    assert (w.deck.height(), w.deck.facts_rect.right()) == (tall, facts)
    w.taking.state = "idle"
    w.do("new")
    assert not w.deck.live.isVisible()
    assert not w.deck.check.isVisible()
    assert not w.strip.isVisible()


def test_words_of_the_hour(window):
    w = window
    assert w.deck.live.text() == "Let them hear"
    w.do("share")
    said = [w.share.grid.routes.data(w.share.grid.routes.index(r, 1)) for r in range(5)]
    assert "Lounge, do they hear it: everyone but themselves" in said
    w.gather.choose("part/harp")
    assert not w.gather.level.help.isVisibleTo(w.gather.level), "nobody sings a file louder"
    w.gather.choose("part/voice")
    assert w.gather.level.help.isVisibleTo(w.gather.level)
    assert w.gather.along.itself.text() == "silent in the room"
    assert part(w, "voice").hears_itself == "room"


def test_what_nobody_foresaw_is_said_logged_and_everything_goes_on(window, monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    w, said = window, []
    surprises = CrashLog()
    surprises.said.connect(said.append)
    try:
        raise ZeroDivisionError("of a sort")
    except ZeroDivisionError as e:
        surprises.catch(type(e), e, e.__traceback__)
    assert said[0].startswith(
        "Something went wrong that nobody foresaw: ZeroDivisionError: of a sort. It is written to "
    )
    log = said[0].split("written to ")[1].split(". Everything")[0]
    assert "test_hands.py" in Path(log).read_text()
    w.do("align")
    assert w.place == "align"


PROGRAM = """
import os, sys
from PyQt6.QtCore import QTimer
import brucke.ui.shell.window as module
from pathlib import Path
from brucke.ui.shell.app import run

class Window(module.Window):
    def show(self):
        super().show()
        print("shown", flush=True)
        QTimer.singleShot(300, self.wrong)
        QTimer.singleShot(700, self.still)
    def wrong(self):
        raise ValueError("in a slot")
    def still(self):
        print("said", self.notice.words.text(), flush=True)
module.Window = Window
sys.exit(run(Path(sys.argv[1])))
"""


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
def test_an_exception_in_a_slot_leaves_the_window_and_ctrl_c_ends_it_cleanly(data_home, number):
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_STATE_HOME": str(data_home / "state")}
    process = subprocess.Popen([sys.executable, "-c", PROGRAM, str(SETUP)], stdout=subprocess.PIPE,
        stderr=subprocess.PIPE, text=True, env=env)  # fmt: skip
    assert process.stdout.readline() == "shown\n"
    assert "ValueError: in a slot" in process.stdout.readline()
    began = time.monotonic()
    process.send_signal(number)
    out, err = process.communicate(timeout=15)
    assert process.returncode == 0, err
    assert "Traceback" not in out + err
    assert time.monotonic() - began < 10
    children = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True, check=False).stdout
    assert children == ""


def test_measuring_counts_three_seconds_down_and_an_old_notice_goes(live):
    w = live
    w.go_to("gather")
    w.session.noticed.emit("something old", "amber")
    key(w, Qt.Key.Key_M)
    assert w.notice.words.text() == "3 … hold a headphone to the microphone."
    began = time.monotonic()
    wait(lambda: w.measuring.state == "sounding", 10)
    assert time.monotonic() - began > 2.5
    key(w, Qt.Key.Key_Escape)
    assert "stopped" in w.notice.words.text()
    assert "simulated" in w.deck.facts.state


def test_fifty_undos_in_a_row_are_shown_once_or_twice_and_all_are_taken(window):
    """Keys that wait while a busy machine still shows the last one are taken together, also back and forth."""
    w = window
    w.steps.fresh_s = 0.05
    for i in range(50):
        w.session.edit(f"gain {i}", set_gain(w.session.setup, "voice", "recorder", -1.0 - i / 10), "share")
    last, shown = w.session.setup, []
    w.session.changed.connect(lambda: shown.append(w.session.undo_stack.index()))
    for _ in range(50):
        w.do("undo")
    QApplication.processEvents()
    assert w.session.undo_stack.index() == 0
    assert w.session.setup.route("voice", "recorder").gain_db != -1.0
    assert len(shown) <= 3
    assert "Undone: gain 0" in w.notice.words.text()
    for _ in range(50):
        w.do("redo")
    w.do("undo")
    w.do("redo")
    QApplication.processEvents()
    assert w.session.setup == last
    assert len(shown) <= 6
