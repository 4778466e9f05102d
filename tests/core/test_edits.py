"""Every edit leaves a setup that can be saved; the two questions, copying, moving and channel layouts say what they
do."""

import pytest

from brucke.core.document.differences import differences
from brucke.core.document.setup import Duck, Setup
from brucke.core.edits import chain_edits, listener_edits, moment_edits, part_edits, route_edits
from brucke.core.edits.naming import free_id, free_name
from brucke.core.routing.maps import effective_map
from brucke.core.sound.processors import Gain, Limiter
from brucke.core.storage.bundle import sound_files
from brucke.core.storage.setup_problems import problems
from brucke.core.storage.templates import TEMPLATES
from brucke.words.documents import PART_NAMES, TEMPLATE_WORDS, difference_text


def points(setup, part, listener):
    p, x = setup.part(part), setup.listener(listener)
    return {(m.source, m.target) for m in effective_map(p, x, setup.route(part, listener))}


@pytest.mark.parametrize("template", TEMPLATES, ids=lambda t: t.code)
def test_every_template_is_whole_and_has_words(template):
    setup = template.make()
    assert list(problems(setup)) == []
    assert setup.name == TEMPLATE_WORDS[template.code][0]
    assert sum(d.sets_clock for d in setup.devices) == 1
    assert set(sound_files(setup)) <= {"harp.flac", "voice.flac", "cello.flac", "lounge.flac"}
    for x in setup.listeners:
        assert any(r.listener == x.id and r.on for r in setup.routes), f"{x.name} would hear nothing"
    recorder = next(x for x in setup.listeners if x.kind == "recorder")
    tracks = [t for p in setup.parts if p.channels for _, t in points(setup, p.id, recorder.id)]
    assert len(tracks) == len(set(tracks)) == recorder.channels, "one track per side of every part"


def test_a_call_gets_its_own_far_end_back_only_by_a_deliberate_step(nightboat):
    assert route_edits.set_on(nightboat, "lounge", "lounge_call", True) == nightboat
    assert route_edits.switch(nightboat, [("lounge", "lounge_call")], True) == nightboat
    assert route_edits.move_route(nightboat, ("harp", "lounge_call"), ("lounge", "lounge_call")) == nightboat
    pasted = route_edits.copy_column(nightboat, "shore_stream", "lounge_call")
    assert not pasted.route("lounge", "lounge_call").on, "nor by copying"
    asked = route_edits.allow_own_return(nightboat, "lounge", "lounge_call", True)
    assert asked.route("lounge", "lounge_call").on
    assert list(problems(asked)) == []
    assert not route_edits.allow_own_return(asked, "lounge", "lounge_call", False).route("lounge", "lounge_call").on


def test_do_i_hear_it_do_they(nightboat):
    assert listener_edits.heard_by(nightboat, "cello", True) == "none"
    assert listener_edits.heard_by(nightboat, "cello", False) == "all"
    mine = listener_edits.toggle_heard(nightboat, "cello", True)
    assert listener_edits.heard_by(mine, "cello", True) == "all"
    nobody = listener_edits.toggle_heard(mine, "cello", False)
    assert listener_edits.heard_by(nobody, "cello", False) == "none"
    some = route_edits.set_on(nobody, "cello", "recorder", True)
    assert listener_edits.heard_by(some, "cello", False) == "some"
    assert listener_edits.heard_by(listener_edits.toggle_heard(some, "cello", False), "cello", False) == "all"
    far = listener_edits.toggle_heard(nightboat, "lounge", False)
    assert listener_edits.heard_by(far, "lounge", False) == "none"
    assert not listener_edits.toggle_heard(far, "lounge", False).route("lounge", "lounge_call"), "their own call apart"


def test_moving_and_pasting_keep_what_a_route_has(nightboat):
    moved = route_edits.move_route(nightboat, ("voice", "headphones"), ("cello", "headphones"))
    assert not moved.route("voice", "headphones").on
    got = moved.route("cello", "headphones")
    assert (got.on, got.gain_db, got.processed) == (True, -12, False)
    delayed = route_edits.set_delay(nightboat, "harp", "recorder", 12.5)
    pasted = route_edits.copy_column(delayed, "headphones", "recorder")
    assert pasted.route("harp", "recorder").gain_db == -6
    assert pasted.route("harp", "recorder").delay_ms == 12.5, "delays belong to the place"


def test_voice_on_one_and_two_everything_else_on_three_and_four(nightboat):
    wide = listener_edits.change_listener(nightboat, "shore_stream", channels=4)
    one = route_edits.place_on(wide, [("voice", "shore_stream")], 0)
    two = route_edits.others_on(one, "voice", "shore_stream", 2)
    assert points(two, "voice", "shore_stream") == {(0, 0), (0, 1)}
    assert points(two, "harp", "shore_stream") == {(0, 2), (1, 3)}
    assert points(two, "cello", "shore_stream") == {(0, 2), (0, 3)}
    narrow = listener_edits.change_listener(two, "shore_stream", channels=2)
    assert points(narrow, "harp", "shore_stream") == {(0, 0), (1, 1)}, "as usual again where there is no channel"


def test_a_map_up_to_sixteen_by_sixteen_with_a_gain_at_every_point(nightboat):
    setup = part_edits.set_channels(nightboat, "harp", tuple(range(16)))
    setup = listener_edits.change_listener(setup, "recorder", channels=99)
    assert setup.listener("recorder").channels == 16
    for i in range(16):
        for j in range(16):
            if (i, j) not in points(setup, "harp", "recorder"):
                setup = route_edits.toggle_point(setup, "harp", "recorder", i, j)
            setup = route_edits.set_point_gain(setup, "harp", "recorder", i, j, -i - j)
    route = setup.route("harp", "recorder")
    assert len(route.map) == 256
    assert {m.gain_db for m in route.map if m.source + m.target == 9} == {-9.0}
    assert list(problems(setup)) == []
    one = route_edits.set_map(setup, "harp", "recorder", route.map[:1])
    assert route_edits.toggle_point(one, "harp", "recorder", 0, 0) == one, "a route keeps one point at least"


@pytest.mark.parametrize(
    ("mode", "channels"),
    [("mono", (2,)), ("stereo", (2, 3)), ("swapped", (3, 2)), ("left to both", (2, 2)), ("right to both", (3, 3))],
)
def test_modes_of_channels(nightboat, mode, channels):
    setup = part_edits.set_channels(nightboat, "voice", (2, 3))
    after = part_edits.set_mode(setup, "voice", mode)
    assert after.part("voice").channels == channels
    assert part_edits.mode_of(after.part("voice")) == mode
    assert part_edits.set_mode(after, "voice", "stereo").part("voice").channels == (2, 3)


def test_parts_of_every_kind_come_wired_as_they_usually_are():
    setup = part_edits.add_part(Setup(), "track", *PART_NAMES["track"])
    setup = listener_edits.add_listener(setup, "monitor", "Headphones", "Interface")
    setup = listener_edits.add_listener(setup, "stream", "Stream", "Program")
    for source in part_edits.KIND_OF:
        setup = part_edits.add_part(setup, source, *PART_NAMES[source])
    by_source = {p.source: p for p in setup.parts}
    assert by_source["microphone"].follows == "backing_track"
    assert by_source["microphone"].hears_at == "headphones"
    assert by_source["instrument"].channels == (1,), "the next free input"
    assert by_source["instrument"].hears_itself == "monitor", "silent in the room"
    assert by_source["far_end"].returns_from == "call_program", "a call came with it"
    assert by_source["camera"].shows == "microphone"
    assert by_source["bypass"].channels == (2, 3)
    assert {r.listener for r in setup.routes if r.part == by_source["count_in"].id and r.on} == {"headphones"}
    assert not setup.route("microphone", "headphones"), "no own voice in the ear unasked"


def test_removing_leaves_nothing_that_speaks_of_what_is_gone(nightboat):
    without = part_edits.remove_part(nightboat, "harp")
    assert without.part("voice").follows == ""
    assert all(r.part != "harp" for m in without.moments for r in m.routes)
    assert all(d.id != "player" for d in without.devices), "its device went with it"
    quiet = listener_edits.remove_listener(nightboat, "lounge_call")
    assert quiet.part("lounge").returns_from == ""
    assert "lounge_call" not in quiet.moment("talk").policy


def test_tracks_are_a_list_with_one_chosen(nightboat):
    setup = part_edits.add_tracks(nightboat, "harp", ["b.wav", "c.mp3", "harp.flac"])
    assert [t.file for t in setup.part("harp").tracks] == ["harp.flac", "b.wav", "c.mp3"]
    assert setup.part("harp").beat_source == "b.wav", "the new one is chosen, and measured against"
    setup = part_edits.choose_track(setup, "harp", 99)
    assert setup.part("harp").track == 2
    setup = part_edits.change_track(setup, "harp", 2, gain_db=-3.0, loop_from_s=1.0, loop_to_s=9.0)
    assert setup.part("harp").tracks[2].loop_to_s == 9.0
    setup = part_edits.remove_track(setup, "harp", 2)
    assert setup.part("harp").beat_source == "b.wav"
    assert set(sound_files(setup)) == {"harp.flac", "b.wav", "voice.flac", "cello.flac", "lounge.flac"}


def test_names_and_ids_are_never_taken_twice():
    assert free_id("Voice & Cello!", ()) == "voice_cello"
    assert free_id("Voice", {"voice", "voice_2"}) == "voice_3"
    assert free_id("声", ()) == "x"
    assert free_id("Room", ()) != "room", "the room is a place of its own"
    assert free_name("Voice 2", ["Voice 2", "Voice"]) == "Voice 3"


def test_differences_are_told_in_words(nightboat):
    b = route_edits.set_gain(nightboat, "voice", "lounge_call", -6)
    b = part_edits.rename_part(b, "cello", "Viola")
    b = route_edits.change_device(b, "table", buffer_frames=256)
    b = part_edits.remove_part(b, "picture")
    b = part_edits.add_part(b, "mix", *PART_NAMES["mix"])
    told = [difference_text(nightboat, b, d) for d in differences(nightboat, b)]
    for line in (
        "device Table interface: buffer 256, was 128",
        "part Cello: name “Viola”, was “Cello”",
        "part Picture: gone",
        "part Workstation mix: new",
        "Voice → Lounge call: gain −6.0 dB, was 0.0 dB",
        "Workstation mix → Recorder: new",
    ):
        assert line in [t.replace("part Viola", "part Cello") for t in told], told
    assert differences(b, b) == []
    c = part_edits.move_part(nightboat, "voice", 1)
    assert [difference_text(nightboat, c, d) for d in differences(nightboat, c)] == ["parts: order changed"]
    ducked = route_edits.set_duck(nightboat, "harp", "lounge_call", Duck(under="voice"))
    slow = moment_edits.change_moment(ducked, "talk", crossfade_s=2.0)
    assert [difference_text(nightboat, slow, d) for d in differences(nightboat, slow)] == [
        "Harp → Lounge call: goes down by 12 dB under Voice above −36.0 dB, was never",
        "moment Talk: levels reached within 2 s, was 0 s",
    ]


def test_a_listener_that_becomes_wider_than_two_channels_has_no_chain(nightboat):
    """What could be made in the window can always be opened again."""
    setup = chain_edits.set_chain(nightboat, "listener/shore_stream", (Gain(), Limiter()))
    for wide in (
        listener_edits.change_listener(setup, "shore_stream", channels=6),
        listener_edits.lay_out_tracks(setup, "shore_stream"),
    ):
        assert wide.listener("shore_stream").chain == ()
        assert not list(problems(wide))
    assert listener_edits.change_listener(setup, "shore_stream", channels=1).listener("shore_stream").chain == (
        Gain(),
        Limiter(),
    )
