"""`live` on a desktop of its own, heard by the server's own programs."""

import json
import os
import signal
import subprocess
import sys
import time

import numpy as np

from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import save

from ..desktop_server import RATE


class Sounding:
    """`live` in a process of its own, with everything it says."""

    def __init__(self, desktop, folder, setup, *options):
        save(folder / "here.brucke.json", setup, Knowledge())
        self.said, self._rest = [], b""
        self.process = desktop.run(
            sys.executable,
            "-m",
            "brucke",
            "live",
            str(folder / "here.brucke.json"),
            "--json",
            *options,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        os.set_blocking(self.process.stdout.fileno(), False)

    def events(self, name):
        self._rest += self.process.stdout.read() or b""
        *whole, self._rest = self._rest.split(b"\n")
        self.said += [json.loads(line) for line in whole]
        return [e for e in self.said if e["event"] == name]

    def say(self, line):
        self.process.stdin.write(line.encode() + b"\n")
        self.process.stdin.flush()

    def until(self, name, count=1, seconds=30):
        end = time.monotonic() + seconds
        while len(self.events(name)) < count:
            assert self.process.poll() is None, self.said
            assert time.monotonic() < end, [{**e, "listeners": ...} for e in self.said[-9:]]
            time.sleep(0.02)
        return self.events(name)[-1]

    def end(self):
        self.process.send_signal(signal.SIGINT)
        assert self.process.wait(15) == 0
        return self.events("done")[-1]


def recording(desktop, file, seconds, node="brucke.lounge"):
    """What the server's own recorder gets from a microphone of ours, [frames, 2]."""
    with open(file, "wb") as out:
        recorder = desktop.run(
            "parec", "-d", node, "--format=float32le", "--channels=2", f"--rate={RATE}", "--latency-msec=5", stdout=out
        )
        time.sleep(seconds)
        recorder.terminate()
        recorder.wait(5)
    return np.fromfile(file, np.float32).reshape(-1, 2)


def level_of(sound, hz):
    """Amplitude of one tone in a sound, by its discrete Fourier sum over twentieths of a second. A block that the
    machine lost makes one of them lower and none higher: so that nine of ten lie below it is the level."""
    frames = RATE // 20
    windows = sound[: len(sound) // frames * frames].reshape(-1, frames)
    turned = np.exp(-2j * np.pi * hz * np.arange(frames) / RATE) * np.hanning(frames) * 2
    return 2 * np.quantile(np.abs(np.mean(windows * turned, axis=1)), 0.9)


def until(met, seconds):
    end = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.05)
