"""What is said is so, at once, on every page: who is heard, what plays nothing, what is unplugged, who is a listener
and no song."""

import subprocess

import pytest

from brucke.core.edits.route_edits import change_device
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save
from brucke.ports.devices.server.names import NOWHERE, taking

from ..desktop_server import setup_here, tone
from .conftest import new_window, pause, press, wait


@pytest.fixture
def heard(app, qtbot, desktop, data_home, monkeypatch, tmp_path):
    """A song from a program, a call whose microphone somebody has chosen, running, let hear."""
    setup = change_device(setup_here(), "browser", card=taking("Music Player"))
    save(tmp_path / "here.brucke.json", setup, Knowledge())
    w = new_window(data_home, monkeypatch, tmp_path / "here.brucke.json")
    w.running.start()
    wait(lambda: w.running.state == "running" and w.desktop.linked, 60)
    listening = desktop.run("parec", "--client-name=Caller", "-d", "brucke.lounge", stdout=subprocess.DEVNULL)
    wait(lambda: w.desktop.consumers.get("lounge"), 10)
    w.do("on_air")
    w.caller = listening
    yield w
    listening.kill()
    w.close()


def play(desktop, tmp_path, name, seconds=60):
    return desktop.run("paplay", f"--client-name={name}", str(tone(tmp_path / f"{name}.wav", 440.0, seconds)))


def findings(w):
    w.checking.renew()
    return {f.code for f in w.checking.findings}


def test_what_a_program_played_is_heard_no_longer_once_it_has_ended(heard, desktop, tmp_path):
    w = heard
    player = play(desktop, tmp_path, "Music Player")
    wait(lambda: w.audience.hears_text() == "Lounge call hears song, voice", 15)
    song = [p.id for p in w.session.setup.parts].index("song")
    wait(lambda: w.running.part_peaks[song].max() > 0.05, 10)
    player.kill()
    wait(lambda: w.audience.hears_text() == "Lounge call hears voice; Browser plays nothing", 10)
    assert w.running.part_peaks[song].max() < 1e-4
    assert "plays_nothing" in findings(w)
    assert "no_signal" not in findings(w), "no cable is to blame"
    again = play(desktop, tmp_path, "Music Player")
    wait(lambda: w.audience.hears_text() == "Lounge call hears song, voice", 10)
    assert "plays_nothing" not in findings(w)
    again.kill()


def test_headphones_that_go_are_named_everywhere_and_nothing_else_becomes_the_song(heard, desktop, tmp_path):
    w = heard
    w.go_to("share")
    for name in ("air", "box"):
        desktop.ask("pactl", "unload-module", desktop.modules[name])
    wait(lambda: w.audience.hears_text().startswith("box is not there: you hear nothing; "), 10)
    assert w.strip.cards["phones"].verdict == "box is not there"
    assert w.deck.spans["gather"].state == "1 not there"
    assert "end_out_gone" in findings(w)
    wait(lambda: desktop.ask("pactl", "get-default-sink").stdout.strip() == NOWHERE, 10)
    mail = play(desktop, tmp_path, "Mail")  # to whatever the desktop's default is
    song = [p.id for p in w.session.setup.parts].index("song")
    for _ in range(20):
        pause(0.1)
        assert w.running.part_peaks[song].max() < 1e-4, "a mail's sound never goes into a stream"
    mail.kill()
    desktop.furnish()
    wait(lambda: w.session.facts.ends_gone.get("table", ("", "")) == ("", ""), 10)
    assert "box is there again. Test the round trip again." in " ".join(w.notice.texts)
    assert not w.audience.hears_text().startswith("box")
    wait(lambda: NOWHERE not in desktop.names("sinks"), 10)


def test_who_listens_is_the_far_end_and_is_never_offered_as_the_song(heard, desktop, tmp_path):
    w = heard
    w.do("on_air")  # nobody hears you any more
    player = play(desktop, tmp_path, "Caller")
    w.go_to("gather")
    w.gather.show_page("here")
    row = lambda: w.gather.here.sounds.rows.get("Caller")  # noqa: E731
    wait(lambda: row() is not None, 10)
    assert row().button.text() == "That is them"
    listens = w.gather.here.listens.rows["lounge"]
    assert listens.state.text() == "they do not"
    assert listens.more.text().startswith("it would hear "), "nobody hears what is not let out"
    w.gather.show_page("ends")
    ends = w.gather.ends
    assert "Caller" not in [c.key for c in ends.song.choices]
    wait(lambda: [c.key for c in ends.call.choices][:2] == ["Brucke · Lounge call", "Caller"], 10)
    assert [c.button.text() for c in ends.call.choices][:2] == ["Copy the name", "That is them"]
    assert ends.call.choices[0].button.accessibleName().endswith("Copy the name"), "each button is called what it says"
    press(ends.call.choices[1].button)
    far_end = next(p for p in w.session.setup.parts if p.kind == "far_end")
    assert (far_end.returns_from, w.session.setup.device(far_end.device).card) == ("lounge", taking("Caller"))
    assert not any(r.on for r in w.session.setup.routes if (r.part, r.listener) == (far_end.id, "lounge"))
    player.kill()


def test_the_song_that_was_chosen_goes_on_in_the_loudspeakers_until_the_start(
    app, qtbot, desktop, data_home, monkeypatch, tmp_path
):
    """It fell silent as soon as it was chosen."""
    w = new_window(data_home, monkeypatch)
    start, ends = w.gather.start, w.gather.ends
    wait(lambda: start.where.isVisible(), 20)
    press(start.where.buttons["here"])
    press(start.templates["session"])
    player = play(desktop, tmp_path, "Music Player")
    wait(lambda: any(c.key == "Music Player" and c.isVisible() for c in ends.song.choices), 20)
    plays_to = lambda: desktop.ask("pactl", "list", "short", "sink-inputs").stdout.split("\t")[1]  # noqa: E731
    before = plays_to()
    press(next(c.button for c in ends.song.choices if c.key == "Music Player"))
    wait(lambda: any(d.card == taking("Music Player") for d in w.session.setup.devices), 10)
    for _ in range(20):
        pause(0.1)
        assert plays_to() == before
    w.running.start()
    wait(lambda: w.running.state == "running" and plays_to() != before, 60)
    player.kill()
    w.session.replace(type(w.session.setup)())
    w.close()


def test_who_records_the_microphone_itself_is_an_alarm_in_every_place(heard, desktop):
    w = heard
    assert "heard_past_us" not in findings(w)
    w.caller.kill()
    wait(lambda: not w.desktop.consumers["lounge"], 10)
    bare = desktop.run("parec", "--client-name=Other call", "-d", "room", stdout=subprocess.DEVNULL)
    wait(lambda: w.audience.hears_text().startswith("Other call hears room itself, past Brucke; "), 15)
    assert "heard_past_us" in findings(w)
    bare.kill()
    wait(lambda: "past Brucke" not in w.audience.hears_text(), 10)
    assert "heard_past_us" not in findings(w)


def test_without_a_track_nothing_is_said_of_one_however_long_it_runs(window):
    """“0:00 of 0:01” stood there, and what they would hear stood above “they do not”."""
    w = window
    w.documents.new("sing", here=True)
    for _ in range(5):
        w.strip.transport()
    assert w.strip.time.text() == ""
    assert not w.strip.time.isVisible()
    assert not w.strip.play.isVisible()
    w.go_to("gather")
    w.gather.show_page("ends")
    w.gather.refresh()
    said = [text for _role, text, _tone in w.gather.ends.theirs.lines]
    assert said[-1] == "not before you let them"
    w.session.replace(type(w.session.setup)())
