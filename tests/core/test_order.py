"""The running order as a document and as a table."""

import csv

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.checks.soundcheck import soundcheck
from brucke.core.document.setup import Moment, OrderLine, Setup, Track
from brucke.core.edits import order_edits, part_edits
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.order_file import COLUMNS, order_text, read_order
from brucke.core.storage.setup_file import decode, encode
from brucke.core.storage.small_files import FileProblem
from brucke.core.timing.paths import Situation

MOMENTS = (Moment(id="sing", name="Sing"), Moment(id="talk", name="Talk, softly", pauses=True))
TEXT = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Zl", "Zp")), max_size=60).map(str.strip)
LINES = st.builds(
    OrderLine,
    kind=st.sampled_from(("song", "talk", "pause")),
    name=TEXT,
    file=TEXT,
    from_s=st.integers(0, 5000).map(lambda x: x / 10),
    to_s=st.integers(0, 5000).map(lambda x: x / 10),
    moment=st.sampled_from(("", "sing", "talk")),
    after=st.sampled_from(("", "sing", "talk")),
    goes_on=st.booleans(),
    lasts_s=st.integers(0, 600).map(float),
    note=TEXT,
)


@given(st.lists(LINES, max_size=12))
def test_a_table_holds_the_whole_order_and_any_csv_reader_reads_it(tmp_path_factory, lines):
    path = tmp_path_factory.mktemp("order") / "hour.csv"
    path.write_text(order_text(tuple(lines), MOMENTS), encoding="utf-8", newline="")
    assert read_order(path, MOMENTS) == tuple(lines)
    with path.open(encoding="utf-8", newline="") as f:  # the standard library's reader, RFC 4180
        rows = list(csv.DictReader(f))
    assert [r["note"] for r in rows] == [x.note for x in lines]
    assert tuple(rows[0]) == COLUMNS if rows else True


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "row 1: the first row has to name the columns"),
        ("name\nSlow water\n", "row 1: the first row has to name the columns"),
        ("kind,colour\nsong,red\n", "row 1: no column “colour” is known"),
        ("kind,name\nballad,Slow water\n", "row 2: kind: “ballad” is none of song, talk, pause"),
        ("name,kind\nSlow water\n", "row 2: kind: “” is none of song, talk, pause"),
        ("kind,from_s\nsong,nan\n", "row 2: from_s: “nan” is no number of seconds"),
        ("kind,to_s\nsong,-1\n", "row 2: to_s: “-1” is no number of seconds"),
        ("kind,moment\nsong,Dance\n", "row 2: moment: there is no moment “Dance”"),
        ('kind,note\nsong,"never closed\n', "row 2: "),
        ("kind,note\nsong," + "x" * 300 + "\n", "row 2: note: longer than 200 characters"),
        ("kind\n" + "talk\n" * 10_000, "the file: 10000 lines; 500 are the most"),
    ],
)
def test_a_table_that_cannot_be_is_refused_in_one_sentence(tmp_path, text, why):
    path = tmp_path / "hour.csv"
    path.write_text(text, encoding="utf-8", newline="")
    with pytest.raises(FileProblem) as e:
        read_order(path, MOMENTS)
    assert str(e.value).startswith(f"hour.csv: {why}")
    assert "\n" not in str(e.value)


def test_lines_come_go_and_move_and_the_file_keeps_them(nightboat):
    setup = replace(nightboat, order=())
    part = order_edits.backing_track(setup).id
    setup = part_edits.add_tracks(setup, part, ["night_ferry.flac"])
    setup = order_edits.every_track(setup, "Talk")
    assert [(x.kind, x.name, x.file) for x in setup.order] == [
        ("song", "Harp", "harp.flac"),
        ("talk", "Talk", ""),
        ("song", "Night ferry", "night_ferry.flac"),
    ]
    assert [x.moment for x in setup.order] == ["sing", "talk", "sing"]
    assert setup.order[0].after == "talk"
    moved = order_edits.move_line(order_edits.duplicate_line(setup, 2), 0, 9)
    assert [x.name for x in moved.order] == ["Talk", "Night ferry", "Night ferry", "Harp"]
    assert order_edits.remove_line(moved, 0).order == moved.order[1:]
    assert decode(encode(moved, Knowledge())) == (moved, Knowledge())
    full = replace(setup, order=(OrderLine(),) * order_edits.MAX_LINES)
    assert order_edits.add_line(full, "talk", "Talk") == order_edits.duplicate_line(full, 0) == full


def test_a_song_whose_track_is_gone_is_said_in_the_soundcheck(nightboat):
    def gone(setup):
        return [f.values for r in soundcheck(Situation(setup)) for f in r.findings if f.code == "song_gone"]

    assert gone(nightboat) == []
    part = order_edits.backing_track(nightboat).id
    other = part_edits.change_part(nightboat, part, tracks=(Track(file="other.flac"),), track=0)
    assert gone(other)[0] == {"song": "Slow water", "file": "harp.flac"}
    assert len(gone(other)) == 3
    assert gone(replace(other, order=())) == []


def test_an_order_of_before_there_were_any_is_none():
    text = encode(Setup(name="Old"), Knowledge()).decode()
    assert '"order": []' in text
    assert decode(text.replace('"order": [],', "").encode())[0].order == ()
