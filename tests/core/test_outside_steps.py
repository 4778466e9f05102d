"""Steps outside in the document: what has both ends, what would howl, what cannot be told apart, and what waits."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.edits.chain_edits import add_processor, chain_of, give_places
from brucke.core.edits.outside_edits import measured_step, move_step, new_step
from brucke.core.routing.captures import capture_channels
from brucke.core.routing.outside_steps import circles, path_ids, placed_steps, shared_returns
from brucke.core.routing.rows import rows_of
from brucke.core.sound.processors import OutsideStep
from brucke.core.storage.setup_problems import problems
from brucke.core.timing.paths import Situation, path
from brucke.engine.step.live import Live
from brucke.engine.step.outside import HEARD, NO_RETURN
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.engine.step.runner import Runner

N, LATE = 128, 1000


def with_step(setup, part="voice", **fields):
    plain = replace(setup, parts=tuple(replace(p, chain=()) for p in setup.parts))
    return add_processor(plain, f"part/{part}", replace(new_step(plain), **fields))


def test_a_new_step_takes_sockets_that_nobody_uses_and_two_never_share_a_place(nightboat):
    one = with_step(nightboat)
    two = add_processor(one, "part/cello", new_step(one))
    a, b = (p.step for p in placed_steps(two))
    assert (a.place, b.place) == (0, 1)
    used = {c for p in nightboat.parts if p.device == "table" for c in p.channels}
    assert not used & {*a.return_channels, *b.return_channels}
    assert not {*a.return_channels} & {*b.return_channels}
    assert abs(a.send_channel - b.send_channel) >= 2
    assert not list(shared_returns(two))
    assert not list(problems(two))
    clash = move_step(
        two, "part/cello", 0, send_device="table", send_channel=a.send_channel, return_device="table", back=40
    )  # fmt: skip
    assert len(list(shared_returns(clash))) == 1
    copied = replace(two, parts=tuple(replace(p, chain=chain_of(two, "part/voice")) for p in two.parts[:2]))
    assert len({p.step.place for p in placed_steps(give_places(copied))}) == 2


def test_what_comes_back_into_what_goes_in_is_found_and_nothing_is_sent(nightboat):
    voice = nightboat.part("voice")
    setup = with_step(nightboat, return_channels=(voice.channels[0], 9))
    assert [part for _step, part in circles(setup)] == ["voice"]
    assert (compile_plan(setup, Live()).outside == -1).all()
    at_a_listener = add_processor(
        replace(nightboat, parts=tuple(replace(p, chain=()) for p in nightboat.parts)), "listener/shore_stream",
        OutsideStep(name="Mix", send_device="table", return_device="table", return_channels=(voice.channels[0], 9)),
    )  # fmt: skip
    assert [part for _step, part in circles(at_a_listener)] == ["voice"]


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("place", 4),
        ("latency_frames", 4096),
        ("return_channels", (3, 3)),
        ("send_channel", 256),
        ("measured_block", -1),
    ],
)
def test_numbers_that_no_step_has_are_refused(nightboat, field, value):
    setup = with_step(nightboat)
    parts = tuple(
        replace(p, chain=(replace(p.chain[0], **{field: value}),)) if p.id == "voice" else p for p in setup.parts
    )
    (found,) = problems(replace(setup, parts=parts))
    assert found[0].startswith("parts[")


def test_its_way_counts_as_measured_and_is_unknown_where_it_is_another(nightboat):
    setup = with_step(nightboat)
    step = placed_steps(setup)[0].step
    setup = measured_step(setup, path_ids(step), 0.0190, 2.0)
    part, listener = setup.part("voice"), setup.listener("shore_stream")
    stages = {s.code: s for s in path(Situation(setup), part, listener, setup.route("voice", "shore_stream"))}
    assert stages["outside step"].evidence == "unknown", "nothing in the knowledge says so"
    assert stages["outside step"].latency.value == pytest.approx(0.019, abs=1e-5)
    assert part.chain[0].gain_db == 2.0
    faster = replace(setup, block_frames=64)
    assert not faster.part("voice").chain[0].waits_at(faster.rate_hz, faster.block_frames)


@pytest.mark.parametrize("owner", ["part/voice", "listener/shore_stream"])
def test_what_comes_back_is_heard_in_its_place_and_dry_in_time_where_nothing_does(nightboat, owner):
    """Through the engine's own step, with a box of 1000 frames and −3.1 dB by NumPy."""
    plain = replace(
        nightboat, parts=tuple(replace(p, chain=()) for p in nightboat.parts),
        listeners=tuple(replace(x, chain=()) for x in nightboat.listeners),
    )  # fmt: skip
    setup = add_processor(plain, owner, new_step(plain))
    setup = measured_step(setup, path_ids(placed_steps(setup)[0].step), LATE / setup.rate_hz, -20 * np.log10(0.7))
    rows, channels = rows_of(setup), capture_channels(setup)
    runner, order = Runner(shape_of(setup, rows), compile_plan(setup, Live(), rows)), rows.order(setup)
    voice = channels.index(("table", setup.part("voice").channels[0]))
    back = [channels.index(c) for c in placed_steps(setup)[0].comes]
    sound = (0.2 * np.random.default_rng(1).standard_normal(N * 500)).astype(np.float32)
    sent, heard = np.zeros((2, N * 500), np.float32), []
    for b in range(500):
        ins = np.zeros((len(rows.captures.who), N), np.float32)
        ins[voice] = sound[b * N : (b + 1) * N]
        if not 150 <= b < 300:
            begin = b * N - LATE
            ins[back] = 0.7 * np.pad(sent, ((0, 0), (LATE, 0)))[:, begin + LATE : begin + LATE + N]
        outs = runner.step(ins)
        sent[:, b * N : (b + 1) * N] = outs[order.steps[0], :2]
        kind, _, id = owner.partition("/")
        mine = runner.engine.shaped[1, 0] if kind == "part" else outs[[x.id for x in setup.listeners].index(id), 0]
        heard.append(mine.copy())
        if b == 140:
            assert runner.engine.outside.state[0] == HEARD
        if b == 290:
            assert runner.engine.outside.state[0] == NO_RETURN
    out = np.concatenate(heard)
    for first, last in ((60, 145), (240, 295), (340, 500)):
        a, b = out[first * N : last * N], sound[first * N - LATE : last * N - LATE]
        gain = float(a @ b / (b @ b))
        assert np.abs(a - gain * b).max() < 2e-4, (first, gain)
        assert gain == pytest.approx(gain_there(out, sound), rel=2e-3)


def test_of_what_is_muted_nothing_goes_out_to_a_step_either(nightboat):
    setup = with_step(nightboat)
    rows, channels = rows_of(setup), capture_channels(setup)
    runner, order = Runner(shape_of(setup, rows), compile_plan(setup, Live(), rows)), rows.order(setup)
    ins = np.zeros((len(channels), N), np.float32)
    ins[channels.index(("table", setup.part("voice").channels[0]))] = 0.3
    for _ in range(20):
        sent = runner.step(ins)[order.steps[0]].copy()
    assert np.abs(sent).max() == pytest.approx(0.3, rel=0.01)
    muted = runner.safety.muted
    muted[:] = 0
    voice = rows.parts.who.index(("voice", 0))
    muted[voice] = rows.parts.tenants()[voice]
    for _ in range(20):
        sent = runner.step(ins)[order.steps[0]].copy()
    assert not sent.any()


def gain_there(out, sound):
    """Of the first stretch: its route has a level of its own."""
    a, b = out[60 * N : 145 * N], sound[60 * N - LATE : 145 * N - LATE]
    return float(a @ b / (b @ b))
