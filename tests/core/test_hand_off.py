"""What is entered in another program, and the picture's evidence that it moves."""

import pytest
from msgspec.structs import replace

from brucke.core.aligning.align import align, timing
from brucke.core.document.setup import Device, Part
from brucke.core.edits.listener_edits import set_there
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.timing.hand_off import hand_off
from brucke.core.timing.make_evidence import SeenOffset, picture_measurement
from brucke.core.timing.paths import Situation

from .test_timing import MS, PHONES, STREAM, measured_round_trip, small


def picture_setup(entered_ms=0.0):
    camera = Device(id="camera", name="Camera", kind="camera", pictures_per_s=30)
    picture = Part(id="film", name="Film", kind="picture", device="camera", shows="harp")
    stream = replace(STREAM, picture_there_ms=entered_ms)
    return small(picture, devices=(camera,), listeners=(PHONES, stream))


def test_what_is_to_be_entered_elsewhere_is_asked_for_once():
    """Obeyed and noted three times, measured in between with it entered: the second and third time nothing is asked
    for, and the evidence counts throughout."""
    setup = align(Situation(picture_setup()))
    first = SeenOffset(-193 * MS, 1 * MS, "claps", 6)
    knowledge = Knowledge().with_measurement(picture_measurement(Situation(setup), "film", "stream", first))
    asked = []
    for again in (False, True, True):
        if again:  # seen as it now is: what was entered has moved it by as much
            left_ms = first.seconds / MS + asked[0]
            seen = SeenOffset(left_ms * MS, 1 * MS, "claps", 6)
            knowledge = knowledge.with_measurement(
                picture_measurement(Situation(setup, knowledge), "film", "stream", seen)
            )
        t = timing(Situation(setup, knowledge)).of("stream")
        assert any(s.code == "picture coder" for s in t.route("film").stages), "what was measured counts"
        asked.append(t.hand_off_s / MS)
        h = hand_off(setup, t)
        setup = set_there(setup, "stream", h.picture_ms, h.sound_ms)
    assert asked[0] > 150
    assert asked[1:] == pytest.approx([0.0, 0.0], abs=0.05)
    assert setup.listener("stream").picture_there_ms == pytest.approx(asked[0], abs=0.05)


def test_a_picture_moves_with_what_is_known_better_of_the_sound_it_was_set_against():
    """Seen against a voice through unmeasured converters; measuring them later moves sound and picture alike."""
    setup = picture_setup()
    setup = replace(setup, parts=tuple(replace(p, shows="voice") if p.id == "film" else p for p in setup.parts))
    found = picture_measurement(Situation(setup), "film", "stream", SeenOffset(20 * MS, 1 * MS, "claps", 6))
    apart = []
    for knowledge in (Knowledge(), measured_round_trip(setup, 8 + 9.4)):
        t = timing(Situation(setup, knowledge.with_measurement(found))).of("stream")
        apart.append((t.route("film").arrival.value - t.route("voice").arrival.value) / MS)
    assert apart == pytest.approx([20, 20], abs=0.01)
