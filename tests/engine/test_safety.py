"""What is told about safety is heard in the next block, whatever plans do: silence, mutes, moments, doors,
measuring."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.app.engine.live_reconfiguration import admits, carried
from brucke.core.document.setup import Device, Listener, Moment, MomentRoute, Part, Route, Setup
from brucke.core.edits import route_edits
from brucke.core.routing.rows import rows_of
from brucke.engine.step.live import Live, moment_key
from brucke.engine.step.plan import compile_plan, compile_plans, shape_of
from brucke.engine.step.runner import MeasureOrder, Runner
from brucke.engine.step.safety import Safety, Word, safety_of

RATE, N = 48000, 128
FADED = -(-round(0.009 * RATE) // N)  # blocks until a mute or silence is complete


@pytest.fixture
def setup() -> Setup:
    card = Device(id="card", name="Card", kind="interface", buffer_frames=128, buffers=2)
    parts = tuple(Part(id=f"p{i}", name=f"Part {i}", kind="lead", device="card", channels=(i,)) for i in range(2))
    listeners = (Listener(id="phones", name="Phones", kind="monitor", device="card"),
        Listener(id="tape", name="Tape", kind=
        "recorder", device="card"))  # fmt: skip
    routes = tuple(Route(part=p.id, listener=x.id, gain_db=-6.0, delay_ms=3.0 * i) for i,
        p in enumerate(parts) for x in listeners)  # fmt: skip
    talk = Moment(id="talk", name="Talk", routes=(MomentRoute(part="p1", listener="phones", mute=True),), policy={
        "tape": "least_delay"})  # fmt: skip
    return Setup(devices=(card,), parts=parts, listeners=listeners, routes=routes, moments=(talk,))


class Playing:
    """A runner on two sines, told and edited between its blocks."""

    def __init__(self, setup: Setup):
        self.setup, self.rows, self.live = setup, rows_of(setup, roomy=True), Live()
        shape = shape_of(setup, self.rows)
        self.safety = Safety.of(shape)
        self.runner = Runner(shape, compile_plan(setup, Live(), self.rows), safety=self.safety)
        self.runner.begin_with(compile_plans(setup, Live(), self.rows))
        self.at = 0

    def tell(self, **live):
        self.live = replace(self.live, **live)
        self.safety.write(safety_of(self.setup, self.live, self.rows))

    def play(self, blocks):
        heard = []
        for _ in range(blocks):
            t = (self.at + np.arange(N)) / RATE
            ins = np.zeros((self.runner.shape.captures, N), np.float32)
            ins[0], ins[1] = 0.4 * np.sin(2 * np.pi * 997 * t), 0.4 * np.sin(2 * np.pi * 331 * t)
            heard.append(self.runner.step(ins).copy())
            self.at += N
        return np.concatenate(heard, axis=2)


def smooth(sound) -> bool:
    """No step beyond what the two sines and a fade of 9 ms make between two frames."""
    steepest = 0.2 * 2 * np.pi * (997 + 331) / RATE + 0.4 * 1.6 / (0.009 * RATE)
    return np.abs(np.diff(sound)).max() < steepest


@pytest.mark.parametrize("during", ["nothing", "a crossfade", "a plan that waits for one"])
@pytest.mark.parametrize("what", [{"silent": True}, {"muted": frozenset({"p0", "p1"})}])
def test_silence_and_mutes_begin_in_the_next_block_and_are_zero_to_the_bit_after_9_ms(setup, what, during):
    playing = Playing(setup)
    before = playing.play(20)
    assert np.abs(before[:2, 0]).max() > 0.2
    for i in range({"nothing": 0, "a crossfade": 1, "a plan that waits for one": 2}[during]):
        other = route_edits.set_delay(setup, "p0", "phones", 4.0 + i)
        playing.runner.adopt(compile_plans(other, Live(), playing.rows))
        before = np.concatenate([before, playing.play(1)], axis=2)
    playing.tell(**what)
    after = playing.play(20)
    assert not after[:, :, FADED * N :].view(np.uint32).any()
    heard = np.concatenate([before[:2, 0, -N:], after[:2, 0]], axis=1)
    assert smooth(heard[0])
    assert smooth(heard[1])
    untold = playing_on(setup, len(before[0, 0]) // N - 20, during)
    assert np.abs(after[:2, 0, :N] - untold[:2, 0]).max() > 0.005, "it began in the very next block"
    playing.tell(silent=False, muted=frozenset())
    back = playing.play(20)
    assert smooth(np.concatenate([after[0, 0, -N:], back[0, 0]]))
    assert np.abs(back[0, 0, -5 * N :]).max() > 0.2


def playing_on(setup, changes, during):
    """The block in which it would have begun, without anything told."""
    playing = Playing(setup)
    playing.play(20)
    for i in range(changes):
        playing.runner.adopt(compile_plans(route_edits.set_delay(setup, "p0", "phones", 4.0 + i), Live(), playing.rows))
        playing.play(1)
    return playing.play(1)


def test_one_mute_leaves_everybody_else_as_it_was_to_the_bit(setup):
    playing, alone = Playing(setup), Playing(replace(setup, routes=tuple(r for r in setup.routes if r.part == "p1")))
    playing.tell(muted=frozenset({"p0"}))
    heard, wanted = playing.play(60), alone.play(60)
    assert np.array_equal(heard[:, :, 30 * N :], wanted[:, :, 30 * N :])


def test_a_moment_is_one_word(setup):
    playing, known = Playing(setup), Playing(setup)
    playing.play(20), known.play(20)
    playing.tell(moment="talk")
    known.runner.adopt(compile_plan(setup, Live(moment="talk"), known.rows))
    assert np.array_equal(playing.play(20), known.play(20)), "as if that plan had come"
    playing.safety.words[Word.MOMENT] = moment_key("one that is not in the plan")
    assert np.abs(playing.play(20)).max() > 0.1, "what is not known changes nothing that was made"


def test_who_leaves_muted_leaves_silent_and_who_comes_to_the_row_is_not_muted(setup):
    playing = Playing(setup)
    playing.tell(muted=frozenset({"p0", "p1"}))
    playing.play(20)
    without = replace(setup, parts=setup.parts[:1], routes=tuple(r for r in setup.routes if r.part == "p0"))
    row = playing.rows.order(setup).parts[1][0]
    playing.rows = playing.rows.following(without, 1.0)
    playing.setup = without
    playing.runner.adopt(compile_plans(without, Live(), playing.rows))
    playing.tell()
    assert not playing.play(20).view(np.uint32).any(), "not even while it fades out"
    new = replace(setup.parts[1], id="p2")
    again = replace(setup, parts=(setup.parts[0], new), routes=(*without.routes, Route(part="p2", listener="phones")))
    playing.rows = playing.rows.following(again, 9.0)
    assert playing.rows.order(again).parts[1][0] == row
    playing.setup = again
    playing.runner.adopt(compile_plans(again, Live(), playing.rows))
    playing.tell()
    assert np.abs(playing.play(20)[0, 0]).max() > 0.2


@pytest.mark.parametrize("told", [{"on_air": True}, {"silent": True}])
def test_a_measurement_ends_with_the_next_block_once_anybody_may_hear(setup, told):
    playing = Playing(setup)
    recording = np.zeros(20 * N, np.float32)
    playing.safety.words[Word.MEASURING] = 7
    assert not playing.runner.measure(MeasureOrder(0, 0, 2, 60 * N, 6), np.ones(N, np.float32), recording), (
        "another one's number"
    )
    assert playing.runner.measure(MeasureOrder(0, 0, 2, 60 * N, 7), np.full(50 * N, 0.1, np.float32), recording)
    playing.play(220)
    assert playing.runner.measuring[0] == "sounding"
    playing.tell(**told)
    playing.play(1)
    assert playing.runner.measuring == ("", 0.0)
    assert playing.runner.cut_short
    assert not playing.runner.measure(MeasureOrder(0, 0, 2, 60 * N, 7), np.ones(N, np.float32), recording)


def test_what_cannot_run_never_becomes_what_runs(setup):
    """Whether it needs an engine that is started anew or a plan that cannot be made; with nothing running everything
    may be set up."""
    second = Device(id="second", name="Second card", kind="interface", card="Another card", buffer_frames=256,
        buffers=2, rate_hz=44100)  # fmt: skip
    phones = Listener(id="there", name="There", kind="monitor", device="second")
    two = replace(setup, devices=(replace(setup.devices[0], card="A card"), second),
        listeners=(*setup.listeners, phones))  # fmt: skip
    now = carried(two, 2)
    assert admits(now, two, Live(), "On air", 1.0) == ""
    small = route_edits.change_device(two, "second", buffer_frames=64, buffers=1)
    assert now.following(small, 1.0) is not None, "a matched card comes and goes by itself"
    for held in ("On air", ""):
        assert "give it larger buffers" in admits(now, small, Live(), held, 1.0)
    assert admits(None, small, Live(), "", 1.0) == ""
    other_block = replace(two, block_frames=256)
    assert admits(now, other_block, Live(), "On air", 1.0) == "On air, nothing is started anew, which this needs"
    assert admits(now, other_block, Live(), "", 1.0) == ""
