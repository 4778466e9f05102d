"""This computer in the window: chosen, taken over, opened, by hand."""

import subprocess
import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from brucke.core.document.setup_file import save
from brucke.core.edits.listener_edits import change_listener
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.engine.processes.region import Head
from brucke.ports.devices.server.names import SERVER, chosen_ends, taking

from ..desktop_server import Observer, setup_here, tone
from .conftest import key, measure, new_window, pause, press, wait


@pytest.fixture
def here(app, qtbot, desktop, data_home, monkeypatch, tmp_path):
    """A window on a setup of the private desktop, not running."""
    save(tmp_path / "here.brucke.json", setup_here(), Knowledge())
    w = new_window(data_home, monkeypatch, tmp_path / "here.brucke.json")
    yield w
    w.close()


@pytest.fixture
def at_the_microphone(here, desktop):
    """The same, running, with the headphones at the microphone of the desk."""
    here.running.start()
    wait(lambda: here.running.state == "running" and here.desktop.linked, 60)
    assert desktop.ask("pw-link", "box:monitor_FL", "room:input_FL").returncode == 0
    return here


def test_from_the_first_page_to_an_open_call(app, qtbot, desktop, data_home, monkeypatch):
    w = new_window(data_home, monkeypatch)
    start = w.gather.start
    wait(lambda: start.where.isVisible(), 20)
    press(start.where.buttons["here"])
    press(start.templates["sing"])
    assert {d.kind for d in w.session.setup.devices if d.card == SERVER} == {"interface", "call"}
    wait(lambda: "brucke.call" in desktop.names("sources"), 10)
    w.do("start_stop")
    wait(lambda: w.running.state == "running", 60)
    listening = desktop.run("parec", "-d", "brucke.call", stdout=subprocess.DEVNULL)
    wait(lambda: w.strip.hears_text() == "Call is closed, parec has chosen it", 10)
    key(w, Qt.Key.Key_F9)
    wait(lambda: w.strip.hears_text().startswith("Call hears"), 5)
    w.strip.choose("call")
    key(w, Qt.Key.Key_F9, Qt.KeyboardModifier.ShiftModifier)
    assert w.strip.hears_text() == "Call is closed, parec has chosen it", "one can be kept closed on air"
    listening.kill()
    wait(lambda: "nobody has chosen it yet" in w.strip.hears_text(), 5)
    w.close()
    assert "brucke.call" not in desktop.names("sources")


def test_a_stand_in_becomes_this_computer_and_a_program_is_taken_over(here, desktop, tmp_path):
    w, setup = here, here.session.setup
    w.do("gather")
    w.gather.choose("device/browser")
    card = w.gather.device
    press(card.cards.buttons[""])
    assert w.session.setup.device("browser").card == ""
    press(card.look)
    wait(lambda: SERVER in card.cards.buttons, 20)
    press(card.cards.buttons[SERVER])
    player = desktop.run("paplay", str(tone(tmp_path / "song.wav", 440.0, 30)))
    w.running.start()
    wait(lambda: w.running.state == "running", 60)
    wait(lambda: "paplay" in card.programs.buttons, 10)
    link = w.running.link
    press(card.programs.buttons["paplay"])
    assert w.session.setup.device("browser").card == taking("paplay")
    song = [p.id for p in setup.parts].index("song")
    wait(lambda: w.running.part_peaks[song].max() > 0.1, 10)
    assert w.running.link is link, "who is taken over is no reason to start anew"
    w.do("undo")
    wait(lambda: w.running.part_peaks[song].max() < 0.01, 10)
    w.gather.choose("device/table")
    wait(lambda: "room" in card.source.buttons, 5)
    assert not card.to_choose.isVisible(), "nobody listens at an interface by choosing it"
    press(card.sink.buttons["air"])
    assert chosen_ends(w.session.setup.device("table")) == ("", "air")
    wait(lambda: "air:playback_FL\n  |<- brucke.engine:out 1 1" in desktop.ask("pw-link", "-l").stdout, 5)
    assert "box:playback_FL\n  |<- brucke.engine" not in desktop.ask("pw-link", "-l").stdout
    assert w.running.link is link
    desktop.ask("pactl", "unload-module", desktop.modules["air"])
    wait(lambda: w.notice.words.text() == "air is not there. It is silent and joins by itself.", 5)
    w.gather.choose("device/call")
    press(w.gather.device.copy)
    assert QApplication.clipboard().text() == "Brucke · Lounge call"
    player.kill()
    pause(0.2)


def test_a_call_program_on_the_bare_microphone_is_named_and_moved_with_one_press(here, desktop):
    w = here
    w.do("gather")
    card = w.gather.mistake
    listening = desktop.run("parec", "-d", "room", stdout=subprocess.DEVNULL)
    wait(card.isVisible, 20)
    assert card.what.text() == "parec records room itself, not Brucke."
    pause(0.5)
    assert card.isVisible(), "nothing is moved by itself"
    press(card.button)
    wait(lambda: not card.isVisible(), 5)
    wait(lambda: w.desktop.ears["lounge"] and w.desktop.ears["lounge"][0].program == "parec", 5)
    listening.kill()


def test_another_buffer_that_somebody_asks_for_is_shown_and_wants_confirming(at_the_microphone, desktop):
    """The desktop's own settings force 1024 frames, eight blocks at a time, and back."""
    w = at_the_microphone
    measure(w)
    assert w.session.timing.of("lounge").route("voice").measured
    desktop.ask("pw-metadata", "-n", "settings", "0", "clock.force-quantum", "1024")
    wait(lambda: w.running.cycle == 1024, 5)
    wait(lambda: w.session.timing.of("lounge").route("voice").as_of, 2)  # as measured, until it is confirmed
    w.overview.show_facts()
    assert "this computer: 1024" in str(w.deck.facts_lines())
    assert pace(w) == pytest.approx(1.0, abs=0.1), "the sound goes on"
    desktop.ask("pw-metadata", "-n", "settings", "0", "clock.force-quantum", "0")
    wait(lambda: w.running.cycle == 0, 5)


def test_who_had_chosen_a_microphone_has_it_again_when_it_is_made_anew_or_brucke_returns(
    here, desktop, data_home, monkeypatch, tmp_path
):
    w = here
    wait(lambda: "brucke.lounge" in desktop.names("sources"), 10)
    listening = desktop.run("parec", "-d", "brucke.lounge", stdout=subprocess.DEVNULL)
    wait(lambda: w.desktop.ears.get("lounge"), 10)
    w.session.edit("another name", change_listener(w.session.setup, "lounge", name="Night call"), "share")
    pause(1.0)
    wait(lambda: w.desktop.ears.get("lounge"), 5)
    assert w.desktop.mistakes == (), "not left on the bare microphone"
    w.close()
    pause(0.5)
    again = new_window(data_home, monkeypatch, tmp_path / "here.brucke.json")
    wait(lambda: again.desktop.ears.get("lounge"), 10)
    listening.kill()
    again.close()


def test_measured_and_aligned_voice_and_song_leave_in_one_frame(at_the_microphone, desktop):
    """The main job on a desktop, held against an observer that knows nothing of us. The headphones lie at the microphone, and
    whoever sings sings the very moment it is heard: the voice is what the headphones give."""
    w = at_the_microphone
    measure(w)
    round_trip = measured_frames(w)
    key(w, Qt.Key.Key_F9)
    ends = (["brucke.in.browser:playback_FL"], ["brucke.lounge:capture_FL", "box:monitor_FL"])
    before = Observer(desktop, *ends)
    assert list(before.lags("box:monitor_FL")) == [0], "what we make is in the same cycle"
    found = before.lags("brucke.lounge:capture_FL")
    assert list(found) == [0, round_trip], "the song at once, the voice a round trip later"
    w.go_to("align")
    w.align.everywhere()
    assert w.session.setup.route("song", "lounge").delay_ms == pytest.approx(round_trip / 48, abs=0.02)
    pause(0.3)
    after = Observer(desktop, *ends).lags("brucke.lounge:capture_FL")
    assert list(after) == [round_trip], "in one frame"
    assert after[round_trip] == pytest.approx(sum(found.values()), abs=0.05)
    w.close()


def measured_frames(w):
    found = w.session.knowledge.newest(ROUND_TRIP.key("table"))
    frames = found.value_s * 48000
    assert frames == pytest.approx(round(frames), abs=0.02)
    return round(frames)


def pace(w):
    """Seconds of sound a second."""
    pause(0.5)  # until the server has found its pace
    began, frames = time.monotonic(), w.running.link.get(Head.FRAMES)
    pause(1.5)
    return (w.running.link.get(Head.FRAMES) - frames) / 48000 / (time.monotonic() - began)
