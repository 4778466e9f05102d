"""Going through the hour: what one key does, and where a song that ends goes. The engine is played by hand."""

import errno
import json
import os
from types import SimpleNamespace

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication, QObject, pyqtSignal

from brucke.app.presence import hour_log, running_order
from brucke.app.presence.hour_log import HourLog
from brucke.app.presence.running_order import RunningOrder
from brucke.app.session.session import Session
from brucke.commands.cli import main
from brucke.core.document.setup import OrderLine
from brucke.core.edits import order_edits
from brucke.rehearse import equipment
from brucke.words.hour_page import hour_page_text

SONG, AGAIN = "harp.flac", "harp again.flac"
ORDER = (
    OrderLine(kind="talk", name="Welcome", moment="talk"),
    OrderLine(name="First", file=SONG, from_s=4.0, to_s=20.0, moment="sing", after="talk"),
    OrderLine(name="Second", file=SONG, moment="sing", goes_on=True),
    OrderLine(name="Third", file="gone.flac", moment="sing"),
)


class Playing(QObject):
    changed = pyqtSignal()

    def __init__(self):
        super().__init__()
        self.playing, self.track, self.why_silent, self.dropouts = False, (0.0, 50.0), "", 0

    def play(self, on):
        self.playing = on

    def begin_at(self, seconds):
        self.track = (seconds, self.track[1])


@pytest.fixture
def hour(nightboat, monkeypatch, tmp_path):
    app = QCoreApplication.instance() or QCoreApplication([])
    clock = SimpleNamespace(now=100.0)
    monkeypatch.setattr(running_order.time, "monotonic", lambda: clock.now)
    session = Session(equipment)
    session.replace(replace(nightboat, order=ORDER))
    running = Playing()
    order = RunningOrder(session, running)
    said = []
    session.noticed.connect(lambda text, tone: said.append(text))
    log = HourLog(session, running, order, tmp_path / "hours")
    yield SimpleNamespace(session=session, running=running, order=order, said=said, clock=clock, log=log, app=app)
    log.close()


def test_one_key_goes_on_one_back_and_a_song_that_ends_goes_where_its_line_says(hour):
    order, running, session = hour.order, hour.running, hour.session
    assert order.line is None
    order.next()
    assert (order.line.name, session.live.moment, running.playing) == ("Welcome", "talk", False)
    order.next()
    assert (session.live.moment, running.playing, running.track[0]) == ("sing", True, 4.0)
    hour.clock.now += 2
    for second in (6.0, 12.0, 19.9):
        running.track = (second, 50.0)
        order.tick()
        assert running.playing
        assert order.left_s == pytest.approx(20.0 - second)
    running.track = (19.95, 50.0)
    order.tick()
    assert (running.playing, session.live.moment, order.ended, order.at) == (False, "talk", True, 1)
    order.tick()
    assert order.at == 1, "the next does not begin by itself"
    hour.clock.now += 10
    order.back()
    assert (order.at, running.track[0], running.playing) == (1, 4.0, True), "the line again"
    hour.clock.now += 1
    order.back()
    assert (order.at, running.playing, session.live.moment) == (0, False, "talk"), "just begun: the one before"


def test_a_track_that_goes_round_is_held_at_its_end_and_goes_on_where_that_was_chosen(hour):
    order, running = hour.order, hour.running
    order.go(2)
    hour.clock.now += 2
    running.track = (49.8, 50.0)
    order.tick()
    running.track = (0.02, 50.0)  # it went round between two looks
    order.tick()
    assert order.ended
    assert order.at == 2, "the third cannot begin"
    assert "gone.flac is not among the backing tracks" in hour.said[-1]
    assert not running.playing
    order.next()
    assert order.at == 2


def test_nothing_begins_while_nothing_sounds_and_lines_that_go_leave_no_hole(hour):
    order, session = hour.order, hour.session
    hour.running.why_silent = "Nothing sounds yet: start first."
    order.go(1)
    assert (order.at, hour.running.playing) == (-1, False)
    assert hour.said[-1].startswith("First has not begun.")
    hour.running.why_silent = ""
    order.go(2)
    session.edit("shorter", replace(session.setup, order=ORDER[:1]), "perform")
    assert order.at == 0
    assert order.ended
    session.undo()
    session.replace(replace(session.setup, name="Another"))
    assert (order.at, order.line) == (-1, None)


def test_the_line_one_is_in_stays_it_while_others_come_move_and_go(hour):
    order, session = hour.order, hour.session
    order.go(1)
    for text, setup in (
        ("moved", order_edits.move_line(session.setup, 0, 3)),
        ("added", order_edits.add_line(session.setup, "pause", "Tea", 0)),
        ("removed", order_edits.remove_line(session.setup, 0)),
        ("twice", order_edits.duplicate_line(session.setup, 0)),
    ):
        session.edit(text, setup, "perform")
        assert order.line.name == "First", text
        assert not order.ended
        session.undo()
        assert (order.at, order.line.name) == (1, "First")
    session.edit("named", order_edits.change_line(session.setup, 1, name="Opening"), "perform")
    assert (order.at, order.line.name, order.ended) == (1, "Opening", False)
    session.edit("gone", order_edits.remove_line(session.setup, 1), "perform")
    assert (order.line.name, order.ended, order.following.name) == ("Welcome", True, "Second")


def test_the_hour_is_kept_as_a_log_and_the_command_reads_it(hour, capsys):
    order, session, log = hour.order, hour.session, hour.log
    order.next()
    assert log.file is None, "nobody was let hear yet"
    session.set_live(replace(session.live, on_air=True))
    order.next()
    for _again in range(3):
        session.noticed.emit("Table interface is not there.", "coral")
    session.noticed.emit("Saved.", "water")
    session.set_live(replace(session.live, silent=True))
    session.set_live(replace(session.live, silent=False, on_air=False))
    log.close()
    assert log.trouble[1] == "Table interface is not there."
    assert main(["log", str(log.file), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["setup"] == session.setup.name
    whats = [e["what"] for e in told["events"]]
    assert whats == ["moment", "line", "open", "moment", "line", "wrong", "silence", "closed", "silence over"]
    page = hour_page_text(session.setup, log.events)
    assert page.splitlines()[2].startswith("1 song, let hear for 0:0")
    assert "What went wrong" in page
    assert page.count("Table interface is not there.") == 1
    assert [x[7:] for x in page.splitlines()[4:12]] == [
        "moment Talk", "Welcome", "they are let hear", "moment Sing", "First", "silence",
        "nobody is let hear any more", "silence is over",
    ]  # fmt: skip
    assert hour_page_text(session.setup, []) == ""
    assert oct(log.file.stat().st_mode & 0o777) == "0o600"
    log.file.write_text(log.file.read_text() + '{"at": "2026-')
    assert main(["log", str(log.file), "--json"]) == 0, "what a crash cut off is left out"
    capsys.readouterr()
    log.file.write_text('{"format": "brucke hour", "version": 2}\n')
    assert main(["log", str(log.file)]) == 2


def test_a_log_that_cannot_be_written_is_said_once_and_goes_on_in_memory(hour, monkeypatch):
    session, log = hour.session, hour.log

    def full(*_args, **_more):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(hour_log, "open", full, raising=False)
    session.set_live(replace(session.live, on_air=True))
    for _again in range(3):
        hour.order.next()
    log.close()
    hour.app.processEvents()
    assert [t for t in hour.said if "log" in t] == ["The log of the hour cannot be written, no space left on device."]
    assert [e["what"] for e in log.events].count("line") == 3
