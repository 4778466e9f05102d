"""What is added while setting out: each is a setup without a problem, on this computer and on stand-ins."""

import pytest

from brucke.app.sound_server.stream_capture import with_song
from brucke.core.document.setup import MAX_LISTENERS, Setup
from brucke.core.edits.beginning_edits import with_camera, with_friends_call, with_instrument, with_song_files
from brucke.core.edits.route_edits import put_on_this_computer
from brucke.core.storage.setup_problems import new_problem
from brucke.core.storage.templates import TEMPLATES


@pytest.fixture(params=[(t.code, here) for t in TEMPLATES for here in (False, True)], ids=str)
def setup(request):
    code, here = request.param
    made = next(t for t in TEMPLATES if t.code == code).make()
    return put_on_this_computer(made) if here else made


def lead(setup):
    return next(p for p in setup.parts if p.kind == "lead")


def heard(setup, part):
    return {r.listener for r in setup.routes if r.part == part and r.on}


def test_a_song_of_ones_own_takes_the_place_of_whatever_set_the_beat(setup):
    mine = with_song_files(setup, ["mine.wav", "other.flac"])
    assert new_problem(setup, mine) == ""
    song = lead(mine)
    assert (song.source, [t.file for t in song.tracks], song.track) == ("track", ["mine.wav", "other.flac"], 0)
    assert mine.device(song.device).kind == "player"
    assert (song.id, heard(mine, song.id)) == (lead(setup).id, heard(setup, lead(setup).id)), "who hears it stays"
    by_program = with_song(mine, "Browser")
    again = with_song_files(by_program, ["mine.wav"])
    assert lead(by_program).source == "program"
    assert (lead(again).source, lead(again).beat_source) == ("track", "mine.wav")
    assert new_problem(by_program, again) == ""


def test_where_nothing_sets_the_beat_the_song_is_a_part_of_its_own():
    made = with_song_files(Setup(name="x"), ["mine.wav"])
    assert [(p.kind, [t.file for t in p.tracks]) for p in made.parts] == [("lead", ["mine.wav"])]


def test_an_instrument_is_heard_wherever_the_voice_is(setup):
    after = with_instrument(setup)
    added = after.parts[-1]
    voice = next(p for p in after.parts if p.source == "microphone")
    assert new_problem(setup, after) == ""
    assert (added.source, added.device) == ("instrument", voice.device)
    assert not set(added.channels) & set(voice.channels)
    assert heard(after, added.id) == heard(after, voice.id) != set()


def test_a_camera_shows_the_voice_to_the_stream(setup):
    after = with_camera(setup)
    assert new_problem(setup, after) == ""
    assert (after.parts[-1].kind, after.parts[-1].shows) == ("picture", "voice")
    assert heard(after, after.parts[-1].id) == {x.id for x in after.listeners if x.kind == "stream"}


def test_friends_hear_what_the_stream_hears_and_never_themselves(setup):
    after = with_friends_call(setup)
    assert new_problem(setup, after) == ""
    call, model = after.listeners[-1], setup.listeners[1]
    friends = after.parts[-1]
    sounds = {p.id for p in setup.parts if p.kind in ("lead", "follower")}
    hears = {p.id for p in after.parts if call.id in heard(after, p.id)}
    assert hears == {p for p in sounds if model.id in heard(setup, p)} != set()
    assert (call.kind, friends.kind) == ("call", "far_end")
    assert call.id not in heard(after, friends.id)
    assert bool(after.device(call.device).card) == any(d.card for d in setup.devices)


def test_where_there_is_no_room_nothing_changes(setup):
    full = setup
    while len(full.listeners) < MAX_LISTENERS:
        full = with_friends_call(full)
    assert with_friends_call(full) is full
