"""Programs of this computer in the window: what sounds becomes a part, and usual mistakes are named."""

import subprocess

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from brucke.engine.processes.region import Head
from brucke.ports.devices.server.names import SERVER, chosen_ends, taking

from ..desktop_server import programs, tone
from .conftest import key, pause, press, wait


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
    wait(lambda: w.desktop.consumers["lounge"] and w.desktop.consumers["lounge"][0].program == "parec", 5)
    listening.kill()


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
    assert row.state.text() == "they do not"
    assert row.more.text() == "it would hear Song, Voice, Messages"
    key(w, Qt.Key.Key_F9)
    assert (row.state.text(), row.more.text()) == ("they hear you", "it hears Song, Voice, Messages")
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
