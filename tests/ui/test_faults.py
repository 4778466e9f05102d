"""Twelve faults, each planted in an hour that was in step: one screen says part, direction, how much and how surely,
why, how that is known and when, and what to press; pressing it mends it."""

import re

import pytest
from msgspec.structs import replace

from brucke.core.aligning.align import align
from brucke.core.aligning.evidence_edits import note_late
from brucke.core.document.setup import EnteredStage
from brucke.core.edits.chain_edits import add_processor
from brucke.core.edits.listener_edits import set_there, set_waiting
from brucke.core.edits.route_edits import set_delay
from brucke.core.knowledge.evidence import Measurement
from brucke.core.knowledge.quantities import PICTURE, ROUND_TRIP
from brucke.core.sound.processors import NoiseRemoval
from brucke.core.timing.hand_off import hand_off

from .conftest import press

DAY = "2026-11-27T10:00:00+00:00"
STREAM = "shore_stream"


def measured(quantity, setup, ids, ms, method, there_ms=0.0):
    return Measurement(
        key=quantity.key(*ids), value_s=ms / 1e3, plus_minus_s=1e-4, date=DAY, method=method, repeats=4, agreeing=4,
        fingerprint=quantity.fingerprint(setup, *ids), there_s=there_ms / 1e3,
    )  # fmt: skip


def trip(w, ms):
    w.session.learn(
        w.session.knowledge.with_measurement(measured(ROUND_TRIP, w.session.setup, ("table",), ms, "sweeps"))
    )


def picture(w, ms, there_ms=0.0):
    found = measured(PICTURE, w.session.setup, ("picture", STREAM), ms, "claps", there_ms)
    w.session.learn(w.session.knowledge.with_measurement(found))


def edited(change):
    def plant(w):
        w.session.edit("planted", change(w.session.setup), "align")

    return plant


def delayed(part, by_ms):
    return edited(lambda s: set_delay(s, part, STREAM, s.route(part, STREAM).delay_ms + by_ms))


def without_delays(s):
    return replace(s, routes=tuple(replace(r, delay_ms=0.0) for r in s.routes))


def pedal(s):
    step = (EnteredStage(name="pedal", latency_ms=20.0, plus_minus_ms=2.0),)
    return replace(s, parts=tuple(replace(p, stages=step) if p.id == "cello" else p for p in s.parts))


FAULTS = {
    "nobody was delayed": edited(without_delays),
    "the harp came too early": delayed("harp", -10.0),
    "the harp waits too long": delayed("harp", 15.0),
    "the voice waits too long": delayed("voice", 12.0),
    "the cello waits a little too long": delayed("cello", 3.0),
    "the picture got slower": lambda w: picture(w, 190.0),
    "the picture got faster": lambda w: picture(w, 5.0),
    "a pedal before the cello": edited(pedal),
    "noise removal on the voice": edited(lambda s: add_processor(s, "part/voice", NoiseRemoval())),
    "a box in a recording": edited(lambda s: note_late(s, "cello", "harp", STREAM, 120.0, 1.0)),
    "another driver": lambda w: trip(w, 140.0),
    "everybody later on request": edited(lambda s: set_waiting(s, STREAM, 25.0, 2000.0)),
}


@pytest.mark.parametrize("fault", FAULTS)
def test_one_screen_tells_a_fault_and_one_press_mends_it(window, fault):
    w = window
    trip(w, 11.6)
    picture(w, 27.1 if "faster" in fault else 95.0)  # as slow as the sounds, or slower
    w.session.edit("in step", align(w.session.situation), "align")
    assert w.session.timing.of(STREAM).verdict.code == "in_step"
    FAULTS[fault](w)
    w.go_to("align")
    w.align.choose_listener(STREAM)
    verdict = w.session.timing.of(STREAM).verdict
    assert verdict.code in ("early", "late", "picture_first")
    side = w.align.side
    part = w.session.setup.part(verdict.part).name
    assert side.title.text() == part
    said = f"{side.verdict.headline.text()} {side.verdict.reason.text()}"
    assert f"{abs(verdict.off_s) * 1e3:.1f} ms" in said
    word = "late" if verdict.off_s > 0 else "early"
    assert word in side.verdict.headline.text()
    assert re.search(r"± \d|exactly", side.verdict.plus_minus.text())
    assert len(side.verdict.reason.text()) > 20
    assert "4 of 4 sweeps agree" in side.evidence.found.text()
    assert "measured" in side.evidence.when.text()
    assert "27 November" in side.evidence.when.text() or "10:00" in side.evidence.when.text()
    mend(w)
    if w.session.timing.of(STREAM).verdict.code == "picture_first":
        mend(w)  # where all sounds have to wait, the picture has to as well, and only the program there can make it
    assert w.session.timing.of(STREAM).verdict.code == "in_step"


def mend(w):
    """The action on the screen: a press, or what it says is entered in the stand-in, whose picture then comes that much
    later, and measured again."""
    side, t = w.align.side, w.session.timing.of(STREAM)
    if t.verdict.code != "picture_first":
        press(next(b for b in (side.verdict.all, side.verdict.one) if b.isVisibleTo(w.align)))
        return
    path = w.session.situation.measured(PICTURE, "picture", STREAM).value_s * 1e3
    wait = hand_off(w.session.setup, t).picture_ms
    assert f"+{t.hand_off_s * 1e3:.0f} ms" in side.hand_off.value.text()
    w.session.edit("entered", set_there(w.session.setup, STREAM, wait, 0.0), "align")
    assert w.session.timing.of(STREAM).hand_off_s == pytest.approx(0, abs=1e-4), "noted, it is asked for no more"
    picture(w, path + wait, wait)
