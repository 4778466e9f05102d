"""How each share of a time is known: what cancels does not count, what nobody measured has no number, what a sweep
contradicted counts no longer."""

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.aligning.align import align, timing
from brucke.core.aligning.evidence_edits import note_offset
from brucke.core.checks.soundcheck import soundcheck
from brucke.core.document.setup import OF_THIS_COMPUTER, Device, Listener, Part
from brucke.core.knowledge.evidence import Facts, Knowledge, Measurement, Spoil
from brucke.core.knowledge.quantities import CONTRADICTED, ROUND_TRIP
from brucke.core.storage.setup_file import decode, encode
from brucke.core.storage.templates import TEMPLATES
from brucke.core.timing.hand_off import hand_off
from brucke.core.timing.make_evidence import SeenOffset, picture_measurement
from brucke.core.timing.paths import Situation
from brucke.rehearse.equipment import facts_of
from brucke.ui.places.align.model import align_data, table_rows
from brucke.words import explanations
from brucke.words import hand_off as pages
from brucke.words import soundcheck as checked
from brucke.words import timing as words

from .test_timing import HARP, MS, PHONES, STREAM, VOICE, measured_round_trip, small

SECOND = Device(id="second", name="Second", kind="interface", buffer_frames=96, buffers=2)


def verdict(setup, knowledge):
    return timing(Situation(setup, knowledge)).of("stream").verdict


def test_headphones_nobody_measured_move_who_plays_along_to_them():
    """The singer hears the lead from another interface and sings in the room: its way out is in what the stream gets,
    though on no way to it."""
    setup = small(
        voice=replace(VOICE, hears_itself="room"),
        listeners=(replace(PHONES, device="second"), STREAM),
        devices=(SECOND,),
    )
    setup = align(Situation(setup, measured_round_trip(setup, 9.0)))
    assert (
        words.verdict_text(setup, verdict(setup, measured_round_trip(setup, 9.0))) == "should be together, not tested"
    )
    both = measured_round_trip(setup, 9.0).with_measurement(
        Measurement(
            key="round_trip:second", value_s=9 * MS, plus_minus_s=0.001 * MS, date="2026-11-20T19:00", method="sweeps",
            repeats=4,
            agreeing=4, fingerprint=ROUND_TRIP.fingerprint(setup, "second"),
        )
    )  # fmt: skip
    # Each split is known within ± half of what lies beyond the buffers, measured though it is.
    assert verdict(setup, both).sure
    doubted = both.doubted(["round_trip:second"], "2026-11-24T20:00", "engine restarted")
    assert words.verdict_text(setup, verdict(setup, doubted)) == "in step, as measured on 20 Nov"


def test_what_a_sweep_contradicts_counts_no_longer_also_after_saving():
    setup = align(Situation(small()))
    knowledge = measured_round_trip(setup, 8.0)
    assert verdict(setup, knowledge).sure
    ended = knowledge.with_spoil(Spoil(key="round_trip:card", date="2026-11-24T20:00", reason=CONTRADICTED))
    for known in (ended, decode(encode(setup, ended))[1]):
        assert known.counting(ROUND_TRIP, setup, "card") is None
        assert words.verdict_text(setup, verdict(setup, known)) == "should be together, not tested"
        found = [f.code for r in soundcheck(Situation(setup, known)) for f in r.findings]
        assert "contradicted" in found
        assert "stale" not in found
    assert ended.lasting != knowledge.lasting, "it has to be saved"
    again = ended.with_measurement(knowledge.measurements[0])
    assert verdict(setup, again).sure


def sentences(known):
    """(what it is about, sentence) of everything that is said of the times of a setup."""
    setup = known.setup
    for t in timing(known).listeners:
        x = setup.listener(t.listener)
        yield "verdict", t, None, words.verdict_text(setup, t.verdict)
        yield "detail", t, None, words.verdict_detail(setup, t, known.facts)
        yield "hand-off", t, None, " ".join(words.hand_off_text(t, x.picture_there_ms))
        if x in pages.handed_to(setup):
            yield "page", t, None, pages.page_text(setup, x, hand_off(setup, t))
        for r in t.routes:
            for text in (explanations.route_text(setup, r), explanations.route_headline(setup, r),
                explanations.sureness_text(r), explanations.route_reason(setup, t, r)):  # fmt: skip
                yield "route", t, r, text
            yield "route", t, r, next(lane.flag for lane in align_data(setup, t).lanes if lane.part == r.part)
        for name, step, takes, _pm, _how in table_rows(setup, t)[1]:
            r = next(r for r in t.routes if setup.part(r.part).name == name)
            yield ("stage" if step != "arrives" else "route"), t, r, f"{step}: {takes}"
    for result in soundcheck(known):
        for f in result.findings:
            yield "check", None, f, checked.what_text(setup, f)


@settings(max_examples=60)
@given(st.sampled_from(TEMPLATES), st.booleans(), st.sampled_from(["", "talk", "sing"]), st.booleans())
def test_a_setup_on_this_computer_has_no_number_for_a_way_that_nobody_measured(template, camera, moment, aligned):
    """Every sentence of every page: the picture's way into a program, what a call takes there and back."""
    setup = template.make()
    devices = tuple(d if d.kind == "camera" else replace(d, card=OF_THIS_COMPUTER) for d in setup.devices)
    setup = replace(setup, devices=devices)
    if camera and not any(p.kind == "picture" for p in setup.parts):
        setup = replace(
            setup,
            devices=(*setup.devices, Device(id="eye", name="Eye", kind="camera", pictures_per_s=30)),
            parts=(*setup.parts, Part(id="sight", name="Sight", kind="picture", device="eye", shows=setup.parts[0].id)),
        )
        theirs = [x.id for x in setup.listeners if x.kind in ("call", "stream", "program")]
        setup = replace(setup, routes=(*setup.routes, *(replace(setup.routes[0], part="sight", listener=x,
            map=()) for x in theirs)))  # fmt: skip
    known = Situation(setup, facts=facts_of(setup), moment=moment if setup.moment(moment) else "")
    assert known.facts.reported_s == {}, "nothing is invented for it"
    if aligned:
        known = Situation(align(known), facts=known.facts, moment=known.moment)
    said = list(sentences(known))
    for about, t, r, text in said:
        if about == "route" and r.unknown:
            assert not re.search(r"\d", text), text
        if about in ("hand-off", "page") and t.picture_unknown:
            assert "not known" in text
            assert "Picture delay: +" not in text
        if about == "verdict" and t.picture_unknown:
            assert "picture first" not in text
            assert text != "in step"
        if about == "detail" and known.setup.listener(t.listener).kind == "call":
            assert "the way there is not known" in text
            assert "felt" not in text
        if about == "check":
            assert r.code != "picture_first"
    pictured = any(p.kind == "picture" for p in known.setup.parts)
    assert any(a == "verdict" and t.picture_unknown for a, t, _, _ in said) == pictured


def test_a_call_that_reports_says_so_and_a_film_makes_the_picture_known():
    call = Device(id="call", name="Call", kind="call", buffer_frames=240, buffers=1)
    far = Part(id="far", name="Far", kind="far_end", device="call", channels=(0,), returns_from="lounge")
    lounge = Listener(id="lounge", name="Lounge", kind="call", device="call")
    setup = small(far, listeners=(PHONES, STREAM, lounge), devices=(call,))
    for facts, said in (
        (Facts(), "way not known"),
        (Facts(reported_s={"call:out": 0.19, "call:in": 0.17}), "arrives at"),
    ):
        t = timing(Situation(setup, facts=facts)).of("phones")
        assert explanations.route_text(setup, t.route("far")).startswith(said)
        kinds = {s.code: s.evidence for s in t.route("far").stages}
        assert kinds["way back"] == ("reported" if facts.reported_s else "unknown")
    eye, film = (
        Device(id="eye", name="Eye", kind="camera", pictures_per_s=30),
        Part(id="film", name="Film", kind="picture", device="eye", shows="harp"),
    )
    setup = small(film, parts=(HARP, VOICE, film), devices=(eye,))
    setup = align(Situation(setup))
    assert timing(Situation(setup)).of("stream").picture_unknown
    before = [r.delay_ms for r in setup.routes if r.listener == "stream" and r.part != "film"]
    known = Knowledge().with_measurement(
        picture_measurement(Situation(setup), "film", "stream", SeenOffset(120 * MS, 2 * MS, "claps", 6))
    )
    after = align(Situation(setup, known))
    t = timing(Situation(after, known)).of("stream")
    assert not t.picture_unknown
    assert [r.delay_ms for r in after.routes if r.listener == "stream" and r.part != "film"] == pytest.approx(
        [x + 120 for x in before], abs=0.1
    )


@pytest.mark.parametrize("heard_ms", [40.0, -40.0])
def test_what_was_noted_is_not_counted_again_once_the_converters_are_measured(heard_ms):
    """The recording said how late the voice was; measuring the interface afterwards tells part of why, and changes
    nothing of how late it is."""
    setup = small(voice=replace(VOICE, hears_itself="room"))
    before = Situation(setup)
    noted = note_offset(before, timing(before).of("stream"), "voice", "harp", heard_ms, 1.0)
    for knowledge in (Knowledge(), measured_round_trip(noted, 8 + 6.4)):
        t = timing(Situation(noted, knowledge)).of("stream")
        apart = t.route("voice").arrival.value - t.route("harp").arrival.value
        assert apart / MS == pytest.approx(heard_ms, abs=1e-6)
    assert decode(encode(noted, Knowledge()))[0] == noted
    # Noted again with what is known by then: what was heard, whatever was noted before.
    known = Situation(noted, measured_round_trip(noted, 8 + 6.4))
    again = note_offset(known, timing(known).of("stream"), "voice", "harp", heard_ms / 2, 1.0)
    t = timing(Situation(again, known.knowledge)).of("stream")
    assert (t.route("voice").arrival.value - t.route("harp").arrival.value) / MS == pytest.approx(
        heard_ms / 2, abs=1e-6
    )
