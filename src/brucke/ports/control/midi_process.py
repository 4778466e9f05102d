"""MIDI in a process of its own: whatever the library or a driver does, the application goes on.

python -m brucke.ports.control.midi_process — started by `midi_listener.py`, never by hand. Lines of JSON: what is heard
to standard output, the bytes of lamps from standard input, whose end ends it.
"""

import json
import os
import queue
import sys
import threading
from typing import Any

from .midi_ports import MidiPorts

LOOK_S = 1.0
MOST = 4096  # messages that may wait for whoever reads


def main() -> None:
    said: queue.Queue[dict[str, Any]] = queue.Queue(MOST)

    def say(**what: Any) -> None:
        """Nothing waits here: a flood loses what comes beyond."""
        try:
            said.put_nowait(what)
        except queue.Full:
            return

    ports = MidiPorts(lambda control, pressed: say(control=control, pressed=pressed))
    threading.Thread(target=_light, args=(ports,), name="lamps", daemon=True).start()
    known: tuple[str, ...] | None = None
    threading.Thread(target=_write, args=(said,), name="writing", daemon=True).start()
    pause = threading.Event()
    while True:
        gone = ports.look()
        if ports.names != known or gone:
            known = ports.names
            say(ports=list(known), gone=list(gone))
        pause.wait(LOOK_S)


def _write(said: "queue.Queue[dict[str, Any]]") -> None:
    while True:
        line = json.dumps(said.get()) + "\n"
        try:
            os.write(1, line.encode())
        except OSError:
            os._exit(0)


def _light(ports: MidiPorts) -> None:
    for line in sys.stdin:
        try:
            message = json.loads(line)
        except ValueError:
            continue
        if isinstance(message, list):
            ports.light([int(b) & 0xFF for b in message])
    os._exit(0)  # whoever started it has gone; no library is asked to end first


if __name__ == "__main__":
    main()
