"""What `attack.py` attacks: the application without its looks, told by words what hands do. Begins closed, as
always."""

import os
import sys
import time
from pathlib import Path


def main() -> None:
    from PyQt6.QtCore import QCoreApplication

    from brucke.app.engine.live_engine import LiveEngine
    from brucke.app.recording.take_recorder import TakeRecorder
    from brucke.app.session.session import Session
    from brucke.app.sound_server.desktop import Desktop
    from brucke.rehearse import equipment

    app = QCoreApplication([])
    session = Session(equipment)
    session.open(Path(sys.argv[1]))
    running = LiveEngine(session)
    desktop, taking = Desktop(session), TakeRecorder(session, running)
    desktop.moved.connect(running.moved)
    desktop.carried = lambda: running.carried
    running.start(play=True)
    os.set_blocking(sys.stdin.fileno(), False)
    rest, recorded = b"", False
    while True:
        app.processEvents()
        for part in (running, desktop, taking):
            part.tick()
        if running.state == "stopped" and running.link is None:
            running.start(play=True)
        if running.state == "running" and not recorded and taking.state == "idle":
            recorded = True
            taking.record()
        try:
            more = os.read(sys.stdin.fileno(), 4096)
            if not more:
                break
            rest += more
        except BlockingIOError:
            pass
        *words, rest = rest.split(b"\n")
        for word in words:
            running.set_on_air(word == b"open")
        time.sleep(0.02)
    running.end()
    desktop.end()


if __name__ == "__main__":
    main()
