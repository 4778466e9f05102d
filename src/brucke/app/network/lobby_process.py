"""The process that looks for other computers, as the application speaks with it."""

import contextlib
import os
import subprocess
import sys
import threading
from collections import deque
from pathlib import Path

import msgspec

from ...ports.network.lobby_messages import FromLobby, LobbyArguments, ToLobby

ENDS_S = 2.0


class LobbyProcess:
    """From its beginning to `end`. What it tells is in `told`, to be emptied."""

    def __init__(self, folder: Path, name: str):
        given = msgspec.json.encode(LobbyArguments(folder=str(folder), name=name)).decode()
        self.told: deque[FromLobby] = deque(maxlen=1000)
        self._process = subprocess.Popen(
            [sys.executable, "-m", "brucke.ports.network.lobby", given], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            env={**os.environ, "BRUCKE_ROLE": "lobby"},
        )  # fmt: skip
        threading.Thread(target=self._read, name="lobby", daemon=True).start()

    @property
    def alive(self) -> bool:
        return self._process.poll() is None

    def say(self, order: ToLobby) -> None:
        """Lost where it has ended."""
        if self._process.stdin is not None:
            with contextlib.suppress(OSError, ValueError):
                self._process.stdin.write(msgspec.json.encode(order) + b"\n")
                self._process.stdin.flush()

    def _read(self) -> None:
        decoder = msgspec.json.Decoder(FromLobby)
        assert self._process.stdout is not None
        for line in self._process.stdout:
            with contextlib.suppress(ValueError):
                self.told.append(decoder.decode(line))

    def end(self) -> None:
        """It takes its name off the network, and nothing listens any more; whoever asked goes on at once."""
        if self._process.stdin is not None:
            with contextlib.suppress(OSError):
                self._process.stdin.close()
        threading.Thread(target=end_within, args=(self._process, ENDS_S), name="lobby ends", daemon=True).start()


def end_within(process: "subprocess.Popen[bytes]", seconds: float) -> None:
    """Waits for one that was told to end, and kills it where it does not."""
    try:
        process.wait(seconds)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
