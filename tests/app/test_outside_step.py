"""A step outside at the simulated interface: measured, waited for, brought to its level; dry and in time without it."""

import pytest
from msgspec.structs import replace

from brucke.core.edits.chain_edits import add_processor, change_processor
from brucke.core.knowledge.quantities import OUTSIDE_STEP
from brucke.core.routing.outside_steps import path_ids
from brucke.core.sound.processors import OutsideStep
from brucke.demo import SETUP
from brucke.engine.processes.messages import OutsidePlugged
from brucke.engine.step.outside import GONE, HEARD, NO_RETURN
from brucke.standins.outside_box import LATER_S

from .live_studio import RATE, sounding, stands, until

pytestmark = pytest.mark.live

DRY, WET = -60, -25  # what may stand beside the voice, in dB of it
STEP = OutsideStep(name="Hall box", send_device="table", return_device="table", return_channels=(6, 7))


@pytest.fixture
def studio(app, data_home, tmp_path):
    with sounding(SETUP, tmp_path) as s:
        yield s


def state(s):
    return int(s.running.link.region["outside"][0])


def test_a_step_outside_is_measured_waited_for_and_dry_and_in_time_when_it_is_gone(studio):
    s = studio
    quiet = replace(
        s.session.setup, parts=tuple(replace(p, chain=()) for p in s.session.setup.parts),
        listeners=tuple(replace(x, chain=()) for x in s.session.setup.listeners),
    )  # fmt: skip
    s.session.edit("Step", add_processor(quiet, "part/voice", STEP), "shape")
    until(lambda: stands(s, DRY), 60)  # never measured, it is dry and costs nothing
    s.measuring.count_s = 0.0
    s.measuring.choose(OUTSIDE_STEP.key(*path_ids(STEP)))
    s.measuring.begin()
    until(lambda: not s.measuring.busy, 60)
    assert not s.measuring.failed, s.measuring.message
    step = s.session.setup.part("voice").chain[0]
    m = s.session.knowledge.counting(OUTSIDE_STEP, s.session.setup, *path_ids(STEP))
    assert abs(m.value_s * RATE - step.latency_frames) <= 0.5
    assert step.latency_frames > LATER_S * RATE
    assert step.gain_db == pytest.approx(3.0, abs=0.15)
    until(lambda: stands(s, WET), 90)
    assert state(s) == HEARD

    link = s.running.link
    link.tell_world(OutsidePlugged(plugged=False))
    until(lambda: state(s) == NO_RETURN, 20)
    until(lambda: stands(s, DRY), 60)  # dry, and as late as before
    link.tell_world(OutsidePlugged(plugged=True))
    until(lambda: state(s) == HEARD, 20)
    until(lambda: stands(s, WET), 90)

    after = change_processor(s.session.setup, "part/voice", 0, on=False)
    s.session.edit("Off", after, "shape")
    until(lambda: stands(s, DRY), 60)  # off it costs the same time
    link.region["missing"][link.order.devices[[d.id for d in s.session.setup.devices].index("table")]] = 1
    until(lambda: state(s) == GONE, 5)
