"""An hour has one clock: engines come and go, and block number, song, take, film and far ends stay where they were. In
simulated time: the engine's own host, the world and the recorder on one region, without waiting."""

import os

import numpy as np
import pytest

from brucke.core.aligning.align import align
from brucke.core.knowledge.evidence import Facts, Knowledge
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.measure.round_trip import round_trip
from brucke.core.routing.rows import rows_of
from brucke.core.timing.make_evidence import measurement
from brucke.core.timing.paths import Situation
from brucke.demo import FOLDER, SETUP
from brucke.engine.processes import host as host_module
from brucke.engine.processes.channel import Channel
from brucke.engine.processes.host import Host
from brucke.engine.processes.lives import Why, lives
from brucke.engine.processes.messages import GiveFarEnds, KeepFarEnds
from brucke.engine.processes.reading import Reading
from brucke.engine.processes.recorder import Recorder
from brucke.engine.processes.region import Head, Region
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plans, shape_of
from brucke.ports.devices.opening import Wirings
from brucke.ports.sounds.segments import gaps, read_segments, read_track
from brucke.rehearse.offline import Offline
from brucke.standins.live import LiveWorld
from brucke.standins.options import Options
from brucke.standins.truth import invent, reports
from brucke.standins.world import World
from brucke.takes.judging import judge
from brucke.takes.proof import prove_take
from brucke.takes.sounds import take_sound
from brucke.takes.take import Take, far_ends_in, save_take

RATE, N = 48000, 128


class Clock:
    """Monotonic time that goes on only when it is told to."""

    def __init__(self):
        self.ns = 10**12

    def pass_by(self, seconds):
        self.ns += round(seconds * 1e9)


class Card:
    """That leads."""

    devices = (0,)


class Running:
    """Everything that shares a region, one block after the other."""

    def __init__(self, setup, sounds, monkeypatch):
        self.clock, self.ends = Clock(), []
        monkeypatch.setattr(host_module.time, "monotonic_ns", lambda: self.clock.ns)
        self.region = Region(shape_of(setup))
        plans = compile_plans(setup, Live())
        self.region.write_plan(plans.plan, plans.moments)
        self.world = World(setup, rows_of(setup), invent(setup, 1, True), sounds)
        options = Options(str(SETUP), (str(FOLDER),), 1, True, (), False)
        self.live_world = LiveWorld(self.region, self.channel(), self.world, lambda do: do(), None, options)
        self.live_world.begin()
        self.recorder = Recorder(self.region, self.channel())
        self.standby = self.make()
        self.engine = self.go()

    def channel(self):
        ours, theirs = Channel.pair()
        self.ends.append(theirs)  # who closes them is gone
        return ours

    def make(self):
        return Host(self.region, self.channel(), [], Wirings())

    def go(self):
        """Whoever stands by takes over, and another one is made ready."""
        engine, self.standby = self.standby, self.make()
        engine.port.drive = lambda block: None  # blocks are asked for one by one
        engine.run()
        return engine

    def run(self, seconds):
        for _ in range(round(seconds * RATE / N)):
            self.clock.pass_by(N / RATE)
            assert self.engine.period()
            while self.live_world.turn():
                pass
            if self.recorder.writers and self.region.get(Head.FRAMES) % (40 * N) == 0:
                self.recorder.drain()

    def die(self, gap_s):
        self.clock.pass_by(gap_s)
        self.engine = self.go()


@pytest.fixture
def running(nightboat, sounds, monkeypatch):
    r = Running(nightboat, sounds, monkeypatch)
    yield r
    r.region.close()


def test_a_standby_goes_on_where_the_hour_is_and_not_where_it_was_made(running):
    """It was made before the first block; the one before it dies after twenty minutes."""
    running.world.play()
    running.run(1.0)
    far = 20 * 60 * RATE // N * N  # as if twenty minutes had passed since
    for head in (Head.OUT_BLOCKS, Head.IN_BLOCKS):
        running.region.set(head, running.region.get(head) + far // N)
    running.region.set(Head.RECORDED, running.region.get(Head.RECORDED) + far)
    running.live_world._done += far // N
    running.engine.rings.begin()
    running.run(0.5)
    before = {h: running.region.get(h) for h in (Head.OUT_BLOCKS, Head.RECORDED, Head.PLAYER_FRAME)}
    running.die(1.0)
    running.run(0.5)
    after = {h: running.region.get(h) for h in before}
    passed = round(1.5 * RATE / N)
    assert after[Head.OUT_BLOCKS] - before[Head.OUT_BLOCKS] == pytest.approx(passed, abs=1)
    assert after[Head.RECORDED] == after[Head.OUT_BLOCKS] * N
    assert after[Head.PLAYER_FRAME] - before[Head.PLAYER_FRAME] == pytest.approx(1.5 * RATE, abs=2 * N), (
        "the song went on"
    )
    running.world.pause()
    running.run(0.5)
    at = running.region.get(Head.PLAYER_FRAME)
    running.run(0.5)
    assert running.region.get(Head.PLAYER_FRAME) == at, "and pauses when it is asked to"
    assert [life.why for life in lives(running.region)] == [Why.BEGAN, Why.REPLACED]
    assert lives(running.region)[1].gap == pytest.approx(RATE, abs=2 * N)


def test_totals_only_grow_whichever_engine_counts(running):
    running.run(0.2)
    running.engine.rings.missed, running.engine.runner.engine.bad[0] = 7, 3
    running.engine.runner.engine.clips[2] = 5
    running.engine.wiring = Card()
    running.engine.device_says(False, 0.0, 0.0, 11, 0, 0)
    running.run(0.2)
    for _ in range(3):
        running.die(0.4)
        running.run(0.1)
    running.engine.rings.missed, running.engine.wiring = 1, Card()
    running.engine.device_says(False, 0.0, 0.0, 2, 0, 0)
    running.run(0.1)
    assert running.region.get(Head.MISSED) == 8
    assert running.region.get(Head.NOT_FINITE) == 3
    assert running.region.get(Head.CARD_DROPOUTS) == 13
    assert running.region["clips"][2] == 5


def test_an_engine_that_was_stopped_for_a_while_goes_on_with_time(running):
    running.world.play()
    running.run(1.0)
    frame, song = running.region.get(Head.RECORDED), running.region.get(Head.PLAYER_FRAME)
    running.clock.pass_by(0.5)
    running.run(0.5)
    assert running.region.get(Head.RECORDED) - frame == pytest.approx(RATE, abs=2 * N)
    assert running.region.get(Head.PLAYER_FRAME) - song == pytest.approx(RATE, abs=2 * N)
    assert lives(running.region)[-1].why == Why.STOOD_STILL
    assert running.region.get(Head.GAPS) == pytest.approx(0.5 * RATE, abs=2 * N)


def aligned(setup, sounds):
    """In step, by a round trip that was measured."""
    truth = invent(setup, 1, True)
    session = Offline(setup, truth, sounds)
    session.world.cable = "plugged"
    session.run(0.1)
    way = ROUND_TRIP.way(setup)
    stimulus, recording, spacing = session.measure(way.listener, way.capture)
    found = round_trip(stimulus, recording, 4, spacing, RATE, 0.4)
    knowledge = Knowledge().with_measurement(measurement(ROUND_TRIP, setup, way.ids, found, "sweeps"))
    return align(Situation(setup, knowledge, Facts(reported_s=reports(setup, truth))))


def test_twenty_kills_in_a_take_and_the_proof_holds_with_everything_in_its_place(
    nightboat, sounds, sources, monkeypatch, tmp_path
):
    """Aligned first, so that every verdict has to be “in step”, and stays so."""
    setup = aligned(nightboat, sounds)
    running = Running(setup, sounds, monkeypatch)
    running.run(0.5)
    running.world.play()
    running.live_world.act(KeepFarEnds(folder=str(tmp_path / "far_ends")))
    parts = [(p.id, i, len(p.channels)) for i, p in enumerate(setup.parts) if p.channels]
    listeners = [(x.id, i, x.channels) for i, x in enumerate(setup.listeners)]
    rows = Reading(running.region, rows_of(setup).order(setup)).track_rows(parts, listeners)
    running.recorder.start(tmp_path, rows)
    rng = np.random.default_rng(3)
    killed = rng.uniform(0.2, 1.2, 20)
    longer = float(os.environ.get("BRUCKE_TAKE_S", "70")) / 70
    for gap in killed:
        running.run(longer * rng.uniform(2.0, 3.0))
        running.die(gap)
    running.run(3.0)
    running.recorder.stop()
    running.live_world.act(GiveFarEnds())
    segments = read_segments(tmp_path)
    said = gaps(segments)
    assert [frames / RATE for _, frames, _ in said] == pytest.approx(list(killed), abs=2 * N / RATE)
    assert {why for *_, why in said} == {"engine"}
    whole, _ = take_sound(tmp_path, "parts/harp.wav")
    assert whole.shape[1] == segments[-1].frame + segments[-1].frames - segments[0].frame
    for at, frames, _ in said:
        assert not whole[:, at : at + frames].any()
    take = Take(
        date="2026-11-30T05:00:00.000+00:00", setup=setup, parts={p: f"parts/{p}.wav" for p, *_ in parts},
        listeners={x: f"listeners/{x}.wav" for x, *_ in listeners}, far_ends=far_ends_in(tmp_path, setup),
        track=read_track(tmp_path),
    )  # fmt: skip
    save_take(tmp_path, take)
    verdicts = judge(prove_take(tmp_path, take, sources))
    assert all(p.code == "in_step" for v in verdicts.values() for p in v.parts)
    assert all(abs(p.left_s) < 1 / RATE for v in verdicts.values() for p in v.parts), "to one frame, in what they got"
    picture = verdicts["shore_stream"].picture
    assert picture.windows >= 10
    assert picture.plus_minus_s < 0.017, "all of the film shows the same"
    sent, _ = take_sound(tmp_path, "listeners/lounge_call.wav")
    got, _ = take_sound(tmp_path, "far_ends/lounge_call.wav")
    late = lateness_in_windows(sent[:2].mean(axis=0), got.mean(axis=0))
    assert len(set(late)) == 1, "the far end is shifted nowhere"


def lateness_in_windows(sent, got):
    """In frames, in every third window of two seconds, by plain correlation."""
    size, found = 2 * RATE, []
    for at in range(0, len(sent) - 2 * size, 3 * size):
        far = np.fft.rfft(got[at : at + size + RATE // 2], 2**18)
        found.append(int(np.argmax(np.abs(np.fft.irfft(far * np.conj(np.fft.rfft(sent[at : at + size], 2**18)))))))
    return found
