"""The document in the window: templates, recent ones, one file with everything, notes, a crash, what is dropped in."""

import os
import shutil
import signal
import subprocess
import sys
import time

import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QPointF, QSettings, Qt, QTimer, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog

from brucke.app.documents.documents import Documents
from brucke.app.session.session import Session
from brucke.app.studio import Studio
from brucke.core.document.setup import Setup
from brucke.core.files.process_alive import Who, this_program
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.recovery import Recovery, find_recoveries, recovery_file, write_recovery
from brucke.core.storage.setup_file import load, save
from brucke.core.storage.templates import TEMPLATES
from brucke.demo import FOLDER, SETUP
from brucke.rehearse import equipment
from brucke.ui.shell import document_dialogs
from brucke.ui.shell.document_dialogs import NotesDialog
from brucke.ui.shell.window import Window
from brucke.ui.theme.theme import Theme

from .conftest import in_question, key, new_window, pause, pick, press, wait


@pytest.mark.parametrize("template", [t.code for t in TEMPLATES])
def test_a_template_is_one_press_and_everything_in_it_is_there(window, template):
    w = window
    w.do("new")
    assert w.session.setup == Setup()
    assert w.gather.start.isVisible()
    assert "Nothing is here yet" in share_words(w)
    press(w.gather.start.templates[template])
    setup = w.session.setup
    assert setup == next(t for t in TEMPLATES if t.code == template).make()
    assert w.session.unsaved, "nobody has saved it yet"
    assert not w.gather.start.isVisible()
    assert len(w.gather.parts.buttons) >= len(setup.parts)
    assert not w.session.undo_stack.canUndo()


def share_words(w):
    w.go_to("share")
    text = w.share.to.text()
    w.go_to("gather")
    return text


def test_saved_ones_are_remembered_and_the_last_is_there_at_the_start(window, tmp_path):
    w = window
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
        assert w.document_dialogs.save_to(tmp_path / name / f"{name}.brucke.json")
    assert [p.name for p in w.documents.recent()] == ["two.brucke.json", "one.brucke.json"]
    assert w.documents.last() == tmp_path / "two" / "two.brucke.json"
    shutil.rmtree(tmp_path / "two")
    assert w.documents.recent() == [tmp_path / "one" / "one.brucke.json"], "what is gone is not offered"
    assert w.documents.last() == tmp_path / "two" / "two.brucke.json", "and nothing else takes its place at log-in"


def test_duplicate_is_another_document(window, tmp_path):
    w = window
    w.session.save_as(tmp_path / "hour.brucke.json")
    w.do("double")
    assert w.session.setup.name == "Nightboat hour copy"
    assert w.session.path is None, "saving it asks where"
    assert w.session.unsaved
    assert load(tmp_path / "hour.brucke.json")[0].name == "Nightboat hour"


def test_name_and_notes(window, monkeypatch):
    w = window

    def fill(dialog):
        dialog.name.setText("Second crossing")
        dialog.notes.setPlainText("Cello on input 2.\nLounge calls at nine – Änne speaks first.")
        return 1

    monkeypatch.setattr(NotesDialog, "exec", fill)
    key(w, Qt.Key.Key_F4)
    assert w.session.setup.name == "Second crossing"
    assert w.session.setup.notes.endswith("speaks first.")
    assert w.windowTitle().startswith("Second crossing (unsaved)")
    w.do("undo")
    assert w.session.setup.name == "Nightboat hour"


def test_export_and_import_as_one_file(window, tmp_path, monkeypatch):
    w = window
    before = w.session.setup
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "boat"), ""))
    w.do("export")
    assert w.notice.words.text() == "Exported as boat.brucke.zip."
    w.do("new")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "boat.brucke.zip"), ""))
    w.do("import")
    assert w.session.setup == before
    assert all((w.session.path.parent / f"{p}.flac").exists() for p in ("harp", "voice", "cello", "lounge"))
    bad = tmp_path / "bad.zip"
    bad.write_bytes(b"PK la la la")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(bad), ""))
    w.do("import")
    assert w.notice.words.text().startswith("Not opened. bad.zip: the file: not an exported setup, or damaged")
    assert w.session.setup == before
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "no" / "where.brucke.zip"), ""))
    w.do("export")
    assert w.notice.words.text().startswith("Not exported.")


def drop(w, *files):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
    left, plain = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    w.dropEvent(QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, left, plain))


def test_what_is_dropped_in_is_opened_or_becomes_a_track(window, tmp_path):
    w = window
    sf.write(tmp_path / "song.ogg", sf.read(FOLDER / "harp.flac")[0][:48000], 48000)
    drop(w, tmp_path / "song.ogg")
    assert w.place == "gather"
    track = next(p for p in w.session.setup.parts if p.source == "track" and p.tracks)
    assert track.tracks[-1].file == "song.ogg"
    drop(w, SETUP)
    assert w.session.path == SETUP
    (tmp_path / "half.json").write_text('{"format": "brucke setup", "version": 1')
    drop(w, tmp_path / "half.json")
    assert w.notice.words.text().startswith("Not opened. half.json: line 1")
    assert w.session.path == SETUP


def test_leaving_what_is_not_saved_asks_and_no_means_no(window, monkeypatch):
    w = window
    monkeypatch.delattr(w.document_dialogs, "may_leave")
    w.session.edit("more", Setup(name="x"), "gather")
    answers, asked = iter(("", "discard")), []
    monkeypatch.setattr(document_dialogs, "whether_saved", lambda _w, _t, name: (asked.append(name), next(answers))[1])
    w.do("new")
    assert w.session.setup.name == "x"
    assert asked == ["x"]
    w.do("new")
    assert w.session.setup == Setup()
    w.do("new")
    assert len(asked) == 2, "nothing to lose, nothing asked"


def test_a_friends_file_with_sounds_missing_over_an_unsaved_setup_leaves_what_is_open(window, monkeypatch, tmp_path):
    """Discard, and then it cannot be opened: the program died."""
    w = window
    monkeypatch.delattr(w.document_dialogs, "may_leave")
    w.session.edit("more", Setup(name="mine"), "gather")
    theirs = tmp_path / "theirs.brucke.json"
    save(theirs, next(t for t in TEMPLATES if t.code == "stream").make(), Knowledge())
    for leave in (False, True):
        in_question(lambda dialog, leave=leave: press(dialog.leave if leave else dialog.buttons["discard"]))
        assert not w.open_file(theirs)
        assert w.session.setup.name == "mine"
    assert w.notice.words.text().startswith("Not opened. theirs.brucke.json: parts: no sound ")
    assert w.session.unsaved
    w.session.replace(Setup())  # nothing to ask about at its end


def test_what_a_crash_left_is_said_by_the_next_start(app, qtbot, data_home, monkeypatch):
    gone = Who(pid=1, started=-1, boot=this_program().boot)
    write_recovery(
        data_home / "data" / "brucke" / "recovery",
        Recovery(setup=Setup(name="Lesson"), knowledge=Knowledge(), path="", folders=(), who=gone),
    )
    settings = QSettings(str(data_home / "s.ini"), QSettings.Format.IniFormat)
    session = Session(equipment)
    documents = Documents(session, settings)
    assert documents.recover()
    w = Window(Theme(), Studio(session, settings, documents=documents))
    assert w.notice.words.text().startswith("Brucke ended unexpectedly. “Lesson” is as you left it")
    session.replace(Setup())  # nothing to ask about at its end
    w.close()


PROGRAM = """
import sys, time
from pathlib import Path
from msgspec.structs import replace
from PyQt6.QtCore import QSettings, QTimer
from brucke.demo import SETUP
from brucke.ui.shell.app import make_app
from brucke.app.session.session import Session
from brucke.rehearse import equipment
from brucke.app.studio import Studio
from brucke.ui.shell.window import Window
app, theme, _ = make_app()
session = Session(equipment)
session.open(SETUP)
window = Window(theme, Studio(session, QSettings(sys.argv[1], QSettings.Format.IniFormat)))
window.show()
count = 0
def edit():
    global count
    count += 1
    session.edit("note", replace(session.setup, notes=str(count)), "gather")
    print(count, time.time(), flush=True)
timer = QTimer()
timer.timeout.connect(edit)
timer.start(70)
app.exec()
"""


@pytest.mark.parametrize("after_s", [2.2, 3.05, 3.9])
def test_killed_at_any_moment_the_last_two_seconds_at_most_are_lost(app, data_home, after_s):
    """Edits come without a pause, so that nothing may wait for one."""
    process = subprocess.Popen(
        [sys.executable, "-c", PROGRAM, str(data_home / "s.ini")], stdout=subprocess.PIPE, text=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    process.stdout.readline()
    time.sleep(after_s)
    process.send_signal(signal.SIGKILL)
    killed = time.time()
    process.wait()
    edits = [(int(n), float(at)) for n, at in (line.split() for line in process.stdout.read().splitlines())]
    documents = Documents(Session(equipment), None)
    [(_, found)] = find_recoveries(documents.recovery_home)
    lost = [at for n, at in edits if n > int(found.setup.notes)]
    assert int(found.setup.notes) > 0
    assert all(killed - at < 2.0 for at in lost), f"{len(lost)} edits lost, the oldest {killed - min(lost):.1f} s old"


def test_what_a_crash_left_is_there_again_and_a_proper_end_leaves_nothing(app, qtbot, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch, SETUP)
    pick(w.gather, "Microphone")
    w.documents._keep()
    w.documents._pool.submit(lambda: None).result()
    left = recovery_file(w.documents.recovery_home, w.documents.who)
    setup = w.session.setup
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    body = left.read_text().replace(f'"pid":{os.getpid()}', f'"pid":{gone.pid}')
    (left.parent / f"{gone.pid}.recovery.json").write_text(body)
    w.close()
    assert not left.exists()
    again = new_window(data_home, monkeypatch)
    assert again.documents.recover()
    assert again.session.setup == setup
    assert again.session.path == SETUP
    assert again.session.unsaved
    assert "Brucke ended unexpectedly. “Nightboat hour” is as you left it" in again.notice.words.text()
    pause(0.1)
    again.close()
    wait(lambda: find_recoveries(left.parent) == [], 5)
    assert not list(left.parent.iterdir()), "a proper end leaves nothing"


def left_behind(w, path, setup, name="left"):
    """What a program that is gone left of a file."""
    gone = Who(pid=1, started=-1, boot=this_program().boot)
    left = Recovery(setup=replace(setup, name=name), knowledge=Knowledge(), path=str(path), folders=(), who=gone)
    write_recovery(w.documents.recovery_home, left)
    return recovery_file(w.documents.recovery_home, gone)


def test_starting_with_a_file_offers_what_a_crash_left_of_it_and_replaces_nothing_unasked(
    app, data_home, monkeypatch, tmp_path
):
    made = new_window(data_home, monkeypatch)
    mine = tmp_path / "mine.brucke.json"
    save(mine, Setup(name="saved"), Knowledge())
    left_behind(made, mine, Setup())
    made.close()
    w = new_window(data_home, monkeypatch, mine)
    assert w.session.setup.name == "saved"
    assert "edits of mine.brucke.json that were not saved" in w.notice.words.text()
    press(w.notice.offered)
    assert (w.session.setup.name, w.session.unsaved, w.session.path) == ("left", True, mine)
    w.close()
    wait(lambda: find_recoveries(w.documents.recovery_home) == [], 5)


def test_what_is_recovered_never_replaces_a_newer_save(app, data_home, monkeypatch, tmp_path):
    mine = tmp_path / "mine.brucke.json"
    w = new_window(data_home, monkeypatch)
    left = left_behind(w, mine, Setup())
    os.utime(left, (1_000_000_000, 1_000_000_000))
    save(mine, Setup(name="newer"), Knowledge())
    assert w.documents.recover()
    assert (w.session.setup.name, w.session.path) == ("left", None), "saving asks where"
    assert "was saved since then and stays as it is" in w.notice.words.text()
    assert load(mine)[0].name == "newer"
    w.close()


def test_keeping_aside_that_fails_is_said_once_and_leaves_no_litter(app, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch, SETUP)
    w.documents.home.mkdir(parents=True, exist_ok=True)
    (w.documents.home / "recovery").write_text("in the way")
    w.session.edit("a name", replace(w.session.setup, name="other"), "gather")
    wait(lambda: "could not be kept aside for a crash" in w.notice.words.text(), 5)
    (w.documents.home / "recovery").unlink()
    w.session.edit("a name", replace(w.session.setup, name="third"), "gather")
    wait(lambda: len(list((w.documents.home / "recovery").glob("*"))) == 1, 5)
    w.close()


def test_a_second_window_on_one_setup_says_so(app, data_home, monkeypatch, tmp_path):
    mine = tmp_path / "mine.brucke.json"
    save(mine, Setup(name="mine"), Knowledge())
    program = (
        "import sys; from pathlib import Path; from brucke.app.documents.open_documents import OpenDocuments; "
        "OpenDocuments(Path(sys.argv[1])).take(Path(sys.argv[2])); print(1, flush=True); sys.stdin.read()"
    )  # fmt: skip
    w = new_window(data_home, monkeypatch)
    other = subprocess.Popen(
        [sys.executable, "-c", program, str(w.documents.home / "windows"), str(mine)], stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )  # fmt: skip
    other.stdout.readline()
    w.open_file(mine)
    assert "open in another window too" in w.notice.words.text()
    w.close()
    other.kill()
    other.wait()
    again = new_window(data_home, monkeypatch)
    again.open_file(mine)
    assert "another window" not in again.notice.words.text(), "one that was killed holds nothing"
    again.close()


def test_a_slow_disk_holds_neither_the_window_nor_its_keys(window, tmp_path, monkeypatch):
    """Saving and exporting wait for a disk that takes two seconds; meanwhile the window answers, and nothing else is
    opened or written."""
    from brucke.app.documents import documents
    from brucke.app.session import session
    from brucke.core.storage import bundle

    w, while_it_waits = window, []

    def slowly(real):
        def work(*args):
            time.sleep(1.5)
            return real(*args)

        return work

    monkeypatch.setattr(session, "save", slowly(session.save))
    monkeypatch.setattr(documents, "export_bundle", slowly(bundle.export_bundle))

    def press_keys():
        key(w, Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
        other = w.document_dialogs.save_to(tmp_path / "other.brucke.json")
        while_it_waits.append((w.session.live.silent, w.document_dialogs.new(), other, w.document_dialogs.work.busy))

    for name, go in (
        ("Saving", lambda: w.document_dialogs.save_to(tmp_path / "hour.brucke.json")),
        ("Exporting", w.document_dialogs.export),
    ):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "hour.brucke.zip"), ""))
        QTimer.singleShot(600, press_keys)
        began = time.monotonic()
        go()
        assert time.monotonic() - began >= 1.4
        _, new, other, busy = while_it_waits[-1]
        assert (new, other, busy) == (False, False, name)
    assert [x[0] for x in while_it_waits] == [True, False], "the key was heard at once, both times"
    assert (tmp_path / "hour.brucke.json").exists()
    assert (tmp_path / "hour.brucke.zip").exists()
    assert not (tmp_path / "other.brucke.json").exists()
    assert not w.session.unsaved
