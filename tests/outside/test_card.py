"""The round trip through a real sound server, against a PortAudio and SciPy script that knows nothing of Brucke."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from brucke.core.edits.route_edits import change_device
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.measure.round_trip import RoundTrip, round_trip
from brucke.core.measure.stimulus import stimulus
from brucke.core.storage.setup_file import save
from brucke.demo import FOLDER
from brucke.engine.processes.link import EngineLink
from brucke.engine.step.live import Live
from brucke.engine.step.plan import compile_plan, shape_of
from brucke.ports.devices.opening import wirings_of
from brucke.rehearse.equipment import world_command

from ..engine.test_live import until
from ..sound_server import CARD

pytestmark = pytest.mark.live

SCRIPT = Path(__file__).parent / "portaudio_round_trip.py"
RATE = 48000
BUFFERS = 32
TRIES = 20  # again, where a busy machine lost blocks in the middle


def script(*arguments):
    done = subprocess.run([sys.executable, SCRIPT, *map(str, arguments)], capture_output=True, text=True, check=True)
    return json.loads(done.stdout)


def write(path, sound):
    sf.write(path, sound, RATE, subtype="FLOAT")
    return path


@pytest.fixture
def link(nightboat, sound_server, tmp_path):
    setup = change_device(nightboat, "table", card=CARD, buffers=BUFFERS)
    save(tmp_path / "hour.brucke.json", setup, Knowledge())
    world = world_command(tmp_path / "hour.brucke.json", [FOLDER], real=["table"])
    x = EngineLink(shape_of(setup), compile_plan(setup, Live()), world, wirings_of(setup))
    until(lambda: x.running and not x.missing())
    yield x
    x.close()


def test_an_independent_script_finds_the_same_round_trip_in_the_same_capture(link, nightboat, tmp_path):
    for _ in range(TRIES):
        handle = link.measure(0, 2, "sweep", -18, 2)
        until(lambda: link.measure_state[0] == "done")
        capture = link.measured(handle)
        ours = round_trip(handle.stimulus, capture, handle.repeats, handle.spacing, RATE, 0.4)
        link.end_measuring()
        until(lambda: link.measure_state[0] == "")
        if isinstance(ours, RoundTrip):
            break
    assert isinstance(ours, RoundTrip)
    assert ours.agreeing == ours.repeats == 2
    assert 128 < ours.seconds * RATE < 0.4 * RATE, "a sound server takes its time"
    theirs = script(
        "analyse",
        write(tmp_path / "sound.wav", handle.stimulus),
        write(tmp_path / "capture.wav", capture),
        handle.spacing,
    )
    assert len(theirs) == 2
    assert np.abs(np.array(theirs) - ours.seconds * RATE).max() < 1.0


def test_a_round_trip_that_the_script_measured_itself_is_read_the_same_by_us(sound_server, tmp_path):
    sound = stimulus("sweep", RATE, -18.0)
    spacing = len(sound) + RATE // 2
    for _ in range(TRIES):
        path = tmp_path / "capture.wav"
        theirs = script("measure", write(tmp_path / "sound.wav", sound), path, spacing, 2, CARD, 512, 0.1)
        ours = round_trip(sound, sf.read(path, dtype="float32")[0], 2, spacing, RATE, 0.4)
        if isinstance(ours, RoundTrip) and np.ptp(theirs) < 1.0:
            break  # a stream that slipped in the middle of a repeat is no measure for anybody
    assert isinstance(ours, RoundTrip)
    assert np.abs(np.array(theirs) - ours.seconds * RATE).max() < 1.0
