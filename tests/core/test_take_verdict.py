"""The one verdict of a take: uncertainty never makes it kinder, and every routed part appears."""

import numpy as np
import pytest
from msgspec.structs import replace
from scipy import stats

from brucke.core.edits.route_edits import set_on
from brucke.core.measure.expected_source import SILENT, TrackMark, played
from brucke.core.measure.take_offset import left_between
from brucke.core.timing.take_verdict import ListenerProof, PartLeft, half_width_s, part_verdict, take_verdict
from brucke.words.review import needs_you, part_text, take_text

RATE = 48000


def left(median, error=0.5, windows=24, **more):
    return PartLeft(median_ms=median, error_ms=error, scatter_ms=5.0, windows=windows, looked=windows, **more)


def test_the_interval_is_students():
    """Against SciPy's t distribution: half of the 95 % interval of a mean of so many."""
    for windows in (4, 6, 9, 11, 21, 31):
        assert half_width_s(1.0, windows) == pytest.approx(stats.t.ppf(0.975, windows - 1), rel=0.002)
    for windows in (13, 18, 45, 119):
        assert half_width_s(1.0, windows) >= stats.t.ppf(0.975, windows - 1) * 0.999, "never narrower than it is"


@pytest.mark.parametrize(
    ("what", "code", "said"),
    [
        (left(0.2), "in_step", "in step within 1.2 ms"),
        (left(2.6, 1.5), "in_step", "in step within 5.7 ms"),
        (left(3.0, 2.5), "not_sure", "not sure, +3.00 ms ± 5.2: record 10 s more"),
        (left(12.0, 3.9), "late", "late 12.0 ms"),
        (left(-85.0, 30.0), "early", "early 85.0 ms"),
        (left(-1.4, 0.1), "early", "early 1.4 ms"),
        (left(85.0, 0.0, windows=2), "too_little", "too little to judge"),
        (PartLeft(looked=20), "not_found", "not found"),
        (PartLeft(), "too_little", "too little to judge"),
        (PartLeft(reason="no_source"), "not_found", "no sound on the beat to look for"),
        (left(0.1, 0.05, reason="disagree"), "not_sure", "not sure: its moments contradict each other"),
    ],
)
def test_what_may_be_said_of_one_part(what, code, said):
    found = part_verdict("voice", what, 1.0)
    assert (found.code, part_text(found)) == (code, said)


def test_known_sources_on_one_clock_are_held_to_one_frame():
    frame = 1 / RATE
    assert part_verdict("v", left(0.0208, 0.0), 1.0, frame).code == "in_step"
    assert part_verdict("v", left(0.03, 0.0), 1.0, frame).code == "late"
    assert part_verdict("v", left(0.015, 0.01), 1.0, frame).code == "not_sure"


def test_every_routed_part_appears_and_a_listener_is_only_in_step_when_all_are(nightboat):
    proof = ListenerProof(lead="harp", left={"harp": left(0, 0), "voice": left(0.1)})
    found = take_verdict(nightboat, "", "recorder", proof, 1.0)
    assert {p.part: p.code for p in found.parts} == {"harp": "in_step", "voice": "in_step", "cello": "not_found"}
    assert not found.in_step
    assert take_text(nightboat, found) == "cello not found"
    assert needs_you(found)
    without = set_on(nightboat, "cello", "recorder", False)
    assert take_text(without, take_verdict(without, "", "recorder", proof, 1.0)) == "in step within 1.1 ms"
    assert take_text(nightboat, take_verdict(nightboat, "", "recorder", None, 1.0)) == "not measured"


def mixed(sources, marks, late, frames, rng):
    length = len(sources["harp"])
    mix = 0.003 * rng.standard_normal(frames).astype(np.float32)
    for part, by in late.items():
        sound = played(np.pad(sources[part], (0, length))[:length], marks, frames, length)
        mix[by + 900 :] += sound[: frames - by - 900]  # everything 900 frames later: the way to a far end
    return mix


def test_the_proof_follows_the_track_through_loops_count_in_seeks_and_pauses(sources, rng):
    """A six second loop, 10 ms late, read 0.5 ms while the proof thought that the track had gone straight on."""
    six = 6 * RATE
    marks = [TrackMark(RATE * 2, 8 * RATE)]  # two seconds of count-in, then from second 8
    marks += [TrackMark(2 * RATE + six * k, 8 * RATE) for k in (1, 2)]
    marks += [TrackMark(17 * RATE, SILENT), TrackMark(19 * RATE, 21 * RATE)]  # a pause, then elsewhere
    late = {"harp": 0, "voice": 480, "cello": 480}
    heard = mixed(sources, marks, late, 34 * RATE, rng)
    found = left_between({p: sources[p] for p in late}, "harp", heard, RATE, marks)
    assert found.late == pytest.approx(900, abs=0.5)
    for part in ("voice", "cello"):
        assert found.left[part].median_s * 1e3 == pytest.approx(10.0, abs=0.02)
        assert found.left[part].agree
        assert found.left[part].windows >= 0.8 * found.left[part].looked >= 6


def test_a_part_that_came_upside_down_is_found_and_said(nightboat, sources, rng):
    marks, late = [TrackMark(0, 5 * RATE)], {"harp": 0, "voice": 0}
    heard = mixed({**sources, "voice": -sources["voice"]}, marks, late, 30 * RATE, rng)
    found = left_between({p: sources[p] for p in late}, "harp", heard, RATE, marks)
    voice = found.left["voice"]
    assert voice.inverted
    assert not found.left.get("harp")
    assert voice.median_s * 1e3 == pytest.approx(0, abs=0.02)
    proof = ListenerProof(
        left={"harp": left(0, 0, 0), "voice": replace(left(0.0, 0.1, 30), inverted=True)}, lead="harp"
    )
    without = set_on(nightboat, "cello", "shore_stream", False)
    said = take_text(without, take_verdict(without, "", "shore_stream", proof, 1.0))
    assert said.startswith("in step within")
    assert said.endswith(", voice upside down")


def test_windows_that_disagree_are_refused_and_not_averaged(sources, rng):
    """In half of the take the voice is with the music, then 10 ms late: no median of that is true."""
    marks = [TrackMark(0, 5 * RATE)]
    early, late = (mixed(sources, marks, {"harp": 0, "voice": by}, 30 * RATE, rng) for by in (0, 480))
    heard = np.concatenate([early[: 17 * RATE], late[17 * RATE :]])
    found = left_between({p: sources[p] for p in ("harp", "voice")}, "harp", heard, RATE, marks)
    voice = found.left["voice"]
    assert not voice.agree or voice.error_s * 2 > 0.004
    v = part_verdict("voice", left(voice.median_s * 1e3, voice.error_s * 1e3, voice.windows,
        reason="" if voice.agree else
        "disagree"), 1.0)  # fmt: skip
    assert v.code == "not_sure"
