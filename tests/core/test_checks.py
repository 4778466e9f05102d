"""What only a running hour tells: facts as they are heard and read, and what the soundcheck makes of them."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.aligning.align import align
from brucke.core.checks.signal_facts import hear, merged
from brucke.core.checks.soundcheck import CHECKS, by_hand, mended, soundcheck
from brucke.core.document.setup import Setup
from brucke.core.edits import part_edits, route_edits
from brucke.core.knowledge.evidence import Facts, Heard
from brucke.core.timing.paths import Situation
from brucke.words.soundcheck import CHECK_TITLES, count_text, mend_text, mended_by, what_text, why_text

from ..conftest import delayed

RATE = 48000
FINE = Heard(input_peak_db=-9, peak_db=-9, left_db=-20, right_db=-20, mono_db=-20)


def found(setup, **facts):
    known = Situation(setup, facts=Facts(**facts))
    return {f.code: f for r in soundcheck(known) for f in r.findings}


def fine(setup, **changed):
    """Everything was heard and is good, but for what changed."""
    return {p.id: changed.get(p.id, FINE) for p in setup.parts if p.kind != "picture"}


@pytest.fixture
def aligned(nightboat):
    return align(Situation(nightboat))


def test_every_check_has_a_title_and_an_empty_setup_passes_none():
    """Where nothing is there, nothing was looked at: not one check is called good."""
    assert list(CHECK_TITLES) == [c.code for c in CHECKS]
    found = soundcheck(Situation(Setup()))
    assert {r.state for r in found} == {"not_yet"}
    assert count_text(found) == "0 good, 22 not yet"


def test_what_was_not_heard_measured_or_looked_at_is_not_yet_good(nightboat):
    """Written down is not heard: signal, clipping, sides, leak, sums; nor is calculated measured."""
    state = {r.check: r.state for r in soundcheck(Situation(nightboat))}
    unheard = {"present", "signal", "clipping", "sides", "bleed", "sums", "disk", "sleep"}
    assert {c for c, s in state.items() if s == "not_yet"} >= unheard | {"own_sound"}
    assert state["evidence"] == state["in_step"] == "mend"
    assert state["rates"] == state["clean_call"] == "good"
    aligned = align(Situation(nightboat))
    assert {r.check: r.state for r in soundcheck(Situation(aligned))}["in_step"] == "not_yet", "by calculation only"


@pytest.mark.parametrize(
    ("facts", "code", "by"),
    [
        ({"missing": ("table",)}, "device_missing", "gather"),
        ({"muted": ("voice",)}, "muted", "unmute"),
        ({"free_bytes": 2**20}, "disk_full", "check"),
        ({"may_sleep": True}, "may_sleep", "check"),
        ({"sums_db": {"recorder": 3.5}}, "sum_clips", "edit"),
    ],
)
def test_what_is_so_now(aligned, facts, code, by):
    before = found(aligned, listened_s=8, heard=fine(aligned))
    after = found(aligned, listened_s=8, heard=fine(aligned), **facts)
    assert after.keys() - before.keys() == {code}
    known, f = Situation(aligned, facts=Facts(**facts)), after[code]
    assert mended_by(known, f) == by
    for text in (what_text(aligned, f), why_text(aligned, f), mend_text(known, f)):
        assert text
        assert "{" not in text
    assert (mended(known, f) is not None) == (by == "edit")


@pytest.mark.parametrize(
    ("part", "heard", "code"),
    [
        ("voice", replace(FINE, input_peak_db=0, peak_db=0), "input_clips"),
        ("voice", replace(FINE, peak_db=2), "trim_clips"),
        ("voice", replace(FINE, input_peak_db=-90, peak_db=-90), "no_signal"),
        ("harp", replace(FINE, right_db=-90, mono_db=-26), "one_sided"),
        ("harp", replace(FINE, mono_db=-60), "cancels_in_mono"),
        ("voice", replace(FINE, bleeds_ms=(11.02, 3.1, 11.05)), "bleed"),
    ],
)
def test_what_was_heard(aligned, part, heard, code):
    before = found(aligned, listened_s=8, heard=fine(aligned))
    after = found(aligned, listened_s=8, heard=fine(aligned, **{part: heard}))
    assert after.keys() - before.keys() == {code}
    f = after[code]
    assert f.part == part
    fixed = mended(Situation(aligned), f)
    if fixed is None:
        assert by_hand(f) == "gather"
    elif code == "trim_clips":
        assert fixed.part(part).trim_db == aligned.part(part).trim_db - 3
    elif code == "no_signal":
        assert "no_signal" not in found(fixed, listened_s=8, heard=fine(fixed, **{part: heard}))
    else:
        assert part_edits.mode_of(fixed.part(part)) == "left to both"


def test_nothing_is_said_of_what_nobody_listened_to_or_that_may_be_silent(aligned):
    silent = {p.id: replace(FINE, input_peak_db=-120, peak_db=-120, left_db=-120, right_db=-120,
        mono_db=-120) for p in aligned.parts if p.channels}  # fmt: skip
    assert "no_signal" not in found(aligned, heard=silent)
    said = [f for r in soundcheck(Situation(aligned, facts=Facts(listened_s=8, heard=silent))) for f in r.findings]
    assert {f.part for f in said if f.code == "no_signal"} == {"harp", "voice", "cello"}, "people at a far end listen"
    assert "no_signal" not in {f.code for f in said if f.part == "lounge"}
    gone = found(aligned, listened_s=8, heard=silent, missing=("table", "player"))
    assert "no_signal" not in gone, "one fault is told once"
    assert "bleed" not in found(aligned, listened_s=8, heard=fine(aligned, voice=replace(FINE, bleeds_ms=(11, 25, 40))))


def test_music_that_leaks_into_the_microphone_is_found_with_its_delay(nightboat, sources, rng):
    harp, voice = sources["harp"], sources["voice"]
    wet, dry = None, None
    for start in (RATE, 5 * RATE, 9 * RATE, 13 * RATE):
        lead = harp[start : start + 3 * RATE]
        leak = 10 ** (-25 / 20) * delayed(lead, 531.4, len(lead))
        noise = 10 ** (-75 / 20) * rng.standard_normal(len(lead))
        sung = voice[start : start + 3 * RATE] + noise
        for leaks in (True, False):
            sounds = {
                "harp": np.stack([lead, lead]), "voice": np.stack([sung + leaks * leak] * 2).astype(np.float32),
            }  # fmt: skip
            heard = hear(nightboat, sounds)["voice"]
            if leaks:
                wet = merged(wet, heard)
            else:
                dry = merged(dry, heard)
    f = found(nightboat, listened_s=12, heard=fine(nightboat, voice=wet))["bleed"]
    assert f.values["ms"] == pytest.approx(531.4 / 48, abs=0.05)
    assert "bleed" not in found(nightboat, listened_s=12, heard=fine(nightboat, voice=dry))


def test_levels_that_were_heard(nightboat):
    t = np.arange(RATE) / RATE
    left = (0.5 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)
    setup = part_edits.set_trim(nightboat, "harp", 6.0)
    heard = hear(setup, {"harp": np.stack([left, -left])})["harp"]
    assert heard.peak_db == pytest.approx(-6.02, abs=0.01)
    assert heard.input_peak_db == pytest.approx(-12.02, abs=0.01)
    assert heard.left_db == pytest.approx(-9.03, abs=0.01)
    assert heard.mono_db < -100
    louder = hear(setup, {"harp": np.stack([left, 0 * left])})["harp"]
    both = merged(heard, louder)
    assert both.peak_db == heard.peak_db


def test_mends_touch_nothing_else(aligned):
    """Whatever a mend changes, the rest of the document stays as it was."""
    setup = route_edits.set_gain(aligned, "cello", "shore_stream", -60)
    f = found(setup)["faint"]
    after = mended(Situation(setup), f)
    changed = [r.part for r, s in zip(after.routes, setup.routes, strict=True) if r != s]
    assert changed == ["cello"]
    assert replace(after, routes=()) == replace(setup, routes=())
