"""What is asked for past the window lies over what the window tells, until the session knows it, and never longer."""

import threading

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication

from brucke.app.control.live_acts import LiveActs
from brucke.app.engine.live_engine import LiveEngine
from brucke.app.session.session import Session
from brucke.core.document.setup import Setup
from brucke.rehearse import equipment


@pytest.fixture
def acts(app, nightboat):
    session = Session(equipment)
    session.replace(nightboat)
    return LiveActs(session, LiveEngine(session))


def test_what_the_window_tells_meanwhile_takes_nothing_back(acts):
    session, told = acts.session, []
    session.tell = lambda live: told.append(acts.running.with_acts(live))
    threading.Thread(target=lambda: acts.do("silence", "down", True)).run()
    acts.do("moment_2", "down")
    session.set_live(replace(session.live, muted=frozenset({"cello"})))
    assert (told[-1].silent, told[-1].moment, told[-1].muted) == (True, "talk", {"cello"})
    assert not session.live.silent, "the session hears of it later"
    QCoreApplication.processEvents()
    assert (session.live.silent, session.live.moment, session.live.muted) == (True, "talk", {"cello"})
    session.set_live(replace(session.live, silent=False))
    assert not told[-1].silent, "and from then on the window's word counts"


def test_an_engine_that_cannot_be_told_leaves_nothing_lying_over_what_comes(acts):
    session = acts.session

    def fails(_live):
        raise RuntimeError("nothing listens any more")

    tell, session.tell = session.tell, fails
    acts.do("silence", "down", True)
    with pytest.raises(RuntimeError):
        acts._settle()
    session.tell = tell
    assert not acts.over(replace(session.live, silent=False)).silent


def test_moments_and_microphones_that_are_not_there_change_nothing(acts):
    acts.do("moment_9", "down")
    QCoreApplication.processEvents()
    assert acts.session.live.moment == "sing"
    acts.session.replace(Setup())
    acts.do("mute_me", "down")
    acts.do("mute_me", "up")
    QCoreApplication.processEvents()
    assert not acts.session.live.muted
