"""A MIDI device as the kernel gives it: a file of bytes, both ways. Stand-ins are pseudo terminals."""

import contextlib
import os
import threading
from collections.abc import Callable
from pathlib import Path

from ...core.control.midi_bytes import MidiBytes
from ...core.control.midi_message import midi_control


class RawMidi:
    """Open until `gone`. `heard(control, pressed)` is called in a thread of its own. Errors: OSError."""

    def __init__(self, path: Path, heard: Callable[[str, bool | None], None]):
        self.gone = False
        self._heard = heard
        self._fd = os.open(path, os.O_RDWR | os.O_NOCTTY)
        self._thread = threading.Thread(target=self._read, name="raw midi", daemon=True)
        self._thread.start()

    def _read(self) -> None:
        stream = MidiBytes()
        with contextlib.suppress(OSError):
            while data := os.read(self._fd, 256):
                for message in stream.feed(data):
                    found = midi_control(message)
                    if found is not None:
                        self._heard(*found)
        self.gone = True

    def light(self, message: list[int]) -> None:
        with contextlib.suppress(OSError):
            os.write(self._fd, bytes(message))

    def close(self) -> None:
        with contextlib.suppress(OSError):
            os.close(self._fd)
