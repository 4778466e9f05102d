"""Marks of a take are read as they were written; what is none is left out."""

import time
from types import SimpleNamespace

import pytest
from PyQt6.QtCore import QCoreApplication, QObject, pyqtSignal

from brucke.app.presence.take_marks import TakeMarks
from brucke.takes.marks import FILE, Mark, read_marks, save_marks
from brucke.words.hour_page import marks_text


def test_marks_are_kept_in_their_order_for_their_owner_alone(tmp_path):
    marks = (Mark(at_s=0.5, says="First"), Mark(at_s=61.0, says="silence"))
    save_marks(tmp_path, marks)
    assert read_marks(tmp_path) == marks
    assert oct((tmp_path / FILE).stat().st_mode & 0o777) == "0o600"
    assert marks_text([(m.at_s, m.says) for m in marks]) == "0:00 First · 1:01 silence"
    assert marks_text([(1.0, "a")] * 20).endswith("and 8 more")


@pytest.mark.parametrize(
    "text",
    [
        "", "{", "[]", '{"format": "brucke marks", "version": 9, "marks": []}', '{"format": "x", "marks": []}',
        '{"format": "brucke marks", "version": 1, "marks": [{"at_s": "soon", "says": 5}]}',
        '{"format": "brucke marks", "version": 1, "marks": [{"at_s": -1, "says": "a"}, {"at_s": 1e300, "says": "a"}]}',
    ],
)  # fmt: skip
def test_what_is_no_list_of_marks_is_none(tmp_path, text):
    (tmp_path / FILE).write_text(text)
    assert read_marks(tmp_path) == ()


def test_marks_set_by_key_are_on_the_disk_at_once_and_count_anew_with_every_take(tmp_path, nightboat):
    QCoreApplication.instance() or QCoreApplication([])

    class Taking(QObject):
        changed = pyqtSignal()
        state, seconds_recorded, folder = "idle", 0.0, tmp_path

    class Hour(QObject):
        noted = pyqtSignal(dict)
        session = SimpleNamespace(setup=nightboat)

    hour, taking = Hour(), Taking()
    marks = TakeMarks(hour, taking)
    assert marks.mark() is None, "nothing is recorded"
    for folder, at in ((tmp_path / "a", 3.25), (tmp_path / "b", 8.5)):
        folder.mkdir()
        taking.state, taking.folder, taking.seconds_recorded = "recording", folder, at
        taking.changed.emit()
        assert marks.mark() == Mark(at_s=at, says="mark 1")
        hour.noted.emit({"what": "silence", "on": True, "at": 0.0})
        taking.seconds_recorded += 2
        marks.mark()
        until = time.monotonic() + 5
        while len(read_marks(folder)) < 3 and time.monotonic() < until:
            time.sleep(0.01)
        assert [m.says for m in read_marks(folder)] == ["mark 1", "silence", "mark 2"]
        taking.state = "finishing"
        taking.changed.emit()
    assert len(read_marks(tmp_path / "a")) == 3
