"""Over the accessibility bus alone, as a screen reader has it: everything that can have the focus has a name and a
role, and the main job is done. The bus is the platform's own (AT-SPI), the reader speaks its protocol and knows nothing
of ours."""

import json
import os
import re
import subprocess
import sys
import time
from pathlib import Path

import pytest

from brucke.demo import SETUP

from ..home.desktop_bus import SYSTEM_PYTHON, DesktopBus, can_be
from ..home.session import Screen

pytestmark = pytest.mark.live

READER = Path(__file__).parents[1] / "home/screen_reader.py"


class Read:
    def __init__(self, env):
        self.process = subprocess.Popen([SYSTEM_PYTHON, str(READER)], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            text=True, env=env)  # fmt: skip
        assert json.loads(self.process.stdout.readline()) == "up"

    def do(self, what, name=""):
        self.process.stdin.write(json.dumps({"do": what, "name": name}) + "\n")
        self.process.stdin.flush()
        return json.loads(self.process.stdout.readline())

    def until(self, name, seconds=90):
        end = time.monotonic() + seconds
        while not (found := self.do("read", name)):
            assert time.monotonic() < end, f"nothing is called “{name}”: {self.do('all')}"
            time.sleep(1.0)  # each look reads the whole window, which costs it time
        return found

    def press(self, name):
        self.until(name)
        assert self.do("press", name), name


@pytest.fixture
def read(tmp_path, data_home):
    launcher = Path("/usr/libexec/at-spi-bus-launcher")
    if not can_be() or not launcher.exists():
        pytest.skip("no accessibility bus on this computer")
    bus, screen = DesktopBus(), Screen()
    env = {
        **os.environ, **bus.env, "DISPLAY": screen.name, "QT_QPA_PLATFORM": "xcb", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON":
        "1",
        "XDG_DATA_HOME": str(tmp_path / "data"), "XDG_CONFIG_HOME": str(tmp_path / "config"),
    }  # fmt: skip
    window = subprocess.Popen([sys.executable, "-m", "brucke", "open", str(SETUP)], env=env)
    reader = Read(env)
    yield reader
    for p in (reader.process, window):
        p.kill()
        p.wait()
    bus.end()
    screen.end()


def test_everything_that_can_have_the_focus_has_a_name_and_the_main_job_is_done_over_that_bus_alone(read):
    read.until("Measure")
    nameless = []
    for place in ("Gather", "Share", "Shape", "Review", "Align"):
        read.press(place)
        time.sleep(1.0)
        nameless += [(place, role) for role, name, focusable, showing,
            _e in read.do("all") if focusable and showing and not name.strip()]  # fmt: skip
        assert not [
            role for role, _name, focusable, *_ in read.do("all") if focusable and role in ("", "invalid", "unknown")
        ]
    assert nameless == []
    read.press("Play")
    read.until("Pause")
    read.press("Measure")
    read.until("Measure: done", 120)
    read.press("In step, compare")
    (left, *_rest) = read.until("What was left between the parts. ", 180)
    assert "Lounge call: " in left
    assert not re.search("(voice|cello|harp) (late|early|not found)", left), left
