"""The Nightboat hour on a private desktop: chains, every microphone and output made, a program playing, the window
painting, all of it recorded; its dropouts beside an idle loop of the same pace, what a cycle costs beside the server's
own loop-back. python -m bench desktop [MINUTES] — so long at 128 frames, then a tenth of it at 256 with all cores busy
"""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from .spent import cpu_s

MINUTES = 3.0
LOOK_S = 1.0


def run() -> None:
    from tests.desktop_server import DesktopServer, tone

    from .kills import _homes

    if sys.argv[2:3] == ["0"]:  # one phase, in a process of its own
        folder, length, frames = Path(os.environ["BENCH_FOLDER"]), *map(float, sys.argv[3:5])
        _phase(folder, length, int(frames), busy=frames > 128)
        return
    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else MINUTES
    with tempfile.TemporaryDirectory(prefix="quay-") as name:
        folder = Path(name)
        os.environ.update(_homes(name))
        desktop = DesktopServer(folder)
        desktop.start()
        os.environ.update(desktop.env)
        os.environ["BENCH_FOLDER"] = name
        tone(folder / "tone.wav", 440.0, seconds=minutes * 60 + 60)
        loop_back = desktop.run("pw-loopback", stdout=subprocess.DEVNULL)
        os.environ["BENCH_LOOP_BACK"] = str(loop_back.pid)
        try:
            for length, frames in ((minutes, 128), (minutes / 10, 256)):
                subprocess.run([sys.executable, "-m", "bench", "desktop", "0", str(length), str(frames)], check=True)
        finally:
            loop_back.kill()
            desktop.stop()


def _phase(folder: Path, minutes: float, frames: int, busy: bool) -> None:
    from brucke.engine.processes.region import Head

    from .deadlines import idle_loop, stolen
    from .kills import BUSY

    app, window = _window(folder, frames)
    link = window.running.link
    player = subprocess.Popen(["pw-play", "--target", _output(window), str(folder / "tone.wav")])
    _live(app, 5.0)
    loads = [subprocess.Popen([sys.executable, "-c", BUSY]) for _ in range(os.cpu_count() or 1)] if busy else []
    heads = (Head.LATE, Head.MISSED, Head.CARD_DROPOUTS)
    window.do("record")
    before, taken, idle = [link.get(h) for h in heads], stolen(), idle_loop(minutes * 60, frames)
    ours, theirs = link.engine.process.pid, int(os.environ["BENCH_LOOP_BACK"])
    used, load = (cpu_s(ours), cpu_s(theirs)), []
    until = time.monotonic() + minutes * 60
    while time.monotonic() < until:
        _live(app, LOOK_S)
        load.append(link.load)
    lost = dict(
        zip(
            ("missing input", "late block", "the server"),
            (link.get(h) - b for h, b in zip(heads, before, strict=True)),
            strict=True,
        )
    )
    missed, _ = idle.communicate()
    cycles = minutes * 60 * 48000 / frames
    spent = [(cpu_s(pid) - u) / cycles * 1e6 for pid, u in zip((ours, theirs), used, strict=True)]
    share = (stolen() - taken) / os.sysconf("SC_CLK_TCK")
    recorded = window.taking.state
    for process in (player, *loads):
        process.kill()
    print(
        f"{minutes:g} minutes at {frames} frames{', all cores busy' if busy else ''}, "
        f"{len(window.session.setup.parts)} parts, "
        f"{len(window.session.setup.listeners)} listeners, {recorded}: lost {lost}; idle loop beside it missed "
        f"{missed.strip()}; "
        f"the machine stole {share:.1f} s; block time median {np.median(load):.1%}, highest {max(load):.1%} of a "
        f"block; "
        f"a cycle costs the engine's process {spent[0]:.0f} µs, the server's own loop-back's {spent[1]:.0f} µs",
        flush=True,
    )
    window.do("record")
    _live(app, 2.0)
    window.close()
    _live(app, 1.0)


def _window(folder: Path, frames: int):  # type: ignore[no-untyped-def]
    from msgspec.structs import replace
    from PyQt6.QtCore import QSettings

    from brucke.app.session.session import Session
    from brucke.app.studio import Studio
    from brucke.core.edits.route_edits import put_on_this_computer
    from brucke.core.knowledge.evidence import Knowledge
    from brucke.core.storage.setup_file import save
    from brucke.demo import FOLDER
    from brucke.demo.make_setup import nightboat
    from brucke.rehearse import equipment
    from brucke.ui.shell.app import make_app
    from brucke.ui.shell.window import Window
    from brucke.ui.theme.theme import Theme

    app, _, _ = make_app()
    for sound in FOLDER.glob("*.flac"):
        shutil.copy2(sound, folder)
    file = folder / f"here-{frames}.brucke.json"
    setup = put_on_this_computer(nightboat())
    devices = tuple(
        replace(d, buffer_frames=max(frames, d.buffer_frames)) if d.buffer_frames else d for d in setup.devices
    )
    save(file, replace(setup, block_frames=frames, devices=devices), Knowledge())
    session = Session(equipment)
    session.open(file)
    window = Window(Theme(), Studio(session, QSettings(f"{folder}/s.ini", QSettings.Format.IniFormat)))
    window.document_dialogs.may_leave = lambda: True
    window.show()
    session.noticed.connect(lambda text, _tone: print(text, file=sys.stderr))
    window.running.start(play=True)
    while window.running.state != "running" or not window.desktop.linked:
        _live(app, 0.05)
    window.do("on_air")
    return app, window


def _live(app, seconds: float) -> None:  # type: ignore[no-untyped-def]
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        app.processEvents()
        time.sleep(0.005)


def _output(window) -> str:  # type: ignore[no-untyped-def]
    """An output of ours that a program plays into."""
    from brucke.ports.devices.server.wiring import made

    return next(m.node for m in made(window.session.setup) if m.output)
