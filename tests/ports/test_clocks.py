"""Devices with clocks of their own: sound from one to the other without a gap, at its place, for as long as an hour
lasts.

The hour itself at 48 kHz is `./run bench clocks`; here ten minutes at 8 kHz, where a tenth of a millisecond is not even
a frame.
"""

from types import SimpleNamespace

import numpy as np
import pytest

from brucke.app.engine.dropouts import Dropouts
from brucke.core.edits.route_edits import change_device
from brucke.core.knowledge.evidence import Facts, Knowledge, Matching, Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.routing.clocks import leading_card, matched, other_rate, set_points
from brucke.core.timing.paths import Situation, path
from brucke.ports.devices.card_stream import at_converter
from brucke.ports.devices.clocks.head import MatchedHead
from brucke.ports.devices.clocks.loop import Clock
from brucke.ports.devices.clocks.matching import Outgoing
from brucke.ports.devices.clocks.settling import FOLLOWS_S, WATCHES_S
from brucke.ports.devices.clocks.slips import Slips
from brucke.ports.devices.opening import wirings_of
from brucke.ports.devices.rings import Counters, RingPort

from .two_clocks import sing_through


def test_sound_crosses_two_clocks_that_are_far_apart_and_stays_at_its_place():
    heard = sing_through(600, 8000, 64, 64, (150, -150), 440)
    assert (heard.lost, heard.jumps) == (0, 0)
    assert heard.residue_db < -60, "no click"
    assert np.abs(heard.delays_s).max() < 1e-4
    assert heard.found_ppm == pytest.approx((150, -150), abs=3)
    assert len(heard.delays_s) > 500


def test_a_clock_goes_on_after_one_late_callback_and_follows_a_stream_that_jumped():
    clock = Clock(48000)
    for i in range(20000):
        clock.see(128 * i, 128 * i / 48000 + (0.2 if i == 15000 else 0.0))
    assert clock.frames_at(128 * 20000 / 48000) == pytest.approx(128 * 20000, abs=0.5)
    jumped = [clock.see(128 * i, 128 * i / 48000 + 0.5) for i in range(20000, 20400)]
    assert sum(jumped) == 1
    assert clock.frames_at(128 * 20400 / 48000 + 0.5) == pytest.approx(128 * 20400, abs=1)


def slipping(seconds, every_s, lost_s, bunch=4):
    """Callbacks in bunches, of a stream that leaves out `lost_s` every so often: (frames, seconds) each."""
    dice = np.random.default_rng(5)
    for i in range(seconds * 375):
        t = (i - i % bunch + bunch) / 375
        yield 128 * (i + 1), t + lost_s * (t // every_s) + dice.uniform(0, 0.0005)


def test_a_stream_that_slips_every_second_is_watched_to_an_end_and_its_buffer_is_called_too_small():
    """As a server of the older protocol was seen to do with a device without a clock: sixteen milliseconds, once a
    second."""
    clock, slips = Clock(48000), Slips(48000)
    jumped = [at for frames, at in slipping(120, 1.0, 0.016) if clock.see(frames, at)]
    assert np.diff(jumped[2:]).min() > FOLLOWS_S + WATCHES_S, "long enough to be watched to an end"
    found = [at for frames, at in slipping(30, 1.0, 0.016) if slips.see(frames, at)]
    assert 5 < found[0] < 9
    for every, lost in (
        (1.0, 0.0003),
        (4.0, 0.05),
        (1e9, 0.0),
    ):  # a clock that drifts, a machine held up at times, none of both
        slips = Slips(48000)
        assert not any(slips.see(frames, at) for frames, at in slipping(60, every, lost))


def test_a_driver_that_does_not_say_when_its_frames_are_at_the_converter_is_not_taken_for_one_that_does():
    def told(come, go):
        return SimpleNamespace(currentTime=100.0, inputBufferAdcTime=come, outputBufferDacTime=go)

    assert at_converter(7.0, told(99.9, 100.2), True) == pytest.approx(6.9)
    assert at_converter(7.0, told(99.9, 100.2), False) == pytest.approx(7.2)
    for come, go in ((0.0, 0.0), (100.0, 100.0), (100.5, 99.5)):
        assert at_converter(7.0, told(come, go), True) is at_converter(7.0, told(come, go), False) is None


def test_dropouts_of_a_device_that_was_let_go_are_not_taken_off_what_was_heard_of():
    seen = Dropouts()
    assert [seen.see(n) for n in (0, 5, 5, 2, 3)] == [False, True, False, False, True]
    assert seen.recent() == 6


def test_what_is_not_there_in_time_is_silence_then_comes_up_gently():
    way = Outgoing(1, 600, 48000, 48000)
    at, fetch = float, lambda first, count: np.ones((count, 1), np.float32)
    for i in range(40):
        made = way.pull(128, 128 * i, at, 1.0, fetch, 10**9)
    assert made.min() == pytest.approx(1.0, abs=1e-3)
    assert not way.pull(128, 128 * 40, at, 1.0, fetch, 0).any()
    assert way.short > 0
    again = np.concatenate([way.pull(128, 128 * i, at, 1.0, fetch, 10**9) for i in range(41, 60)])
    assert np.abs(np.diff(again, axis=0)).max() < 0.02
    assert again[-1] == pytest.approx(1.0, abs=1e-3)


def test_the_engine_reads_a_matched_device_where_its_sound_belongs_and_counts_what_is_late():
    ring = np.arange(2 * 256, dtype=np.float32).reshape(2, 256)
    told = np.zeros((4, len(MatchedHead)), np.int64)
    port = RingPort(
        np.zeros((2, 256), np.float32),
        np.zeros((1, 2, 256), np.float32),
        Counters(np.array([0, 9]), 0, 1),
        64,
        48000,
        ring,
        told,
    )
    port.match([(3, [1])])
    captures = np.ones((2, 64), np.float32)
    port.read(captures)
    assert not captures[1].any(), "nothing is there before it says so"
    assert not told[3, MatchedHead.LATE]
    told[3, [MatchedHead.THERE, MatchedHead.DELIVERED]] = 1, 100
    port.read(captures)
    assert (captures[1] == ring[1, :64]).all()
    port.write(np.zeros((1, 2, 64), np.float32))
    port.read(captures)
    assert (told[3, MatchedHead.LATE], told[3, MatchedHead.SHORT]) == (1, 28)
    heard = np.concatenate([ring[1, 63:64], captures[1]])  # it fades from where it was, and has gone
    assert np.abs(np.diff(heard)).max() < ring[1, 63] / 32
    assert heard[-1] < ring[1, 63] / 64
    port.write(np.zeros((1, 2, 64), np.float32))
    port.read(captures)
    assert not captures[1].any()
    told[3, MatchedHead.DELIVERED] = 1000
    port.write(np.zeros((1, 2, 64), np.float32))
    port.read(captures)
    assert captures[1, 0] < ring[1, 192] / 64
    assert np.abs(np.diff(captures[1])).max() < ring[1, 255] / 32


@pytest.fixture
def two_cards(nightboat):
    """The voice's interface, and headphones at a card of their own."""
    setup = change_device(nightboat, "table", card="Table")
    monitor = next(x for x in setup.listeners if x.kind == "monitor")
    return setup, monitor


def test_one_card_leads_the_others_are_matched_and_that_is_a_stage(two_cards):
    from msgspec.structs import replace

    setup, monitor = two_cards
    ears = replace(setup.device("table"), id="ears", name="Headphone box", card="MicrophoneConsumers", sets_clock=False)
    listeners = tuple(replace(x, device="ears") if x.id == monitor.id else x for x in setup.listeners)
    setup = replace(setup, devices=(*setup.devices, ears), listeners=listeners)
    assert leading_card(setup).id == "table"
    assert [d.id for d in matched(setup)] == ["ears"]
    slow = replace(
        setup, devices=tuple(replace(d, rate_hz=44100) if d.id in ("ears", "table") else d for d in setup.devices)
    )
    assert [d.id for d in slow.devices if other_rate(slow, d)] == ["table"], "what is matched may run at its own rate"
    wirings = wirings_of(setup)
    assert (wirings.leading.outputs, wirings.matched[0].inputs, wirings.matched[0].outputs) == (0, 0, monitor.channels)

    route = next(r for r in setup.routes if r.listener == monitor.id and setup.part(r.part).device == "table")
    part, heard = setup.part(route.part), setup.listener(monitor.id)
    into, out_of = (n / setup.rate_hz for n in set_points(setup.block_frames, 48000, setup.block_frames, setup.rate_hz))
    stages = {s.code: s for s in path(Situation(setup), part, heard, route)}
    assert stages["matching"].latency.value == pytest.approx(out_of)
    assert into < out_of

    way = ROUND_TRIP.way(setup)
    assert way.ids == ("ears", "table"), "measured out at the one and in at the other"
    knowledge = Knowledge().with_measurement(
        Measurement(
            key=ROUND_TRIP.key(*way.ids), value_s=0.05, plus_minus_s=1e-5, date="2026-11-24T20:00:00+00:00", method=
            "sweeps", repeats=4, agreeing=4,
            fingerprint=ROUND_TRIP.fingerprint(setup, *way.ids),
        )
    )  # fmt: skip
    facts = Facts(matched={"ears": Matching(out_s=0.02, wander_s=2e-5)})
    known = Situation(setup, knowledge, facts)
    stages = path(known, part, heard, route)
    out = sum(s.latency.value for s in stages if s.code in ("output", "matching"))
    capture = next(s for s in stages if s.code == "capture")
    assert capture.latency.value + out == pytest.approx(0.05), (
        "however it is split, the round trip is what was measured"
    )
    assert capture.evidence == "measured"
    assert next(s for s in stages if s.code == "matching").latency.value == 0.02
