"""A window that is busy for two seconds keeps nobody's door open, nobody's voice in the air and no dead engine."""

import os
import signal
import threading
import time

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from brucke.engine.processes.region import PORT_BLOCKS, Head
from brucke.engine.step.safety import Word

from .conftest import key, wait

BLOCKED_S = 2.0
FADED = 4  # blocks of 128 frames until silence is complete


class Watching(threading.Thread):
    """Beside the window: which blocks of every listener went out, from the press on."""

    def __init__(self, link):
        super().__init__(daemon=True)
        self.link, self.peaks, self.first = link, {}, None
        self.go_on = True

    def run(self):
        link, n = self.link, self.link.shape.block
        ring, done = link.region.sound("out_ring"), link.get(Head.OUT_BLOCKS)
        while self.go_on:
            for block in range(done, done := link.get(Head.OUT_BLOCKS)):
                at = block % PORT_BLOCKS * n
                self.peaks[block] = float(np.abs(ring[:, :, at : at + n]).max())
            time.sleep(0.002)


def blocked_press(w, press):
    """(peaks by block, the block in which the engine was told) while everything that hears of it takes two seconds."""
    link, plant, told = w.running.link, [], []
    tell = w.session.tell

    def and_note(live):
        tell(live)
        told.append(link.get(Head.OUT_BLOCKS))

    w.session.tell = and_note

    def busy():
        if not plant:
            plant.append(time.monotonic())
            time.sleep(BLOCKED_S)

    w.session.changed.connect(busy)
    watching = Watching(link)
    watching.start()
    time.sleep(0.3)
    press()
    w.session.tell = tell
    assert time.monotonic() - plant[0] >= BLOCKED_S, "the window was blocked"
    watching.go_on = False
    watching.join()
    w.session.changed.disconnect(busy)
    return watching.peaks, told[0]


@pytest.fixture
def heard(live):
    w = live
    wait(lambda: w.running.track[0] > 1.0, 10)
    wait(lambda: float(w.running.link.meters()[1][:, :, 0].max()) > 0.02, 10)
    return w


@pytest.mark.parametrize("how", ["silence", "mutes"])
def test_silence_and_mutes_are_heard_within_two_blocks(heard, how):
    w = heard

    def press():
        if how == "silence":
            w.do("silence")
        else:
            w.session.set_live(w.session.live.__replace__(muted=frozenset(p.id for p in w.session.setup.parts)))

    peaks, pressed = blocked_press(w, press)
    before = [peaks[b] for b in peaks if b <= pressed]
    assert max(before[-40:]) > 0.01
    after = [peaks[b] for b in sorted(peaks) if b > pressed + 2 + FADED]
    assert len(after) > 300, "all the while the window was blocked"
    assert max(after) == 0.0


def test_closing_is_told_before_anything_takes_time(heard):
    w = heard
    key(w, Qt.Key.Key_F9)
    words = w.running.link.region.safety.words
    assert words[Word.ON_AIR] == 1
    told = []
    w.session.changed.connect(lambda: told.append(int(words[Word.ON_AIR])))
    blocked_press(w, lambda: key(w, Qt.Key.Key_F9))
    assert told[0] == 0, "the engine has it, and reads it in every block"


def test_an_engine_that_dies_while_the_window_is_blocked_is_back_before_the_window_is(heard):
    w = heard
    link = w.running.link
    wait(lambda: link.standbys, 15)
    time.sleep(4.0)  # until it has loaded everything
    frames = link.get(Head.FRAMES)
    os.kill(link.engine.process.pid, signal.SIGKILL)
    until = time.monotonic() + 8
    while link.get(Head.FRAMES) < frames + 24000 and time.monotonic() < until:
        time.sleep(0.1)  # in the window's own thread
    assert link.restarts == 1
    assert link.get(Head.FRAMES) >= frames + 24000
    assert w.running.state == "running", "the window has not even seen it"
    wait(lambda: "Sound goes on" in w.notice.words.text() and w.running.state == "running", 5)
