"""Minutes on a private desktop: the Nightboat hour with its chains, every microphone and output made, beside an idle loop.
python -m bench desktop [MINUTES]"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

MINUTES = 3.0


def run() -> None:
    from tests.desktop_server import DesktopServer

    from brucke.core.document.setup_file import save
    from brucke.core.edits.route_edits import put_on_this_computer
    from brucke.core.knowledge.evidence import Knowledge
    from brucke.demo import FOLDER
    from brucke.demo.make_setup import nightboat

    from .deadlines import idle_loop, stolen

    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else MINUTES
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        desktop = DesktopServer(Path(folder))
        desktop.start()
        setup = Path(folder) / "here.brucke.json"
        for sound in FOLDER.glob("*.flac"):
            shutil.copy2(sound, folder)
        save(setup, put_on_this_computer(nightboat()), Knowledge())
        command = [
            sys.executable,
            "-m",
            "brucke",
            "live",
            str(setup),
            "--open",
            "--json",
            "--seconds",
            str(minutes * 60),
        ]
        live = desktop.run(*command, stdout=subprocess.PIPE)
        assert live.stdout is not None
        first = json.loads(live.stdout.readline())
        before = stolen()
        idle = idle_loop(minutes * 60)
        said = [json.loads(line) for line in live.stdout.read().splitlines()]
        missed, _ = idle.communicate()
        share = (stolen() - before) / os.sysconf("SC_CLK_TCK")
        done = said[-1]
        lost = sum(e["count"] for e in said if e["event"] == "dropout")
        desktop.stop()
        print(
            f"{minutes:g} minutes at the desktop's server, {len(first['listeners'])} listeners, up after {first['at_s']} s: "
            f"{done['blocks']} blocks, {lost} dropouts; idle loop of the same pace beside it missed {missed.strip()}; the machine "
            f"stole {share:.1f} s"
        )
