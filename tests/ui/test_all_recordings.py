"""Every recording is found by its words, shown, noted, called a favourite and doubled; nothing is lost where the disk
takes nothing."""

import numpy as np
import pytest
import soundfile as sf

from brucke.app.recording import take_list
from brucke.app.recording.take_folders import takes_folder
from brucke.takes.take import Take, load_take, save_take
from brucke.ui.places.review.recordings_dialog import RecordingsDialog

from .conftest import press, wait

RATE, COUNT = 48000, 9


@pytest.fixture
def dialog(window):
    """Nine recordings: more than there are chips for."""
    home = takes_folder(window.session)
    for i in range(COUNT):
        folder = home / (f"2026-11-2{i} 19.00.00" if i != 3 else "The lantern song")
        (folder / "parts").mkdir(parents=True)
        sf.write(folder / "parts" / "voice.wav", np.zeros((65 * RATE, 1), np.float32), RATE)
        save_take(
            folder,
            Take(date=f"2026-11-2{i}T19:00:00", setup=window.session.setup, parts={"voice": "parts/voice.wav"}),
        )
    window.taking.find()
    window.go_to("review")
    press(window.review.all)
    return next(d for d in window.findChildren(RecordingsDialog) if d.isVisible())


def column(dialog, number):
    return [row[number] for row in dialog.table.rows.rows]


def test_one_that_has_no_chip_is_found_shown_and_noted(window, dialog):
    taking = window.taking
    assert len(column(dialog, 0)) == COUNT
    assert taking.chosen == COUNT - 1
    wait(lambda: all(column(dialog, 1)), 30)
    assert set(column(dialog, 1)) == {"1:05"}
    assert set(column(dialog, 3)) == {"6 MB"}
    dialog.field.setText("lantern")
    assert column(dialog, 0) == ["The lantern song"]
    folder = dialog.chosen
    dialog.notes.setText("The one for Anna")
    dialog.notes.entered.emit("The one for Anna")
    press(dialog.favourite)
    assert (load_take(folder).notes, load_take(folder).favourite) == ("The one for Anna", True)
    dialog.field.setText("anna favourite")
    assert column(dialog, 0) == ["The lantern song"]
    dialog.field.setText("nowhere")
    assert column(dialog, 0) == []
    assert dialog.none.text() == "No recording has these words."
    assert not dialog.show_it.isEnabled()
    dialog.field.setText("lantern")
    press(dialog.show_it)
    assert not window.findChildren(RecordingsDialog)
    assert taking.takes[taking.chosen][0] == folder
    assert taking.take.notes == "The one for Anna"


def test_one_is_doubled_whole_and_a_disk_that_takes_nothing_changes_nothing(window, dialog, monkeypatch):
    dialog.field.setText("lantern")
    folder = dialog.chosen
    press(dialog.double)
    wait(lambda: len(window.taking.takes) == COUNT + 1, 30)
    copy = folder.with_name("The lantern song copy")
    assert (copy / "parts" / "voice.wav").stat().st_size == (folder / "parts" / "voice.wav").stat().st_size
    assert load_take(copy) == load_take(folder)
    assert not list(folder.parent.glob(".*"))

    def full(*_given):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(take_list, "save_take", full)
    press(dialog.favourite)
    assert not load_take(dialog.chosen).favourite
    assert any("Not noted: No space left on device" in text for text in window.notice.texts)
    monkeypatch.setattr("shutil.copytree", full)
    press(dialog.double)
    assert len(window.taking.takes) == COUNT + 1
    assert not list(folder.parent.glob(".*"))
