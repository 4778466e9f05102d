"""Backing tracks in the real window: from anywhere, looped, sought, counted in; and files that are none."""

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog

from .conftest import drag, key, part, pick, press, wait


@pytest.fixture
def songs(tmp_path, rng):
    """Files of every kind, elsewhere on the disk."""
    folder = tmp_path / "songs"
    folder.mkdir()
    n = 20 * 44100
    sound = (0.2 * np.sin(np.arange(n) * 0.05) * (np.arange(n) > n // 2)).astype(np.float32)
    for name in ("one.wav", "two.flac", "three.ogg", "four.mp3"):
        with sf.SoundFile(folder / name, "w", 44100, 1) as f:
            for i in range(0, n, 4096):
                f.write(sound[i : i + 4096])
    (folder / "poem.wav").write_text("once upon a time")
    return folder


def test_backing_tracks_from_anywhere_with_loop_level_and_seeking(window, gather, songs, monkeypatch, tmp_path):
    w, card = window, gather.tracks
    pick(gather, "Backing track")
    id = gather.part
    files = [str(songs / n) for n in ("one.wav", "two.flac", "three.ogg", "four.mp3")]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: (files, ""))
    press(card.add)
    assert [t.file for t in part(w, id).tracks] == ["one.wav", "two.flac", "three.ogg", "four.mp3"]
    assert [card.list.item(i).text() for i in range(4)] == ["one.wav", "two.flac", "three.ogg", "four.mp3"]
    wait(lambda: card.waveform.outline.done, 20)
    card.tick()
    assert max(card.waveform.outline.peaks) == pytest.approx(0.2, abs=0.01), "one channel keeps its level on both"
    peaks = np.array(card.waveform.outline.peaks)
    assert card.waveform.seconds == pytest.approx(20, abs=0.2)
    assert peaks[: len(peaks) // 2 - 2].max() < 0.01 < 0.15 < peaks[len(peaks) // 2 + 2 :].min(), (
        "it looks as it sounds"
    )
    card.list.setCurrentRow(2)
    assert part(w, id).track == 2
    wait(lambda: card.waveform.outline.done, 20)
    card.tick()
    wide = card.waveform.width()
    drag(card.waveform, QPoint(1, 4), QPoint(wide // 4, 4))
    drag(card.waveform, QPoint(wide - 1, 4), QPoint(wide // 2, 4))
    track = part(w, id).tracks[2]
    assert track.loop_from_s == pytest.approx(5, abs=0.3)
    assert track.loop_to_s == pytest.approx(10, abs=0.3)
    card.end.setValue(2.0)
    assert part(w, id).tracks[2].loop_to_s > part(w, id).tracks[2].loop_from_s, "a loop never ends before it begins"
    card.level.setValue(-7)
    assert part(w, id).tracks[2].gain_db == -7
    press(card.away)
    assert [t.file for t in part(w, id).tracks] == ["one.wav", "two.flac", "four.mp3"]
    w.session.save_as(tmp_path / "saved" / "hour.brucke.json")
    for t in part(w, id).tracks:
        assert sf.info(tmp_path / "saved" / t.file).frames > 0, "saving brings them beside the setup"


def test_what_is_no_sound_is_one_sentence_and_the_good_ones_come_in(window, gather, songs):
    w = window
    gather.take_files([songs / "poem.wav", songs / "one.wav", songs / "gone.mp3"])
    new = gather.part
    assert "Not added. poem.wav: the file: not a sound or video file that can be read." in w.notice.words.text()
    assert [t.file for t in part(w, new).tracks][-1:] == ["one.wav"]


@pytest.mark.live
def test_the_track_plays_from_where_it_is_clicked_and_counts_in_first(window, gather, songs):
    w, card = window, gather.tracks
    gather.choose("part/harp")
    gather.take_files([songs / "two.flac"])
    pick(gather, "Count-in")
    key(w, Qt.Key.Key_Return)
    gather.count_in.beats.setValue(4)
    gather.count_in.tempo.setValue(240)
    counting = w.session.setup.route("count_in", "headphones")
    assert counting.on
    assert not any(r.on for r in w.session.setup.routes if r.part == "count_in" and r.listener != "headphones")
    w.running.start(play=True)
    wait(lambda: w.running.state == "running", 60)
    order = [p.id for p in w.session.setup.parts]
    wait(lambda: w.running.part_peaks[order.index("count_in")].max() > 0.05, 20)
    wait(lambda: w.running.track[0] > 0.2, 20)
    track = next(p for p in w.session.setup.parts if p.source == "track")
    gather.choose(f"part/{track.id}")
    wait(lambda: card.waveform.outline is not None and card.waveform.outline.done, 20)
    card.tick()
    at = QPoint(card.waveform.width() * 3 // 4, card.waveform.height() // 2)
    drag(card.waveform, at, at)
    wait(lambda: 14.5 < w.running.track[0] < 17, 5)
    wait(lambda: w.running.part_peaks[order.index(track.id)].max() > 0.05, 10)
    card.waveform.setFocus()
    key(w, Qt.Key.Key_Left)
    wait(lambda: 9 < w.running.track[0] < 12.5, 5)
