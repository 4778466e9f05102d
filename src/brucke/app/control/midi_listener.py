"""The process that listens to MIDI, as the application sees it. It is started again where it ends."""

import contextlib
import json
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any

TRIES = 3
PAUSE_S = 2.0  # until one that has ended is started again


class MidiListener:
    """`heard(control, pressed)` and `ports(names, gone)` are called in a thread of its own, `failed()` once where it
    ends again and again as soon as it was started."""

    def __init__(
        self,
        heard: Callable[[str, bool | None], None],
        ports: Callable[[tuple[str, ...], tuple[str, ...]], None],
        failed: Callable[[], None],
    ):
        self._heard, self._ports, self._failed = heard, ports, failed
        self._short = 0  # lives in a row that were no lives
        self._names: tuple[str, ...] = ()
        self._ended = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._run, name="midi", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        while not self._ended.is_set():
            try:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "brucke.ports.control.midi_process"],
                    stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                )  # fmt: skip
            except OSError:
                self._ended.wait(PAUSE_S)
                continue
            assert self._process.stdout is not None
            began = time.monotonic()
            for line in self._process.stdout:
                self._read(line)
            self._process.wait()
            self._short = self._short + 1 if time.monotonic() - began < PAUSE_S else 0
            if self._short == TRIES and not self._ended.is_set():
                self._failed()
            if self._names:  # it ended: whatever was held is not known to be held any more
                gone, self._names = self._names, ()
                self._ports((), gone)
            self._ended.wait(PAUSE_S)

    def _read(self, line: bytes) -> None:
        try:
            said: dict[str, Any] = json.loads(line)
        except ValueError:
            return
        if "control" in said:
            self._heard(said["control"], said["pressed"])
        elif "ports" in said:
            self._names = tuple(said["ports"])
            self._ports(self._names, tuple(said["gone"]))

    def light(self, message: list[int]) -> None:
        process = self._process
        if process is not None and process.stdin is not None:
            with contextlib.suppress(OSError, ValueError):
                process.stdin.write(json.dumps(message).encode() + b"\n")
                process.stdin.flush()

    def close(self) -> None:
        self._ended.set()
        process = self._process
        if process is not None:
            process.kill()
        self._thread.join(2.0)
