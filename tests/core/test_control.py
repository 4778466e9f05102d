"""What foot switches, controllers and OSC ask for: pure, and whatever a stranger sends."""

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brucke.core.control.bindings import ACTS, Binding, bindings_json, bound, read_bindings
from brucke.core.control.midi_bytes import MidiBytes
from brucke.core.control.midi_message import lamp_bytes, midi_control
from brucke.core.control.osc_message import osc_act
from brucke.core.control.pressed_controls import HOLD_S, PressedControls

PEDAL, OTHER = "controller 1 64", "controller 1 65"
FEET = (
    Binding(control=PEDAL, act="line_next"),
    Binding(control=PEDAL, act="on_air", held=True),
    Binding(control=OTHER, act="silence"),
    Binding(control=OTHER, act="goodbye", held=True),
)


def test_what_obeys_at_once_does_so_as_it_is_pressed_and_the_rest_once_it_is_known_which_was_meant():
    feet = PressedControls(FEET)
    assert feet.feed(PEDAL, True, 0.0) == []
    assert feet.feed(PEDAL, False, 0.2) == [("line_next", "down"), ("line_next", "up")]
    assert feet.feed(PEDAL, True, 1.0) == feet.tick(1.9) == []
    assert feet.tick(1.0 + HOLD_S) == [("on_air", "down")]
    assert not feet.tick(3.0)
    assert feet.feed(PEDAL, False, 4.0) == [("on_air", "up")], "a held pedal does not go on to the next line as well"
    assert feet.feed(OTHER, True, 5.0) == [("silence", "down")]
    assert feet.tick(5.0 + HOLD_S) == [("goodbye", "down")]
    assert feet.feed(OTHER, False, 7.0) == [("silence", "up"), ("goodbye", "up")]


def test_a_contact_that_bounces_and_a_key_that_repeats_press_once():
    feet = PressedControls([Binding(control=PEDAL, act="line_next")])
    presses = [feet.feed(PEDAL, down, t) for down, t in ((True, 0.0), (True, 0.1), (False, 0.2), (True, 0.21))]
    assert [len(p) for p in presses] == [1, 0, 1, 0]
    assert feet.forget() == ()
    assert feet.feed(PEDAL, True, 1.0), "and works again"


@pytest.mark.parametrize(
    ("message", "expected"),
    [
        ([0x90, 60, 100], ("note 1 60", True)),
        ([0x93, 60, 0], ("note 4 60", False)),  # a note on with velocity 0 is a note off: MIDI 1.0
        ([0x80, 60, 64], ("note 1 60", False)),
        ([0xB0, 64, 127], ("controller 1 64", True)),
        ([0xB0, 64, 63], ("controller 1 64", False)),
        ([0xC1, 5], ("program 2 5", None)),
        ([0x90, 60], None),
        ([60, 100], None),  # a running status that lost its beginning
        ([0x90, 200, 300], None),
        ([], None),
        ([0xF8], None),
    ],
)
def test_midi_messages(message, expected):
    assert midi_control(message) == expected


@given(st.lists(st.integers(0, 255), max_size=12))
def test_no_bytes_raise(message):
    found = midi_control(message)
    assert found is None or len(found[0].split()) == 3


STATUS = st.sampled_from([0x80, 0x90, 0xB0, 0xC0, 0xE0]).flatmap(lambda kind: st.integers(kind, kind + 15))
MESSAGE = st.tuples(STATUS, st.integers(0, 127), st.integers(0, 127)).map(
    lambda m: list(m[: 2 if m[0] & 0xF0 == 0xC0 else 3])
)


@given(st.lists(MESSAGE, max_size=20), st.data())
def test_a_stream_of_bytes_is_read_as_mido_reads_it_wherever_it_is_cut(messages, data):
    stream = bytes(b for m in messages for b in m)
    reference = mido.Parser()
    reference.feed(stream)
    cut = data.draw(st.integers(0, len(stream)))
    ours = MidiBytes()
    assert [*ours.feed(stream[:cut]), *ours.feed(stream[cut:])] == [m.bytes() for m in reference] == messages


def test_running_status_real_time_bytes_and_what_was_cut_off():
    """MIDI 1.0: a status holds for what follows; real-time bytes stand anywhere; system messages end it."""
    assert MidiBytes().feed(bytes([0x90, 60, 1, 60, 0, 61, 2])) == [[0x90, 60, 1], [0x90, 60, 0], [0x90, 61, 2]]
    assert MidiBytes().feed(bytes([0x90, 60, 0xF8, 1, 0xFE])) == [[0x90, 60, 1]]
    assert MidiBytes().feed(bytes([60, 1, 0xF0, 1, 2, 3, 0xF7, 60, 1, 0xB0, 64, 127])) == [[0xB0, 64, 127]]
    assert MidiBytes().feed(bytes([0x90, 60, 0xB0, 64, 0])) == [[0xB0, 64, 0]], "what was cut in half is left out"


@given(st.binary(max_size=60))
def test_no_stream_raises(stream):
    assert all(midi_control(m) is None or len(m) in (2, 3) for m in MidiBytes().feed(stream))


def test_a_lamp_is_lit_by_what_mido_reads_as_the_same_control():
    for control in ("note 3 60", "controller 16 1"):
        for on in (True, False):
            assert midi_control(lamp_bytes(control, on)) == (control, on)
    assert mido.Message.from_bytes(lamp_bytes("note 3 60", True)).velocity == 127
    assert lamp_bytes("program 1 1", True) == []


@pytest.mark.parametrize(
    ("address", "values", "expected"),
    [
        ("/brucke/next", (), ("line_next", None)),
        ("/brucke/next", (1.0,), ("line_next", None)),
        ("/brucke/next", (0.0,), None),
        ("/brucke/mute", (1,), ("mute_me", True)),
        ("/brucke/silence", (False,), ("silence", False)),
        ("/brucke/moment", (2,), ("moment_2", None)),
        ("/brucke/moment/2", (), ("moment_2", None)),
        ("/brucke/moment", (float("nan"),), None),
        ("/brucke/moment", (10**9,), None),
        ("/brucke/moment/../../x", (), None),
        ("/brucke/mute", ("1",), None),
        ("/brucke/mute", (0.5,), None),
        ("/brucke/mute", (1, 1), None),
        ("/brucke/quit", (), None),
        ("/other/next", (), None),
    ],
)
def test_osc_messages(address, values, expected):
    assert osc_act(address, values) == expected


VALUES = st.one_of(st.integers(), st.floats(), st.text(), st.booleans(), st.none(), st.binary())


@given(st.text(), st.lists(VALUES, max_size=4))
def test_no_osc_message_raises_or_means_what_is_no_act(rest, values):
    found = osc_act("/brucke/" + rest, values)
    assert found is None or found[0] in ACTS


def test_bindings_are_kept_and_what_is_none_is_left_out():
    again = bound(FEET, Binding(control=PEDAL, act="line_back"))
    assert [b.act for b in again if b.control == PEDAL] == ["on_air", "line_back"]
    assert read_bindings(bindings_json(again)) == again
    assert read_bindings('[{"control": "note 1 1", "act": "format the disk"}]') == ()
    assert read_bindings("{") == read_bindings('[{"control": 5}]') == ()
