"""A real call on this computer: a browser takes a microphone of ours, and what its far side plays is the far end.

`./run test call` installs Debian's browser and runs this; BRUCKE_CALL_S says how long the call is.
"""

import os

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from scipy.signal import butter, correlate, sosfilt

from brucke.core.document.setup import Part, Route
from brucke.core.document.setup_file import save
from brucke.core.knowledge.evidence import Knowledge

from ..desktop_server import RATE, setup_here
from ..lateness import song_lateness
from ..ui.conftest import key, measure, new_window, pause, wait
from .browser import Browser, engine
from .performer import Performer

SECONDS = float(os.environ.get("BRUCKE_CALL_S", "25"))
STEP_FRAMES = 0.0001 * RATE

pytestmark = pytest.mark.skipif(engine() is None, reason="no browser engine is installed; ./run test call installs one")


def setup_with_far_end():
    setup = setup_here()
    far = Part(id="far", name="In from call", kind="far_end", source="far_end", device="call", channels=(0, 1), returns_from="lounge")  # fmt: skip
    return replace(
        setup, parts=(*setup.parts, far), routes=(*setup.routes, Route(part="far", listener="phones", on=False))
    )


def known(seed, seconds=30):
    """Sound that does not repeat within it and goes well through a coder: noise of the middle."""
    rng = np.random.default_rng(seed)
    sos = butter(2, (200, 6000), "band", fs=RATE, output="sos")
    return (0.1 * sosfilt(sos, rng.standard_normal(seconds * RATE // 128 * 128))).astype(np.float32)


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
        desktop, song, voice, ["brucke.in.browser:playback_FL", "brucke.in.browser:playback_FR"], cable[0], cable[1]
    )
    wait(lambda: performer.lag is not None, 20)
    w.go_to("align")
    w.align.everywhere()
    browser = Browser(desktop, tmp_path, "Lounge call", "In from call")
    try:
        browser.joined()
        wait(lambda: w.desktop.ears.get("lounge") and w.desktop.ears["lounge"][0].flows, 20)
        assert w.strip.hears_text().startswith("Lounge call is closed, Chrom"), "the screen names the browser"
        key(w, Qt.Key.Key_F9)
        pause(3)
        heard = far_end(desktop, tmp_path / "far.raw", SECONDS)
    finally:
        browser.end()
        performer.end()
    begin = where(song, heard)
    lags = {name: lags_of(sound, heard, begin) for name, sound in (("song", song), ("voice", voice))}
    both = sorted(lags["song"].keys() & lags["voice"].keys())
    assert len(both) >= 0.6 * SECONDS, "most of it was found"
    apart = np.array([lags["voice"][at] - lags["song"][at] for at in both])
    print(
        f"{len(both)} windows of {SECONDS:.0f} s: apart at most {np.abs(apart).max():.1f} frames, mean {apart.mean():.2f}"
    )
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


def where(song, heard):
    """The frame of the song with which what was heard begins, by its first seconds."""
    first = heard[2 * RATE : 8 * RATE]
    looped = np.concatenate([song, song[: len(first)]])
    return int(np.argmax(np.abs(correlate(looped, first, "valid", "fft")))) - 2 * RATE


def lags_of(sound, heard, begin):
    """By second: how much later a sound stands than a quarter of a second before what began with frame `begin`."""
    frames = np.arange(begin + RATE // 4, begin + RATE // 4 + len(heard))
    expected = np.take(sound, frames, mode="wrap")
    found = {}
    for at in range(0, len(heard) - 3 * RATE, RATE):
        late = song_lateness(expected[at : at + 3 * RATE], heard[at : at + 3 * RATE], RATE, within_s=0.6)
        if late:
            found[at] = late[0]
    return found
