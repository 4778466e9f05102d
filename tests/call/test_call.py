"""A real call on this computer: a browser takes a microphone of ours, and what its far side plays is the far end.

`./run test call` installs Debian's browser and runs this; BRUCKE_CALL_S says how long the call is.
"""

import os

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from brucke.core.document.setup import Part, Route
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save

from ..desktop_server import RATE, setup_here
from ..ui.conftest import key, measure, new_window, pause, wait
from .browser import Browser, engine
from .performer import Performer, in_step, known

SECONDS = float(os.environ.get("BRUCKE_CALL_S", "25"))
STEP_FRAMES = 0.0001 * RATE

pytestmark = pytest.mark.skipif(engine() is None, reason="no browser engine is installed; ./run test call installs one")


def setup_with_far_end():
    setup = setup_here()
    far = Part(id="far", name="In from call", kind="far_end", source="far_end", device="call", channels=(0, 1),
        returns_from=
        "lounge")  # fmt: skip
    return replace(
        setup, parts=(*setup.parts, far), routes=(*setup.routes, Route(part="far", listener="phones", on=False))
    )


@pytest.fixture
def window(app, qtbot, desktop, data_home, monkeypatch, tmp_path):
    save(tmp_path / "here.brucke.json", setup_with_far_end(), Knowledge())
    w = new_window(data_home, monkeypatch, tmp_path / "here.brucke.json")
    yield w
    w.close()


def test_voice_and_music_are_in_step_at_the_far_end_of_a_browsers_call(window, desktop, tmp_path):
    w = window
    w.running.start()
    wait(lambda: w.running.state == "running" and w.desktop.linked, 60)
    cable = ("box:monitor_FL", "room:input_FL")
    assert desktop.ask("pw-link", *cable).returncode == 0
    measure(w)
    desktop.ask("pw-link", "-d", *cable)
    song, voice = known(1), known(2)
    performer = Performer(
        desktop,
        tmp_path,
        song,
        voice,
        ["brucke.in.browser:playback_FL", "brucke.in.browser:playback_FR"],
        cable[0],
        cable[1],
    )
    wait(lambda: performer.lag is not None, 20)
    w.go_to("align")
    w.align.everywhere()
    browser = Browser(desktop, tmp_path, "Lounge call", "In from call")
    try:
        browser.joined()
        wait(lambda: w.desktop.consumers.get("lounge") and w.desktop.consumers["lounge"][0].flows, 20)
        assert w.audience.hears_text().startswith("Lounge call does not hear you, Chrom"), (
            "the screen names the browser"
        )
        key(w, Qt.Key.Key_F9)
        pause(3)
        heard = far_end(desktop, tmp_path / "far.raw", SECONDS)
    finally:
        browser.end()
        performer.end()
    apart, jumped = in_step(song, voice, heard)
    print(
        f"{len(apart)} s of {SECONDS:.0f}: apart at most {np.abs(apart).max():.2f} frames; in {jumped} s the delay of "
        f"both jumped"
    )
    assert len(apart) >= 0.4 * SECONDS, "most of it was found"
    assert np.abs(apart).max() <= STEP_FRAMES


def far_end(desktop, file, seconds):
    """What the browser's far side played into our output, mono."""
    with open(file, "wb") as out:
        recorder = desktop.run(
            "parec", "-d", "brucke.in.call.monitor", "--format=float32le", "--channels=2", f"--rate={RATE}", stdout=out
        )
        pause(seconds)
        recorder.terminate()
        recorder.wait(5)
    return np.fromfile(file, np.float32).reshape(-1, 2).mean(axis=1)
