"""Talking pauses the song: a track of ours, and what a program plays, by the desktop's own media control; what cannot
be paused is said."""

import pytest
from msgspec.structs import replace

from brucke.app.presence.song_pause import SongPause, is_player_of
from brucke.app.session.session import Session
from brucke.app.sound_server.stream_capture import with_song
from brucke.core.edits.route_edits import change_device, put_on_this_computer
from brucke.core.storage.templates import TEMPLATES
from brucke.home.bus import Bus
from brucke.ports.devices.server.names import taking
from brucke.rehearse import equipment

from ..ui.conftest import key, live, pause, wait, window  # noqa: F401  # noqa: F401
from .test_at_home import bus  # noqa: F401


class Runs:
    """An engine that only says so."""

    state, playing = "running", False


def test_who_is_meant_on_the_bus():
    assert is_player_of("Harbour Songs", "harbour songs", "org.mpris.MediaPlayer2.x")
    assert is_player_of("harbour", "Anything", "org.mpris.MediaPlayer2.harbour.instance12")
    assert not is_player_of("Mail", "Harbour Songs", "org.mpris.MediaPlayer2.harbour")
    assert not is_player_of("", "", "org.mpris.MediaPlayer2.")


@pytest.fixture
def talking(bus, data_home, app):  # noqa: F811
    """A song from a program, and how to begin and end talking."""
    bus.offer("player")
    session, said = Session(equipment), []
    setup = put_on_this_computer(next(t for t in TEMPLATES if t.code == "sing").make())
    session.replace(with_song(setup, "Harbour Songs"))
    session.noticed.connect(lambda text, tone: said.append((text, tone)))
    own = Bus("session")
    keeps = SongPause(session, Runs(), own)
    yield session, lambda id: session.set_live(replace(session.live, moment=id)), said
    own.end()
    del keeps


def test_what_a_program_plays_pauses_and_goes_on(talking, bus):  # noqa: F811
    session, go_to, said = talking
    assert not any(r.gain_db for r in session.setup.moment("talk").routes), "paused, not lowered"
    go_to("talk")
    wait(lambda: bus.do("player") == ["Pause"], 5)
    go_to("sing")
    wait(lambda: bus.do("player") == ["Pause", "Play"], 5)
    lead = next(p for p in session.setup.parts if p.kind == "lead")
    session.put(change_device(session.setup, lead.device, card=taking("Mail")))
    go_to("talk")
    wait(lambda: said, 5)
    assert said == [("Mail cannot be paused from here, so it goes on. Pause it there.", "amber")]
    go_to("sing")
    pause(0.5)
    assert bus.do("player") == ["Pause", "Play"], "nobody else's player is touched"


def test_a_track_of_ours_stands_still_where_it_was_and_goes_on(live):  # noqa: F811
    w = live
    wait(lambda: w.running.playing and w.running.track[0] > 0.5, 20)
    w.strip.choose_moment("talk")
    wait(lambda: not w.running.playing, 5)
    at = w.running.track[0]
    pause(0.5)
    assert w.running.track[0] == at
    assert "harp" not in w.audience.hears_text()
    w.strip.choose_moment("sing")
    wait(lambda: w.running.playing and w.running.track[0] > at, 5)
    w.running.play(False)
    wait(lambda: not w.running.playing, 5)
    w.strip.choose_moment("talk")
    w.strip.choose_moment("sing")
    pause(0.5)
    assert not w.running.playing, "what was paused by hand stays so"
