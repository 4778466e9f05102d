"""Gather in the real window: parts of every kind, their levels and channels, backing tracks, and equipment."""

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt

from brucke.core.edits import part_edits
from brucke.core.edits.route_edits import change_device
from brucke.demo import FOLDER
from brucke.engine.processes.region import Head
from brucke.ui.places.gather.rows import QUIET_DB, TAPPED_DB
from brucke.words.documents import SOURCE_WORDS

from .conftest import drag, key, measure, part, pause, pick, press, type_in, wait


def test_a_part_of_every_kind_is_added_named_and_undone(window, gather):
    w = window
    for source, (name, _) in SOURCE_WORDS.items():
        before = w.session.setup
        pick(gather, name)
        new = next(p for p in w.session.setup.parts if p not in before.parts)
        assert new.source == source
        assert gather.part == new.id, "the new one is chosen"
        type_in(w, f"My {source}")  # its name waits to be typed over
        key(w, Qt.Key.Key_Return)
        assert part(w, new.id).name == f"My {source}"
        assert gather.title.text() == f"My {source}"
        w.do("undo")
        w.do("undo")
        assert w.session.setup == before


def test_name_colour_order_another_one_none(window, gather):
    w = window
    itself = gather.itself
    gather.choose("part/voice")
    press(itself.colours.buttons["6"])
    assert part(w, "voice").colour == 6
    assert gather.title.tone == "part:6"
    ids = [p.id for p in w.session.setup.parts]
    press(itself.up)
    assert [p.id for p in w.session.setup.parts][:2] == ["voice", ids[0]]
    gather.parts.focus_row()
    key(w, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [p.id for p in w.session.setup.parts] == ids, "Alt and arrow move it"
    key(w, Qt.Key.Key_Down)
    assert gather.part == ids[2], "the arrow alone chooses the next"
    row = gather.parts.buttons[1]
    drag(row, QPoint(40, 10), QPoint(40, 10 + row.height() + 5))
    assert [p.id for p in w.session.setup.parts][1:3] == [ids[2], "voice"]
    gather.choose("part/voice")
    press(itself.double)
    assert gather.part == "voice_2"
    assert part(w, "voice_2").channels != part(w, "voice").channels, "a microphone takes the next free input"
    press(itself.away)
    assert "voice_2" not in [p.id for p in w.session.setup.parts]
    assert gather.part == "picture", "what stood below it"
    gather.choose("part/voice")
    itself.name.setFocus()
    itself.name.selectAll()
    type_in(w, "   ")
    key(w, Qt.Key.Key_Return)
    assert part(w, "voice").name == "Voice", "no part without a name"
    itself.name.insert("Änne 声 \U0001f3bb")
    key(w, Qt.Key.Key_Escape)
    assert itself.name.text() == "Voice"
    itself.name.clear()
    itself.name.insert("Änne 声 \U0001f3bb")
    key(w, Qt.Key.Key_Return)
    assert gather.title.text() == part(w, "voice").name == "Änne 声 \U0001f3bb"


@pytest.mark.parametrize(
    ("mode", "channels"),
    [("stereo", (0, 1)), ("swapped", (1, 0)), ("left to both", (0, 0)), ("right to both", (1, 1)), ("mono", (0,))],
)
def test_channels_polarity_and_which_input(window, gather, mode, channels):
    w = window
    gather.choose("part/voice")
    press(gather.channels.modes.buttons["stereo" if mode == "mono" else "mono"])
    press(gather.channels.modes.buttons[mode])
    assert part(w, "voice").channels == channels
    assert gather.channels.modes.buttons[mode].isChecked()
    press(gather.channels.polarity)
    press(gather.channels.quiet)
    assert part(w, "voice").inverted
    assert part(w, "voice").quiet
    gather.channels.first.setFocus()
    key(w, Qt.Key.Key_Up)
    assert min(part(w, "voice").channels) == min(channels) + 1


def test_who_plays_along_with_whom(window, gather):
    w = window
    gather.choose("part/cello")
    press(gather.along.leads.buttons[""])
    assert (part(w, "cello").kind, part(w, "cello").follows) == ("lead", "")
    assert not gather.along.places.isVisible()
    press(gather.along.leads.buttons["harp"])
    assert (part(w, "cello").kind, part(w, "cello").follows) == ("follower", "harp")
    press(gather.along.places.buttons["room"])
    assert part(w, "cello").hears_at == "room"
    press(gather.along.places.buttons["headphones"])
    press(gather.along.itself)
    assert part(w, "cello").hears_itself == "monitor"
    gather.choose("part/picture")
    press(gather.along.leads.buttons["cello"])
    assert part(w, "picture").shows == "cello"
    assert not gather.level.isVisible(), "a picture has no level"


def test_trim_is_typed_or_nudged_and_one_undo_takes_back_a_row_of_nudges(window, gather):
    w = window
    gather.choose("part/voice")
    trim = gather.level.trim
    trim.setFocus()
    trim.selectAll()
    type_in(w, "-4.5")
    key(w, Qt.Key.Key_Return)
    assert part(w, "voice").trim_db == -4.5
    pause(0.7)
    for _ in range(3):
        key(w, Qt.Key.Key_Up)
    key(w, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert part(w, "voice").trim_db == pytest.approx(-1.6)
    w.do("undo")
    assert part(w, "voice").trim_db == -4.5
    trim.selectAll()
    type_in(w, "99")
    key(w, Qt.Key.Key_Return)
    assert part(w, "voice").trim_db <= 40, "never out of range"


def test_tap_the_microphone_and_its_row_lights(gather):
    gather.go_to("part/harp")
    for _ in range(30):
        gather.parts.feed("voice", np.zeros(2, np.float32), 10 ** ((QUIET_DB - 20) / 20))
    assert not gather.parts.tapped.get("voice")
    gather.parts.feed("voice", np.full(2, 0.1, np.float32), 10 ** ((TAPPED_DB + 6) / 20))
    assert gather.parts.tapped["voice"]
    before = gather.parts.grab().toImage()
    for _ in range(60):
        gather.parts.feed("voice", np.full(2, 0.1, np.float32), 10 ** ((TAPPED_DB + 6) / 20))
    assert not gather.parts.tapped["voice"], "one that goes on sounding is no tap"
    row = gather.parts.buttons[1].geometry()
    assert before.copy(row) != gather.parts.grab().toImage().copy(row)


# Equipment


def test_two_rates_are_drawn_and_mended_with_one_action(window, gather):
    w = window
    w.session.edit("rate", change_device(w.session.setup, "player", rate_hz=44100), "gather")
    assert gather.verdict.text() == "Two rates. Backing player has to give way."
    assert gather.verdict.tone == "coral"
    w.do("start_stop")
    assert "Backing player runs at 44100 Hz and the setup at 48000 Hz" in w.notice.words.text()
    assert w.running.state == "stopped"
    press(gather.mend)
    assert gather.verdict.text() == "Everything agrees."
    assert not gather.mend.isVisible()


def test_everything_of_a_device_is_one_click_and_its_cost_is_there_at_once(window, gather):
    w = window
    gather.choose("device/table")
    card = gather.device
    row = next(d for d in gather.equipment.data.devices if d.device == "table")
    assert (row.buffer, row.cost) == ("128 × 2", "5.3 ms")
    press(card.frames.buttons["512"])
    row = next(d for d in gather.equipment.data.devices if d.device == "table")
    assert (row.buffer, row.cost) == ("512 × 2", "21.3 ms")
    press(card.count.buttons["3"])
    press(card.rates.buttons["96000"])
    press(card.bits.buttons["16"])
    press(card.wireless)
    press(card.direct)
    d = w.session.setup.device("table")
    assert (d.buffer_frames, d.buffers, d.rate_hz, d.bits, d.wireless, d.direct_monitoring) == (
        512, 3, 96000, 16, True, True,
    )  # fmt: skip
    press(card.leads)
    assert w.session.setup.device("table").sets_clock, "the clock is never taken away, only given to another"
    for _ in range(6):
        w.do("undo")
    assert w.session.setup.device("table") == replace(d, buffer_frames=128, buffers=2, rate_hz=48000, bits=24,
        wireless=False, direct_monitoring=False)  # fmt: skip


def test_unplugged_it_is_silent_and_marked_and_joins_again_by_itself(live):
    w = live
    w.do("gather")
    measure(w)
    assert w.session.timing.of("recorder").route("voice").measured
    w.gather.choose("device/table")
    wait(lambda: w.running.inputs.peaks.get("voice", 0) > 1e-3, 30)
    press(w.gather.device.unplug)
    wait(lambda: "table" in w.session.facts.missing, 5)
    assert "Table interface is not there. It is silent and joins by itself." in w.notice.words.text()
    rows = {r.part: r.note for r in w.gather.parts.data.parts}
    assert (rows["voice"], rows["harp"]) == ("not there", "")
    assert w.deck.spans["gather"].state == "1 not there"
    assert any(f.code == "device_missing" for f in fresh(w).findings)
    wait(lambda: w.running.inputs.peaks["voice"] < 1e-4, 5)
    assert w.running.state == "running", "everything else goes on"
    press(w.gather.device.unplug)
    wait(lambda: not w.session.facts.missing, 5)
    assert "is back" in w.notice.words.text()
    assert w.session.timing.of("recorder").route("voice").as_of, "its clock started anew: as measured before"
    wait(lambda: w.running.inputs.peaks["voice"] > 1e-3, 30)


def fresh(w):
    w.checking.renew()
    return w.checking


def test_on_air_a_part_comes_and_goes_and_what_would_start_anew_is_not_done(live):
    w = live
    w.do("gather")
    w.do("on_air")
    started = w.running.link.get(Head.GENERATION)
    pick(w.gather, "Microphone")
    parts = len(w.session.setup.parts)
    assert parts == 6, "the others go on"
    before = w.session.setup
    w.gather.choose("device/table")
    press(w.gather.device.frames.buttons["512"])
    assert "While they hear you, nothing is started anew, which this needs; not done: " in w.notice.words.text()
    assert w.session.setup == before
    w.do("undo")
    assert len(w.session.setup.parts) == parts - 1
    pause(0.5)
    assert w.running.state == "running"
    assert w.running.link.get(Head.GENERATION) == started
    w.gather.choose("part/voice")
    w.gather.level.trim.setValue(-3.0)
    assert part(w, "voice").trim_db == -3.0, "levels may change"


# Levels that are heard


@pytest.fixture
def hot(window, tmp_path):
    """The hour with a voice that comes in far too loud."""
    w = window
    for name in ("harp.flac", "cello.flac", "lounge.flac"):
        (tmp_path / name).symlink_to(FOLDER / name)
    sound, rate = sf.read(FOLDER / "voice.flac")
    sf.write(tmp_path / "voice.flac", np.clip(30 * sound, -1, 1), rate)
    w.session.save_as(tmp_path / "hot.brucke.json")
    w.running.start(play=True)
    w.do("gather")
    wait(lambda: w.running.state == "running", 60)
    return w


def test_a_clipped_input_is_counted_and_no_trim_mends_it(hot):
    w, gather = hot, hot.gather
    gather.choose("part/voice")
    wait(lambda: w.running.inputs.clips.get("voice", 0) > 0, 60)
    pause(0.1)
    assert "Turn its own knob down; a trim cannot mend that." in gather.level.hint.text()
    assert next(r for r in gather.parts.data.parts if r.part == "voice").note.startswith("clipped ")
    gather.level.trim.setValue(-20)
    before = w.running.inputs.clips["voice"]
    wait(lambda: w.running.inputs.clips["voice"] > before, 60)
    wait(lambda: gather.level.input.text().startswith("input 0.0 dB"), 60)  # the raw input stands beside the trim
    press(gather.level.anew)
    assert w.running.inputs.clips["voice"] < before


def test_alone_in_the_headphones_and_everybody_else_hears_what_they_heard(live):
    w = live
    w.do("gather")
    wait(lambda: w.running.inputs.peaks.get("cello", 0) > 1e-3, 30)
    w.gather.choose("part/lounge")
    press(w.gather.level.alone)
    assert w.session.live.alone == "lounge"
    pause(1.5)
    heard = np.zeros(4)
    for _ in range(40):
        pause(0.02)
        heard = np.maximum(heard, w.running.out_peaks.max(axis=1))
    order = [x.id for x in w.session.setup.listeners]
    lounge = w.running.part_peaks[[p.id for p in w.session.setup.parts].index("lounge")].max()
    assert heard[order.index("headphones")] <= max(lounge * 1.5, 1e-3), "the music is gone from the headphones"
    assert heard[order.index("shore_stream")] > 1e-2
    key(w, Qt.Key.Key_L)
    assert w.session.live.alone == ""
    assert not w.session.unsaved, "listening changes nothing in the document"


def test_sixty_four_parts_are_the_most(window, gather):
    w = window
    setup = w.session.setup
    while len(setup.parts) < 64:
        setup = part_edits.add_part(setup, "microphone", "Singer", "Interface")
    w.session.edit("choir", setup, "gather")
    assert len(gather.parts.buttons) == 64
    pick(gather, "Microphone")
    assert "64 parts are the most." in w.notice.words.text()
    assert len(w.session.setup.parts) == 64
