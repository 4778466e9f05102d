"""Another listener's own output in the headphones: theirs to the bit, nobody else notices, nothing louder than the
ceiling, nothing of somebody who has left."""

import numpy as np
import pytest
from msgspec.structs import replace

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.core.routing.rows import rows_of
from brucke.engine.step.hear_as import HearAs
from brucke.engine.step.live import Live
from brucke.engine.step.output_gate import Doors
from brucke.engine.step.plan import compile_plans, shape_of
from brucke.engine.step.runner import Runner
from brucke.engine.step.safety import Safety, safety_of

RATE, N = 48000, 128


@pytest.fixture
def setup():
    card = Device(id="card", name="Card", kind="interface", buffer_frames=128, buffers=2)
    call = replace(card, id="call", name="Call", kind="call", card="desktop")
    parts = tuple(Part(id=f"p{i}", name=f"P{i}", kind="lead", device="card", channels=(i,)) for i in range(2))
    listeners = (
        Listener(id="phones", name="Phones", kind="monitor", device="card", ceiling_db=-6.0),
        Listener(id="tape", name="Tape", kind="recorder", device="card"),
        Listener(id="call", name="Call", kind="call", device="call", channels=1),
    )
    routes = (
        Route(part="p0", listener="phones", gain_db=-20.0),
        Route(part="p1", listener="tape", gain_db=0.0),
        Route(part="p1", listener="call", gain_db=-12.0, delay_ms=40.0),
    )
    return Setup(devices=(card, call), parts=parts, listeners=listeners, routes=routes)


class Heard:
    """What goes to the devices while a runner plays two tones."""

    def __init__(self, setup):
        self.setup, self.rows, self.live, self.at = setup, rows_of(setup), Live(), 0
        shape, plans = shape_of(setup), compile_plans(setup, Live())
        self.safety, self.plan = Safety.of(shape), plans.plan
        self.runner = Runner(shape, plans.plan, safety=self.safety)
        self.runner.begin_with(plans)
        self.doors, self.hear_as = Doors(shape, plans.plan, self.safety.opened), HearAs(shape, self.safety.words)

    def play(self, blocks, **live):
        """(to the devices, as everybody gets it before the doors), [L, C, frames]."""
        self.live = replace(self.live, **live)
        self.safety.write(safety_of(self.setup, self.live, self.rows))
        sent, got = [], []
        for _ in range(blocks):
            t = (self.at + np.arange(N)) / RATE
            ins = np.stack([0.5 * np.sin(2 * np.pi * 500 * t), 0.8 * np.sin(2 * np.pi * 375 * t)]).astype(np.float32)
            outs = self.runner.step(ins)
            out = self.doors.let_out(outs, self.plan, self.safety.opened)
            self.hear_as.put(out, outs, self.plan, self.runner.sounds_as_routed)
            sent.append(out.copy())
            got.append(outs.copy())
            self.at += N
        return np.concatenate(sent, axis=2), np.concatenate(got, axis=2)


def test_theirs_is_heard_as_it_leaves_here_and_nobody_else_gets_anything_else(setup):
    here = Heard(setup)
    here.play(60)
    sent, got = here.play(40, hears_as="call")
    after = slice(10 * N, None)
    np.testing.assert_array_equal(sent[0, 0, after], got[2, 0, after], "delayed as there, also behind a closed door")
    np.testing.assert_array_equal(sent[0, 1, after], got[2, 0, after], "a mono call in both ears")
    assert not sent[2].any(), "a closed door stays closed"
    np.testing.assert_array_equal(sent[1], got[1])
    assert np.abs(got[0]).max() == pytest.approx(0.05, rel=0.01), "meters and takes of the headphones see their routes"
    back, own = here.play(40, hears_as="")
    np.testing.assert_array_equal(back[0, :, after], own[0, :, after])


def test_half_and_half_has_oneself_left_and_them_right(setup):
    here = Heard(setup)
    here.play(60)
    sent, got = here.play(40, hears_as="call", half=True)
    after = slice(10 * N, None)
    np.testing.assert_allclose(sent[0, 0, after], got[0, :, after].mean(axis=0), atol=1e-6)
    np.testing.assert_allclose(sent[0, 1, after], got[2, 0, after], atol=1e-6)


def test_changes_make_no_click_and_nothing_is_louder_than_the_ceiling(setup):
    here = Heard(setup)
    here.play(60)
    sent = np.concatenate([here.play(40, hears_as=id)[0][0, 0] for id in ("tape", "call", "", "tape", "call")], axis=0)
    assert np.abs(sent).max() <= 10 ** (-6 / 20) + 1e-6
    frames = sent[: len(sent) // 1024 * 1024].reshape(-1, 1024) * np.blackman(1024)
    spectrum = np.abs(np.fft.rfft(frames, axis=1))
    above = spectrum[:, np.fft.rfftfreq(1024, 1 / RATE) > 6000].max()
    assert above / spectrum.max() < 10 ** (-60 / 20)


def test_who_has_left_or_is_measured_past_is_not_heard(setup):
    here = Heard(setup)
    here.play(60)
    here.play(20, hears_as="call")
    tenants = here.plan.listener_tenants + np.array([0, 0, 7])
    here.plan = replace(here.plan, listener_tenants=tenants)
    sent, got = here.play(40)
    np.testing.assert_array_equal(sent[0, :, 10 * N :], got[0, :, 10 * N :])
