"""./run profile engine | window: where time goes. What took longest in itself stands first."""

import cProfile
import os
import pstats
import sys
import tempfile
import time
from pathlib import Path

SECONDS = 10.0
SHOWN = 30


def engine() -> cProfile.Profile:
    """The block step with its meters, 64 parts to 16 listeners, as fast as it can."""
    import numpy as np

    from brucke.engine.step.block import BlockEngine

    from .engine import plan_of

    shape, plan = plan_of(64, 16, 4800)
    runs = BlockEngine(shape, plan)
    noise = (0.1 * np.random.default_rng(2).standard_normal((shape.captures, shape.block))).astype(np.float32)
    for _ in range(200):
        runs.step(noise)
    profile, until = cProfile.Profile(), time.monotonic() + SECONDS
    profile.enable()
    while time.monotonic() < until:
        for _ in range(100):
            runs.step(noise)
            runs.levels()
    profile.disable()
    return profile


def window() -> cProfile.Profile:
    """The demo from its first import: started, sounding, every place shown for a moment."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    profile = cProfile.Profile()
    profile.enable()
    from PyQt6.QtCore import QSettings

    from brucke.app.session.session import Session
    from brucke.app.studio import Studio
    from brucke.demo import SETUP
    from brucke.rehearse import equipment
    from brucke.ui.shell.app import make_app
    from brucke.ui.shell.window import Window

    app, theme = make_app()[:2]
    session = Session(equipment)
    session.open(SETUP)
    settings = QSettings(
        str(Path(tempfile.mkdtemp(prefix="brucke-profile-")) / "settings.ini"), QSettings.Format.IniFormat
    )
    shown = Window(theme, Studio(session, settings))
    shown.show()
    shown.running.start(play=True)
    for place in (*shown.places, "align"):
        shown.go_to(place)
        until = time.monotonic() + SECONDS / len(shown.places)
        while time.monotonic() < until:
            app.processEvents()
            time.sleep(0.002)
    profile.disable()
    shown.close()
    return profile


def main() -> int:
    asked = sys.argv[1:2]
    if asked not in (["engine"], ["window"]):
        print(__doc__, file=sys.stderr)
        return 2
    found = pstats.Stats(engine() if asked == ["engine"] else window())
    found.sort_stats("tottime").print_stats(SHOWN)
    return 0


if __name__ == "__main__":
    sys.exit(main())
