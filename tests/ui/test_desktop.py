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
from ..stolen import stolen_s
from .conftest import exact, key, measure, new_window, pause, press, wait


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
    with exact():
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
    with exact():
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
        assert after[round_trip] == pytest.approx(sum(found.values()), rel=0.1), (
            "both are in it, but for blocks that were lost"
        )
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


def programs(desktop, tmp_path, *names):
    file = str(tone(tmp_path / "song.wav", 440.0, 60))
    return [desktop.run("paplay", f"--client-name={n}", file) for n in names]


def test_this_computer_shows_what_sounds_and_one_press_makes_it_a_part_without_a_gap(here, desktop, tmp_path):
    """And also directly: the program stays at the loudspeakers, and we get a copy."""
    w, page = here, here.gather.here
    w.do("gather")
    w.running.start()
    wait(lambda: w.running.state == "running", 60)
    playing = programs(desktop, tmp_path, "Web browser", "Messages")
    listening = desktop.run("parec", "--client-name=Call program", "-d", "brucke.lounge", stdout=subprocess.DEVNULL)
    wait(lambda: w.desktop.mistakes and w.desktop.mistakes[0].code == "straight", 10)
    press(w.gather.page.buttons["here"])
    wait(lambda: set(page.sounds.rows) == {"Web browser", "Messages"}, 10)
    assert page.sounds.rows["Web browser"].what.text() == "is no part"
    wait(lambda: max(w.desktop.programs.traces.get("Messages", [0])) > 0.1, 10)
    started = w.running.link.get(Head.GENERATION)
    press(page.sounds.rows["Web browser"].button)
    assert page.sounds.rows["Web browser"].what.text() == "is Song", "what waited for a program has one"
    press(page.sounds.rows["Messages"].button)
    messages = w.session.setup.parts[-1]
    assert (messages.name, messages.source) == ("Messages", "program")
    order = [p.id for p in w.session.setup.parts]
    wait(lambda: w.running.part_peaks[order.index(messages.id)].max() > 0.1, 10)
    wait(lambda: w.running.part_peaks[order.index("song")].max() > 0.1, 10)
    assert w.running.link.get(Head.GENERATION) == started, "nothing was started anew"
    links = desktop.ask("pw-link", "-l").stdout
    assert "box:playback_FL\n  |<- brucke.engine" in links
    assert "|<- Messages" not in links.split("box:playback_FL")[1].split("box:")[0], "heard through us only"
    press(page.how.how.buttons["direct"])
    wait(lambda: straight_to_the_box(desktop, "Messages"), 10)
    wait(lambda: w.running.part_peaks[order.index(messages.id)].max() > 0.1, 10)
    w.do("undo")
    wait(lambda: not straight_to_the_box(desktop, "Messages"), 10)
    row = page.listens.rows["lounge"]
    wait(lambda: row.what.text() == "Call program has chosen it", 10)
    assert row.state.text() == "closed"
    assert row.more.text() == "it hears Song, Voice, Messages"
    key(w, Qt.Key.Key_F9)
    assert row.state.text() == "open"
    for one in (*playing, listening):
        one.kill()


def straight_to_the_box(desktop, program):
    box = desktop.ask("pw-link", "-l", "-i").stdout.split("box:playback_FL")[1].split("\nbox:")[0]
    return program in box


def test_what_a_mixer_or_a_program_does_to_our_microphone_is_named_at_once(here, desktop):
    w = here
    w.do("gather")
    card = w.gather.mistake
    wait(lambda: "brucke.lounge" in desktop.names("sources"), 10)
    desktop.ask("pactl", "set-source-mute", "brucke.lounge", "1")
    wait(lambda: card.isVisible() and "muted in the desktop's mixer" in card.what.text(), 10)
    press(card.button)
    wait(lambda: not card.isVisible(), 10)
    assert "Mute: no" in desktop.ask("pactl", "list", "sources").stdout.split("brucke.lounge")[1].split("Source #")[0]
    desktop.ask("pactl", "set-source-volume", "brucke.lounge", "50%")
    wait(lambda: card.isVisible() and "turns Lounge call's microphone down" in card.what.text(), 10)
    press(card.button)
    wait(lambda: not card.isVisible(), 10)
    wish = ("--client-name=Call program", "--property=filter.want=echo-cancel", "-d", "brucke.lounge")
    listening = desktop.run("parec", *wish, stdout=subprocess.DEVNULL)
    wait(lambda: card.what.text() == "Call program asks the desktop to remove echo from Lounge call.", 10)
    assert "a wish, no proof" in card.why.text()
    assert not card.button.isVisible(), "only that program can stop asking"
    listening.kill()


def test_a_server_that_ends_five_times_in_a_take_is_back_each_time_and_the_take_says_so(here, desktop):
    w = here
    w.running.start()
    wait(lambda: w.running.state == "running" and w.desktop.linked, 60)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 10)
    for _ in range(5):
        pause(0.7)
        desktop.stop()
        wait(lambda: "browser" in w.session.facts.missing, 10)
        assert w.strip.hears_text().endswith("Lounge call hears nothing: the sound server is gone")
        desktop.start()
        began, stolen = time.monotonic(), stolen_s()
        wait(lambda: not w.session.facts.missing and w.desktop.state == "up" and w.desktop.linked, 10)
        assert time.monotonic() - began < 2.0 + (stolen_s() - stolen), "in time the machine did not steal"
    pause(0.5)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.state == "idle", 20)
    _folder, take = w.taking.takes[-1]
    said = [m for m in take.missing if m.startswith("Browser was not there")]
    assert len(said) == 5, take.missing
