"""Marks of a take are read as they were written; what is none is left out."""

import pytest

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
