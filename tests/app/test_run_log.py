"""One log a run, from every process, bounded; and what is copied for whoever helps."""

import os
import re
import subprocess
import sys
from pathlib import Path

from brucke.app.presence.what_happened import what_happened
from brucke.core.files import run_log

CHILD = """
import logging, subprocess, sys
from brucke.core.files.run_log import begin
print(begin(sys.argv[1]))
log = logging.getLogger("brucke.test")
log.info("plainly")
log.debug("Captain sings")
if sys.argv[1] == "first":
    subprocess.run([sys.executable, "-c", open(sys.argv[2]).read(), "second", sys.argv[2]])
raise ValueError(f"in {sys.argv[1]}")
"""


def run(tmp_path, **more):
    """What the first process gives out."""
    script = tmp_path / "child.py"
    script.write_text(CHILD)
    env = {k: v for k, v in os.environ.items() if k not in (run_log.FILE, run_log.LEVEL)}
    env |= {"XDG_STATE_HOME": str(tmp_path), "XDG_CACHE_HOME": str(tmp_path), **more}
    command = [sys.executable, "-c", CHILD, "first", str(script)]
    return subprocess.run(command, env=env, capture_output=True, text=True)


def test_every_process_writes_to_one_file_and_what_ends_it_stands_there(tmp_path, monkeypatch, nightboat):
    ended = run(tmp_path)
    first, second = ended.stdout.split("\n")[:2]
    assert first == second
    text = Path(first).read_text()
    assert set(re.findall(r"brucke\.(\w+)\[", text)) == {"first", "second", "test"}
    assert text.count("plainly") == 2
    assert "Captain" not in text
    assert text.count("Traceback") == 2
    assert text.index("ValueError: in second") < text.index("ValueError: in first")
    assert "ValueError: in first" in ended.stderr, "nothing is hidden from who looks at the terminal"
    assert "Captain" in Path(run(tmp_path, BRUCKE_LOG="debug").stdout.split("\n")[0]).read_text()
    monkeypatch.setenv(run_log.FILE, first)
    told = what_happened(nightboat, "running")
    assert "128 frames; 1 interface, 1 player" in told
    assert "ValueError: in first" in told
    assert not [x.name for x in (*nightboat.parts, *nightboat.listeners) if x.name in told]


def test_a_log_ends_somewhere_and_old_ones_go(tmp_path, monkeypatch):
    for _ in range(run_log.KEPT + 3):
        last = run(tmp_path).stdout.split("\n")[0]
    kept = sorted(os.listdir(os.path.dirname(last)))
    assert len(kept) <= run_log.KEPT
    assert os.path.basename(last) in kept
    with open(last, "a") as f:
        f.write("x" * run_log.MOST_BYTES)
    size = os.path.getsize(last)
    run(tmp_path, BRUCKE_LOG_FILE=last)
    assert os.path.getsize(last) == size
    nowhere = tmp_path / "nowhere"
    nowhere.write_text("a file where a folder should be")
    assert run(tmp_path, XDG_STATE_HOME=str(nowhere), XDG_CACHE_HOME=str(nowhere)).stdout.split("\n")[0] == "None"
