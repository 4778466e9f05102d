"""Parts and listeners come and go while others sound: those go on, nothing old is heard, free rows cost nothing."""

import numpy as np
import pytest
from bench.engine import plan_of
from msgspec.structs import replace
from scipy.signal import butter, sosfilt

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.routing.captures import capture_channels
from brucke.core.routing.rows import CAPACITIES, REST_S, Rows, Seats, rows_of
from brucke.core.sound.processors import Compressor, NoiseRemoval
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.live import Live
from brucke.engine.step.output_gate import Doors
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.engine.step.safety import safety_of

RATE, N = 48000, 128
CARD = Device(id="card", name="Card", kind="interface", buffer_frames=128, buffers=2)
FADE = round(0.02 * RATE)


def part(name, channel, **more):
    return Part(id=name, name=name, kind="lead", device="card", channels=(channel,), **more)


def listener(name):
    return Listener(id=name, name=name, kind="stream", device="card")


def setup_of(parts, listeners, delays):
    routes = tuple(
        Route(part=p.id, listener=x.id, delay_ms=delays.get(p.id, 0.0), processed=True)
        for p in parts
        for x in listeners
    )
    return Setup(devices=(CARD,), parts=tuple(parts), listeners=tuple(listeners), routes=routes)


class Playing:
    """An engine with its rows, given the sound of every capture by its channel; heard by listener."""

    def __init__(self, setup, sounds):
        self.rows, self.sounds, self.now = rows_of(setup, roomy=True), sounds, 0.0
        self.setup = setup
        self.engine = BlockEngine(shape_of(setup, self.rows), compile_plan(setup, Live(), self.rows))
        self.heard: dict[str, list[np.ndarray]] = {}
        self.fed: dict[int, int] = {}  # channel by row; what has left is given until its row is taken again

    def change(self, setup):
        rows = self.rows.following(setup, self.now)
        assert rows is not None
        self.setup, self.rows = setup, rows
        self.engine.adopt(compile_plan(setup, Live(), rows))

    def run(self, blocks):
        captures = zip(capture_channels(self.setup), self.rows.order(self.setup).captures, strict=True)
        self.fed |= {row: channel for (_, channel), row in captures}
        for _ in range(blocks):
            at, ins = self.engine.frames, np.zeros((self.engine.shape.captures, N), np.float32)
            for row, channel in self.fed.items():
                ins[row] = self.sounds[channel][at : at + N]
            outs = self.engine.step(ins)
            for x, row in zip(self.setup.listeners, self.rows.order(self.setup).listeners, strict=True):
                self.heard.setdefault(x.id, []).append(outs[row].copy())
            self.now += N / RATE

    def all_of(self, listener):
        return np.concatenate(self.heard[listener], axis=1)


def tone(hz, seconds, level):
    return (level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)).astype(np.float32)


def test_two_hundred_come_and_go_while_a_sine_goes_through(rng):
    """Residue below −60 dBFS above everything that is meant to sound, with a chain that removes noise among them."""
    seconds = 40
    sounds = {0: tone(1000, seconds, 0.25), **{c: tone(60 + 10 * c, seconds, 0.1) for c in range(1, 9)}}
    always, far = part("always", 0), listener("far")
    playing = Playing(setup_of([always], [far], {}), sounds)
    playing.run(40)
    guests: dict[str, Part] = {}
    delays: dict[str, float] = {}
    others: list[Listener] = []
    for i in range(200):
        if guests and (len(guests) > 5 or rng.random() < 0.5):
            del guests[str(rng.choice(sorted(guests)))]
        else:
            chain = [(), (Compressor(),), (NoiseRemoval(), Compressor())][i % 3]
            guests[f"g{i}"] = part(f"g{i}", 1 + i % 8, chain=chain)
            delays[f"g{i}"] = float(rng.choice([0.0, 3.3, 250.0, 1900.0]))
        others = [listener(f"x{i}")] if i % 4 == 1 else others if i % 4 == 2 else []
        playing.change(setup_of([always, *guests.values()], [far, *others], delays))
        playing.run(int(rng.integers(8, 40)))
    heard = playing.all_of("far")[0]
    frames = len(heard)
    assert np.abs(heard).max() < 0.9, "nothing was held at full scale"
    assert np.sqrt(np.mean((heard - sounds[0][:frames]) ** 2)) > 0.05, "they were heard"
    high = sosfilt(butter(8, 3000, "high", fs=RATE, output="sos"), heard.astype(float))
    alone = sosfilt(butter(8, 3000, "high", fs=RATE, output="sos"), sounds[0][:frames].astype(float))
    assert 20 * np.log10(np.abs(high - alone)[FADE:].max()) < -60


@pytest.mark.parametrize("delay_ms", [0.0, 2.71, 1999.0])
@pytest.mark.parametrize("chain", [(), (NoiseRemoval(),)])
def test_a_row_that_is_taken_again_gives_nothing_of_who_was_there(delay_ms, chain):
    loud, silence = tone(500, 8, 0.8), np.zeros(8 * RATE, np.float32)
    first, far = part("first", 0, chain=chain), listener("far")
    delays = {"first": 5.0, "second": delay_ms}
    playing = Playing(setup_of([first], [far], delays), {0: loud, 1: silence})
    playing.rows = Rows(Seats.of([("card", 0), ("card", 1)], 2), Seats.of([("first", 0)], 1), *_of_rows(playing.rows))
    playing.engine = BlockEngine(
        shape_of(playing.setup, playing.rows), compile_plan(playing.setup, Live(), playing.rows)
    )
    playing.run(900)
    nobody = setup_of([], [far], {})
    playing.change(nobody)
    playing.run(round(REST_S * RATE / N) + 1)
    second = part("second", 1, chain=chain)
    playing.change(setup_of([second], [far], delays))
    assert playing.rows.parts.who == (("second", 0),), "the only row there is"
    began = playing.engine.frames
    playing.run(1000)
    heard = playing.all_of("far")
    assert np.abs(heard[:, :began]).max() > 0.5
    assert np.abs(heard[:, began - FADE :]).max() < 1e-9


def _of_rows(rows):
    return rows.listeners, rows.devices


def test_who_comes_sounds_within_two_blocks_and_whole_within_20_ms_also_late_in_its_delay():
    sounds = {0: np.zeros(3 * RATE, np.float32), 1: np.full(3 * RATE, 0.5, np.float32)}
    first, far = part("first", 0), listener("far")
    for delay_ms in (0.0, 123.4):
        playing = Playing(setup_of([first], [far], {}), sounds)
        playing.run(50)
        at, wait = playing.engine.frames, round(delay_ms * 48)
        playing.change(setup_of([first, part("new", 1)], [far], {"new": delay_ms}))
        playing.run(200)
        heard = playing.all_of("far")[0, at:]
        begins = int(np.argmax(np.abs(heard) > 1e-6))
        assert wait <= begins < wait + 2 * N
        assert np.allclose(heard[wait + FADE :], 0.5, atol=1e-6)
        assert np.abs(np.diff(heard)).max() < 0.01, "it rises smoothly"


def test_seats_are_kept_reused_once_rested_and_run_out():
    seats = Seats.of(["a", "b"], 4)
    after = seats.following(["b", "c"], 1.0)
    assert after.who == (None, "b", "c", None)
    assert after.tenants() == [0, 1, 1, 0]
    assert after.following(["b", "c", "d"], 1.01).who == (None, "b", "c", "d"), "who has just left fades out first"
    assert after.following(["b", "c", "d", "e"], 1.01) is None
    again = after.following(["b", "c", "d", "e"], 1.0 + REST_S)
    assert again.who == ("d", "b", "c", "e")
    assert again.tenants() == [2, 1, 1, 1], "another tenant in the same row"


def test_capacities_hold_what_they_promise_and_wide_parts_take_several_rows(nightboat):
    rows = rows_of(nightboat, roomy=True)
    assert (len(rows.parts.who), len(rows.listeners.who)) == CAPACITIES[0]
    wide = replace(nightboat.part("harp"), id="wide", channels=tuple(range(10, 17)))
    setup = replace(nightboat, parts=(*nightboat.parts, wide))
    after = rows.following(setup, 1.0)
    assert [len(r) for r in after.order(setup).parts][-1] == 4, "seven channels"
    assert after.order(nightboat) == rows.order(nightboat), "nobody moved"
    most = [part(f"p{i}", i) for i in range(64)]
    full = rows_of(setup_of(most, [listener(f"x{i}") for i in range(16)], {}), roomy=True)
    assert (len(full.parts.who), len(full.listeners.who)) == CAPACITIES[-1]
    assert full.following(setup_of([*most, part("one_more", 70)], [listener("x0")], {}), 1.0) is None


def test_a_call_that_comes_is_closed_to_the_bit_from_its_first_block():
    phones = replace(listener("phones"), kind="monitor")
    before = replace(setup_of([part("voice", 0)], [phones], {}), devices=(CARD,))
    call = Device(id="call", name="Call", kind="call", card="desktop")
    late = Listener(id="late", name="Late", kind="call", device="call")
    after = replace(before, devices=(CARD, call), listeners=(phones, late), routes=(*before.routes, Route(part="voice",
        listener=
        "late")))  # fmt: skip
    rows = rows_of(before, roomy=True)
    shape, first = shape_of(before, rows), compile_plan(before, Live(), rows)
    doors, later = Doors(shape, first, np.zeros(shape.listeners, np.int64)), rows.following(after, 1.0)
    row = later.order(after).listeners[1]
    sound = np.full((shape.listeners, shape.channels, N), -0.5, np.float32)
    plan, closed = compile_plan(after, Live(), later), safety_of(after, Live(), later).opened
    other = closed.copy()
    other[row + 1] = 1  # while somebody else's opens
    other[row] = 2  # and with what was told of whoever sat there before
    for _ in range(6):
        assert not doors.let_out(sound, plan, other)[row].view(np.uint32).any()
    for _ in range(6):
        assert not doors.let_out(sound, plan, closed)[row].view(np.uint32).any()
    opened = safety_of(after, Live(on_air=True), later).opened
    heard = [doors.let_out(sound, plan, opened)[row].copy() for _ in range(6)]
    assert np.abs(heard[0]).max() < 0.5
    assert (heard[-1] == -0.5).all()


def test_free_rows_change_nothing_of_what_is_heard(rng):
    """The bench's engine within a larger one, bit for bit."""
    sound = (0.3 * rng.standard_normal((8, 40 * N))).astype(np.float32)
    heard = []
    for room in (None, (64, 16)):
        shape, plan = plan_of(8, 4, 3000, room)
        engine = BlockEngine(shape, plan)
        ins = np.zeros((shape.captures, 40 * N), np.float32)
        ins[:8] = sound
        blocks = [np.ascontiguousarray(ins[:, b * N : (b + 1) * N]) for b in range(40)]
        heard.append(np.concatenate([engine.step(b)[:4].copy() for b in blocks], axis=2))
        engine.levels()
    assert np.abs(heard[0]).max() > 0.01
    assert np.array_equal(*heard)
