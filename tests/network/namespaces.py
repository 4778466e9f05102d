"""Two networks of their own with a wire between them, and a Brucke in each; needs root and the kernel's namespaces."""

import contextlib
import json
import os
import subprocess
import sys
import time
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src"


def ip(*words):
    subprocess.run(["ip", *words], check=True, capture_output=True)


@contextlib.contextmanager
def wire(names=("bra", "brb"), addresses=("10.77.0.1", "10.77.0.2")):
    """Two namespaces joined by one cable."""
    for name in names:
        subprocess.run(["ip", "netns", "del", name], capture_output=True)
    for name in names:
        ip("netns", "add", name)
    try:
        ip("link", "add", f"v{names[0]}", "netns", names[0], "type", "veth", "peer", "name", f"v{names[1]}", "netns",
           names[1])  # fmt: skip
        for name, address in zip(names, addresses, strict=True):
            inside("ip", name, "link", "set", "lo", "up")
            inside("ip", name, "addr", "add", f"{address}/24", "dev", f"v{name}")
            inside("ip", name, "link", "set", f"v{name}", "up")
        yield names
    finally:
        for name in names:
            subprocess.run(["ip", "netns", "del", name], capture_output=True)


def inside(program, name, *words):
    subprocess.run(["ip", "netns", "exec", name, program, *words], check=True, capture_output=True)


class Side:
    """One Brucke in a namespace, with a home of its own."""

    def __init__(self, namespace, name, setup, home, before=(), node="node.py"):
        home.mkdir(parents=True, exist_ok=True)
        self.name, self.home = name, home
        (home / "run").mkdir(mode=0o700, exist_ok=True)
        where = {"HOME": home, "XDG_RUNTIME_DIR": home / "run"}
        where |= {f"XDG_{kind}_HOME": home / kind.lower() for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
        environment = {**os.environ, **{k: str(v) for k, v in where.items()}, "QT_QPA_PLATFORM": "offscreen",
                       "PYTHONPATH": str(SOURCE)}  # fmt: skip
        (home / "s.ini").write_text(f"[two_computers]\nname={name}\n")
        enters = ["ip", "netns", "exec", namespace] if namespace else []
        self.process = subprocess.Popen(
            [*enters, *before, sys.executable, str(Path(__file__).with_name(node)), str(setup)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, env=environment, text=True,
        )  # fmt: skip

    def do(self, do, **given):
        self.process.stdin.write(json.dumps({"do": do, **given}) + "\n")
        self.process.stdin.flush()
        answer = json.loads(self.process.stdout.readline())
        assert "error" not in answer, answer
        return answer

    def state(self):
        return self.do("state")

    def until(self, met, seconds=20):
        """The state once `met` is true of it."""
        end = time.monotonic() + seconds
        while not met(state := self.state()):
            assert time.monotonic() < end, f"{self.name} did not come there: {state}"
            time.sleep(0.05)
        return state

    def end(self):
        self.process.stdin.close()
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
