"""A moment that begins a take, or ends the one that runs, as it is called up: never twice, never over a test recording,
nobody is asked."""

from types import SimpleNamespace

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication

from brucke.app.presence.moment_takes import MomentTakes
from brucke.app.session.session import Session
from brucke.core.edits.moment_edits import add_moment, change_moment
from brucke.rehearse import equipment
from brucke.words.moments import changes_text


class Recorder:
    def __init__(self):
        self.state, self.proof_take, self.asked = "idle", False, []

    def record(self, *, asks=True):
        self.asked.append(asks)
        self.state = "recording" if self.state == "idle" else "idle"


@pytest.fixture
def hour(nightboat):
    QCoreApplication.instance() or QCoreApplication([])
    session, taking = Session(equipment), Recorder()
    setup = add_moment(nightboat, "Ends")
    ends = setup.moments[-1].id
    session.replace(change_moment(change_moment(setup, "sing", recording=True), ends, recording=False))
    said = []
    session.noticed.connect(lambda text, _tone: said.append(text))
    hour = SimpleNamespace(
        session=session, taking=taking, ends=ends, said=said, it=MomentTakes(session, taking),
        call=lambda id: session.set_live(replace(session.live, moment=id)),
    )  # fmt: skip
    hour.call("talk")
    return hour


def test_a_moment_begins_a_take_and_another_ends_it_and_one_that_says_nothing_leaves_it(hour):
    hour.call("sing")
    assert (hour.taking.state, hour.taking.asked) == ("recording", [False]), "nobody is asked in the middle of an hour"
    hour.call("talk")
    hour.call("sing")
    hour.session.set_live(replace(hour.session.live, silent=True))
    assert (hour.taking.state, len(hour.taking.asked)) == ("recording", 1), "it is recorded already"
    hour.call(hour.ends)
    assert hour.taking.state == "idle"
    hour.call("talk")
    hour.call(hour.ends)
    assert hour.taking.state == "idle"
    assert [t.partition(": ")[2] for t in hour.said] == ["a take is recorded from now on.", "the take has ended."]


def test_a_test_recording_is_left_alone_and_one_that_is_still_measured_is_said(hour):
    hour.taking.state, hour.taking.proof_take = "recording", True
    hour.call(hour.ends)
    assert (hour.taking.state, hour.said) == ("recording", [])
    hour.taking.state, hour.taking.proof_take = "proving", False
    hour.call("sing")
    assert hour.taking.asked == []
    assert "nothing is recorded" in hour.said[-1]


def test_a_setup_that_opens_in_such_a_moment_records_nothing_by_itself_and_the_preview_says_it(hour):
    setup = hour.session.setup
    assert "A take would be recorded from then on." in changes_text(setup, "talk", "sing")
    assert "The take that is recorded would end." in changes_text(setup, "sing", hour.ends)
    assert setup.moments[0].id == "sing"
    hour.session.replace(setup)
    assert hour.session.live.moment == "sing"
    hour.session.set_live(replace(hour.session.live, silent=True))
    assert hour.taking.asked == []
