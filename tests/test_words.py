"""Every code has one sentence, with true minus signs and units, and nothing left unfilled."""

import itertools
import re
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from brucke.core.aligning.align import align, timing
from brucke.core.edits.route_edits import change_device, rename, set_delay, set_delays, set_gain, set_on, set_processed
from brucke.core.findings import Finding, Verdict, VerdictCode
from brucke.core.knowledge.evidence import Facts, Knowledge, Measurement, Spoil
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.timing.paths import Situation
from brucke.words import explanations
from brucke.words import timing as words
from brucke.words.refusals import MEASURE_REFUSALS, refusal_text


def whole(text):
    assert text
    assert not re.search(r"[{}]|None|nan", text), text
    assert "\n" not in text
    assert not re.search(r"(^|\s)-\d", text), "a true minus sign"
    return text


@pytest.mark.parametrize("code", get_args(VerdictCode))
def test_every_verdict_has_a_short_sentence(nightboat, code):
    v = Verdict(code=code, listener="shore_stream", part="voice", off_s=-0.042, plus_minus_s=0.0003)
    text = whole(words.verdict_text(nightboat, v))
    assert len(text) < 32
    assert text[0].islower()


def test_only_verdicts_that_ask_for_something_ask(nightboat):
    asks = {c for c in get_args(VerdictCode) if words.needs_you(Verdict(code=c, listener="x"))}
    assert asks == {"early", "late", "picture_first", "not_aligned"}
    assert not words.needs_you(Verdict(code="late", listener="x", least_delay=True))


@pytest.mark.parametrize(
    "finding",
    [
        Finding(code="cycle", part="voice", values={"ring": "voice → cello → voice"}),
        Finding(code="lead_not_heard", part="voice", listener="headphones", values={"lead": "harp"}),
        Finding(code="does_not_hear_itself", part="cello", listener="headphones"),
        Finding(code="delay_too_long", part="harp", listener="shore_stream", values={"ms": 2400.0}),
    ],
)
def test_every_finding_says_what_to_whom_and_what_to_do(nightboat, finding):
    text = whole(words.finding_text(nightboat, finding))
    assert text.endswith(".")
    assert words.part_name(nightboat, finding.part) in text


@pytest.mark.parametrize("code", MEASURE_REFUSALS)
def test_every_refusal_is_a_sentence(code):
    text = whole(refusal_text(code, {"second_ms": 10.0, "spread_frames": 3.0, "lost": 4.0}))
    assert text.startswith("Not measured: ")
    assert text.endswith((".", "?"))


def test_every_route_of_the_demo_has_its_words_before_and_after(nightboat):
    for setup in (nightboat, align(Situation(nightboat))):
        for t in timing(Situation(setup)).listeners:
            whole(words.verdict_text(setup, t.verdict))
            whole(words.verdict_detail(setup, t, Facts()))
            for r in t.routes:
                whole(explanations.route_text(setup, r))
                whole(explanations.route_headline(setup, r))
                assert whole(explanations.route_reason(setup, t, r)).endswith(".")
                whole(words.hearing_text(setup, r.part))
                for s in r.stages:
                    whole(words.stage_text(setup, s))
                    assert len(words.stage_short(s)) <= len("picture coder")


def test_numbers_as_words():
    assert words.ms_text(0.042) == "42.0 ms"
    assert words.ms_text(-0.042, 2) == "−42.00 ms"
    assert words.plus_minus_text(0.00031) == "± 0.31"
    assert words.plus_minus_text(0.0000104) == "± 0.010"
    assert words.plus_minus_text(0.0042) == "± 4.2"
    assert words.plus_minus_text(0.0) == ""
    assert words.plus_minus_text(2e-7) == "less than 0.01 ms"
    assert words.db_text(-6.04) == "−6.0 dB"
    assert words.db_text(4.5) == "+4.5 dB"
    assert words.db_text(0.0) == "0.0 dB"
    assert words.db_text(-120) == "silent"


def test_dates_are_today_or_a_day(monkeypatch):
    from datetime import datetime

    now = datetime.now().astimezone()
    assert words.date_text(now.isoformat()) == f"today {now:%H:%M}"
    assert words.date_text("2020-11-24T19:42:00+00:00") == "24 November, 19:42"


def test_names_fall_back_to_ids(nightboat):
    assert words.part_name(nightboat, "ghost") == "ghost"
    assert words.route_name(nightboat, "voice", "shore_stream") == "Voice → Shore stream"


# Edits: each changes what it names and nothing else.


@given(
    pick=st.integers(0, 14), delay=st.floats(-100, 5000, allow_nan=False), gain=st.floats(-300, 60, allow_nan=False),
    on=st.booleans(),
)  # fmt: skip
def test_edits_are_pure_and_touch_one_route(pick, delay, gain, on):
    from brucke.demo.make_setup import nightboat as make

    setup = make()
    r = setup.routes[pick]
    for edited, field, low, high in (
        (set_delay(setup, r.part, r.listener, delay), "delay_ms", 0, 2000),
        (set_gain(setup, r.part, r.listener, gain), "gain_db", -120, 12),
    ):
        assert setup == make(), "the old setup is as it was"
        new = edited.routes[pick]
        assert low <= getattr(new, field) <= high
        assert replace(new, **{field: getattr(r, field)}) == r
        assert edited.routes[:pick] + edited.routes[pick + 1 :] == setup.routes[:pick] + setup.routes[pick + 1 :]
    assert set_on(setup, r.part, r.listener, on).routes[pick].on is on
    assert set_processed(setup, r.part, r.listener, on).routes[pick].processed is on


def test_edits_of_what_is_not_there_are_errors(nightboat):
    with pytest.raises(KeyError, match="no route picture → recorder"):
        set_delay(nightboat, "picture", "recorder", 5)
    assert rename(nightboat, "  ").name == nightboat.name
    assert rename(nightboat, " Night two ").name == "Night two"
    several = set_delays(nightboat, [("harp", "recorder", 1.0), ("voice", "recorder", 2.0)])
    assert [several.route(p, "recorder").delay_ms for p in ("harp", "voice")] == [1.0, 2.0]


# Evidence: append-only, newest that counts first.


def test_evidence_counts_by_fingerprint_and_time(nightboat):
    table = nightboat.device("table")
    print_ = ROUND_TRIP.fingerprint(nightboat, table.id)
    base = {"key": "k", "plus_minus_s": 0.0, "method": "sweeps", "repeats": 4, "agreeing": 4}
    old = Measurement(value_s=0.010, date="2026-11-24T10:00", fingerprint=print_, **base)
    other = Measurement(value_s=0.020, date="2026-11-24T11:00", fingerprint="another", **base)
    new = Measurement(value_s=0.011, date="2026-11-24T12:00", fingerprint=print_, **base)
    k = Knowledge()
    for m in (old, other, new):
        k = k.with_measurement(m)
    assert k.newest("k").value_s == new.value_s
    assert k.good("k", print_).value_s == new.value_s
    assert k.good("k", "another").value_s == other.value_s
    spoiled = k.with_spoil(Spoil(key="k", date="2026-11-24T11:30", reason="slept"))
    assert spoiled.unconfirmed(spoiled.good("k", "another")), "it counts, and is not simply measured"
    assert spoiled.unconfirmed(spoiled.newest("k")), "whatever the time of day says"
    assert k.good("elsewhere", print_) is None
    prints = {
        ROUND_TRIP.fingerprint(s, s.device("table").id)
        for s in (
            nightboat,
            replace(nightboat, rate_hz=44100),
            replace(nightboat, block_frames=256),
            change_device(nightboat, "table", buffers=3),
            change_device(nightboat, "table", buffer_frames=256),
        )
    }
    assert len(prints) == 5
    assert ROUND_TRIP.fingerprint(rename(nightboat, "x"), table.id) == print_


def test_words_of_a_measurement_name_repeats_and_agreement():
    m = Measurement(
        key="k", value_s=0.0106, plus_minus_s=0.000005, date="2026-11-24T10:00", method="sweeps", repeats=8, agreeing=7,
        fingerprint="x",
    )  # fmt: skip
    assert words.measurement_text(m) == "7 of 8 sweeps agree within 0.01 ms"


def test_call_verdict_details_grow_with_the_delay_we_add(nightboat):
    facts = Facts(reported_s={"lounge_call:out": 0.13})
    details = [
        words.verdict_detail(s, timing(Situation(s, facts=facts)).of("lounge_call"), facts)
        for s in (nightboat, set_delay(nightboat, "voice", "lounge_call", 100))
    ]
    ways = [int(re.search(r"after (\d+) ms", d).group(1)) for d in details]
    assert ways[1] == ways[0] + 100
    assert all(a != b for a, b in itertools.pairwise(details))
