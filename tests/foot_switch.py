"""A virtual foot switch with two pedals and their lamps: a pseudo terminal in place of the kernel's raw MIDI device."""

import os
import threading
import time
import tty

import pytest

from brucke.ports.control.midi_ports import STANDINS

LEFT, RIGHT = 64, 65  # controllers of the first channel


class FootSwitch:
    def __init__(self, folder):
        self._ours, theirs = os.openpty()
        tty.setraw(theirs)
        self._path = folder / "feet"
        self._path.symlink_to(os.ttyname(theirs))
        self._theirs = theirs
        self.lamps = []
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self):
        while True:
            try:
                data = os.read(self._ours, 3 * 64)
            except OSError:
                return
            self.lamps += [list(data[i : i + 3]) for i in range(0, len(data), 3)]

    def send(self, *messages):
        os.write(self._ours, bytes(b for message in messages for b in message))

    def tap(self, controller, held_s=0.1):
        time.sleep(0.1)  # no foot is faster, only a contact that bounces
        self.send([0xB0, controller, 127])
        time.sleep(held_s)
        self.send([0xB0, controller, 0])

    def unplug(self):
        if self._path.is_symlink():
            self._path.unlink()
            os.close(self._ours)
            os.close(self._theirs)


@pytest.fixture
def foot_switch(monkeypatch, tmp_path):
    """Plugs one in each time it is called."""
    folder = tmp_path / "midi"
    folder.mkdir()
    monkeypatch.setenv(STANDINS, str(folder))
    plugged = []

    def plug_in():
        plugged.append(FootSwitch(folder))
        return plugged[-1]

    yield plug_in
    for switch in plugged:
        switch.unplug()
