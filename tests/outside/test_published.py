"""Our numbers against published ones. The source stands beside each check; “value from memory” where it is one."""

import math

import pytest

from brucke.core.findings import Verdict
from brucke.core.timing import verdicts
from brucke.core.units import (
    buffer_seconds,
    db_to_gain,
    gain_to_db,
    seconds_to_frames,
    speed_of_sound,
)
from brucke.ui.theme.tokens import contrast
from brucke.words import timing as words


@pytest.mark.parametrize(
    ("frames", "count", "rate", "ms"),
    [(128, 1, 48000, 2.67), (512, 1, 48000, 10.67), (2048, 16, 44100, 743.0), (128, 2, 48000, 5.33)],
)
def test_buffers(frames, count, rate, ms):
    """Arithmetic; common practice, no source."""
    assert buffer_seconds(frames, count, rate) * 1e3 == pytest.approx(ms, abs=0.05)


def test_decibels():
    """Arithmetic: 20·log10."""
    assert db_to_gain(-6) == pytest.approx(10 ** (-6 / 20))
    assert gain_to_db(0.5) == pytest.approx(-6.0206, abs=1e-4)
    assert db_to_gain(-120) == 0
    assert seconds_to_frames(0.0105, 48000) == 504


def test_speed_of_sound():
    """ISO 9613-1 (values from memory): 343.2 m/s at 20 °C, about 331.3 m/s at 0 °C."""
    assert speed_of_sound(20) == pytest.approx(343.2)
    assert speed_of_sound(0) == pytest.approx(331.3, abs=0.1)


@pytest.mark.parametrize("ta_ms", [50, 100, 101, 150, 200, 300, 400, 1000])
def test_delay_impairment(ta_ms):
    """ITU-T G.107, Idd (formula from memory), worked here step by step; nothing up to 100 ms, then ever more."""
    expected = 0.0
    if ta_ms > 100:
        x = math.log(ta_ms / 100) / math.log(2)
        a = math.pow(1 + math.pow(x, 6), 1 / 6)
        b = 3 * math.pow(1 + math.pow(x / 3, 6), 1 / 6)
        expected = 25 * (a - b + 2)
    assert verdicts.delay_impairment(ta_ms / 1e3) == pytest.approx(expected, abs=1e-9)
    assert verdicts.delay_impairment(ta_ms / 1e3 + 0.05) > expected - 1e-12


def test_sound_against_picture_bands():
    """ITU-R BT.1359-1: detectable +45/−125 ms, unacceptable +90/−185 ms; EBU R 37: 40 ms early, 60 ms late (from
    memory)."""
    assert verdicts.DETECTABLE_S == (0.045, -0.125)
    assert verdicts.UNACCEPTABLE_S == (0.090, -0.185)
    assert (verdicts.PICTURE_EARLY_S, verdicts.PICTURE_LATE_S) == (0.040, 0.060)
    # What we leave at most (half a period at 25 pictures a second) is inside the stricter of the two.
    assert 0.5 / 25 < verdicts.PICTURE_EARLY_S < verdicts.DETECTABLE_S[0]


@pytest.mark.parametrize(
    ("own_ms", "said"), [(10, "comfortable"), (24, "felt, still playable"), (45, "too late to play with")]
)
def test_own_sound_wording_follows_the_ensemble_threshold(own_ms, said, nightboat):
    """About 20 to 30 ms (studies of paired clapping, 2002 to 2010; value from memory)."""
    from msgspec.structs import replace

    from brucke.core.aligning.align import timing
    from brucke.core.edits.route_edits import change_device
    from brucke.core.knowledge.evidence import Facts
    from brucke.core.timing.paths import Situation

    setup = change_device(nightboat, "table", buffer_frames=round(own_ms * 48 / 4), buffers=2)
    setup = replace(setup, parts=tuple(replace(p, chain=()) for p in setup.parts))
    t = timing(Situation(setup)).of("headphones")
    assert t.verdict.off_s * 1e3 == pytest.approx(own_ms, abs=0.1)
    assert words.verdict_detail(setup, t, Facts()).startswith(said)


@pytest.mark.parametrize(
    ("way_ms", "said"), [(120, "heard there after"), (250, "talking over each other"), (450, "too late to talk")]
)
def test_a_call_is_judged_by_one_way_delay(way_ms, said, nightboat):
    """ITU-T G.114 (from memory): to 150 ms good for most uses, beyond 400 ms not acceptable for planning."""
    from brucke.core.aligning.align import timing
    from brucke.core.knowledge.evidence import Facts
    from brucke.core.timing.paths import Situation

    facts = Facts(reported_s={"lounge_call:out": (way_ms - 10) / 1e3})
    detail = words.verdict_detail(nightboat, timing(Situation(nightboat, facts=facts)).of("lounge_call"), facts)
    assert said in detail
    assert f"{way_ms} ms" in detail


def test_contrast_formula():
    """WCAG 2.2: black on white is 21 : 1; #767676 on white is 4.54 : 1 (the well-known limit, value from memory)."""
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    assert contrast("#767676", "#FFFFFF") == pytest.approx(4.54, abs=0.01)
    assert contrast("#123456", "#654321") == contrast("#654321", "#123456")


def test_a_verdict_text_never_shows_minus_zero():
    v = Verdict(code="late", listener="x", part="y", off_s=-0.00001)
    from brucke.core.document.setup import Setup

    assert words.verdict_text(Setup(), v) == "y late 0.0 ms"
    assert words.ms_text(-0.00001) == "0.0 ms"
    assert words.ms_text(-0.0123) == "−12.3 ms"
