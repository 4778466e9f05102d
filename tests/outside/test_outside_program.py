"""A step outside through a program on a desktop's sound server, linked there as a hand would link it; what it does is
done by NumPy."""

import time
from threading import Thread
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf

from brucke.core.edits.chain_edits import add_processor
from brucke.core.edits.outside_edits import to_program
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.knowledge.quantities import OUTSIDE_STEP
from brucke.core.routing.outside_steps import path_ids
from brucke.core.sound.processors import OutsideStep
from brucke.core.storage.setup_file import save
from brucke.engine.step.outside import HEARD, NO_RETURN
from brucke.ports.devices.server.port import ServerPort

from ..app.live_studio import sounding, stands, until
from ..desktop_server import RATE, Nothing, setup_here

pytestmark = pytest.mark.live

DELAY_S, SOFTER_DB, N = 0.007, 3.0, 128


@pytest.fixture
def studio(app, desktop, data_home, tmp_path):
    setup = to_program(add_processor(setup_here(), "part/voice", OutsideStep(name="Hall")), "part/voice", 0)
    save(tmp_path / "here.brucke.json", setup, Knowledge())
    with sounding(tmp_path / "here.brucke.json", tmp_path) as s:
        yield s


class Outside:
    """A program of the server's own kind, linked as a hand would link it: what comes in goes out 7 ms later and 3 dB
    softer. It knows nothing of us but what its ports are linked to."""

    def __init__(self, desktop, device):
        ends = SimpleNamespace(come=(0, 1), go=((0, 0), (0, 1)))
        nobody = Nothing(2)
        nobody.channels = 2
        self._port = ServerPort(ends, nobody, N, RATE, lambda *_: None, "hall")
        self._past, self._goes_on = np.zeros((2, round(DELAY_S * RATE)), np.float32), True
        self._thread = Thread(target=self._port.drive, args=(self._block,))
        self._thread.start()
        for side in range(2):
            mouth, ear = f"capture_{('FL', 'FR')[side]}", f"playback_{('FL', 'FR')[side]}"
            for link in (
                (f"brucke.step.0:{mouth}", f"hall:in {side + 1}"),
                (f"hall:out 1 {side + 1}", f"brucke.in.{device}:{ear}"),
            ):
                desktop.until(lambda link=link: desktop.ask("pw-link", *link).returncode == 0)

    def _block(self):
        heard = np.zeros((2, N), np.float32)
        self._port.read(heard)
        line = np.concatenate([self._past, heard * np.float32(10 ** (-SOFTER_DB / 20))], axis=1)
        self._past = line[:, N:]
        self._port.write(line[None, :, :N])
        return self._goes_on

    def end(self):
        self._goes_on = False
        self._thread.join(5)


def test_a_program_is_measured_and_waited_for_and_passed_by_while_it_is_gone(studio, desktop, tmp_path):
    s, setup = studio, studio.session.setup
    step = setup.part("voice").chain[0]
    tool = Outside(desktop, step.send_device)
    noise = 0.2 * np.random.default_rng(2).standard_normal((RATE * 120, 2)).clip(-3, 3)
    sf.write(tmp_path / "noise.wav", noise.astype(np.float32), RATE, subtype="FLOAT")
    singer = desktop.run("paplay", "-d", "air", str(tmp_path / "noise.wav"))
    try:
        until(lambda: "brucke.step.0" in desktop.names("sources"))
        s.measuring.count_s, s.measuring.cable = 0.0, False
        time.sleep(1.0)
        s.measuring.choose(OUTSIDE_STEP.key(*path_ids(step)))
        s.measuring.begin()
        until(lambda: not s.measuring.busy, 60)
        assert not s.measuring.failed, s.measuring.message
        step = s.session.setup.part("voice").chain[0]
        assert step.gain_db == pytest.approx(SOFTER_DB, abs=0.15)
        until(lambda: stands(s, -30), 90)  # to the frame: half a frame off would leave more of white noise
        until(s.audience.through_steps, 10)
        assert "gets Voice through Hall, open or closed" in s.audience.still_hears()
        tool.end()
        until(lambda: int(s.running.link.region["outside"][0]) == NO_RETURN, 20)
        until(lambda: stands(s, -60), 60)
        tool = Outside(desktop, step.send_device)
        until(lambda: int(s.running.link.region["outside"][0]) == HEARD, 20)
        assert s.session.setup.part("voice").chain[0] == step
    finally:
        tool.end()
        singer.kill()
        singer.wait()
