"""Two networks of their own with a wire between them, and a Brucke in each; needs root and the kernel's namespaces."""

import contextlib
import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

from brucke.ports.network.gstreamer import missing_packages

SOURCE = Path(__file__).parents[2] / "src"


def ip(*words):
    subprocess.run(["ip", *words], check=True, capture_output=True)


def missing():
    """Why there can be no networks of our own here; “” where there can."""
    if os.geteuid():
        return "namespaces need root"
    if missing_packages():
        return f"not installed: {', '.join(missing_packages())}"
    if not os.path.exists("/dev/net/tun") or shutil.which("ip") is None:
        return "there is no “ip”, or no TUN device"
    try:
        with _namespaces(("brtry",)):
            inside("ip", "brtry", "link", "add", "sw", "type", "bridge")
            inside("ip", "brtry", "link", "add", "one", "type", "veth", "peer", "name", "two")
    except subprocess.CalledProcessError as e:
        return (e.stderr or b"").decode(errors="replace").strip() or "the kernel makes none"
    return ""


@contextlib.contextmanager
def _namespaces(names):
    for name in names:
        subprocess.run(["ip", "netns", "del", name], capture_output=True)
        ip("netns", "add", name)
    try:
        yield
    finally:
        for name in names:
            subprocess.run(["ip", "netns", "del", name], capture_output=True)


@contextlib.contextmanager
def network(count=2):
    """So many namespaces at one switch: gives their names; the first has the address 10.77.0.1, the next one 2 …"""
    names = tuple(f"br{chr(ord('a') + i)}" for i in range(count))
    with _namespaces((*names, "brswitch")):
        inside("ip", "brswitch", "link", "add", "sw", "type", "bridge")
        inside("ip", "brswitch", "link", "set", "sw", "up")
        for i, name in enumerate(names):
            ip("link", "add", "wire", "netns", name, "type", "veth", "peer", "name", f"w{name}", "netns", "brswitch")
            inside("ip", "brswitch", "link", "set", f"w{name}", "master", "sw", "up")
            inside("ip", name, "link", "set", "lo", "up")
            inside("ip", name, "addr", "add", f"10.77.0.{i + 1}/24", "dev", "wire")
            inside("ip", name, "link", "set", "wire", "up")
            inside("ip", name, "route", "add", "224.0.0.0/4", "dev", "wire")
        yield names


def plug(name, is_in):
    """The cable of one namespace at the switch."""
    inside("ip", "brswitch", "link", "set", f"w{name}", "up" if is_in else "down")


def listening(name, kinds=("tcp", "udp", "tcp6", "udp6")):
    """Places that something listens at in a namespace, as the kernel writes them."""
    files = [f"/proc/net/{kind}" for kind in kinds]
    said = subprocess.run(
        ["ip", "netns", "exec", name, "cat", *files], check=True, capture_output=True, text=True
    ).stdout
    rows = [line.split() for line in said.splitlines() if ":" in line.split()[0]]
    return sorted(row[1] for row in rows if row[3] in ("0A", "07"))


@contextlib.contextmanager
def shaped_wire(names=("bra", "brb"), addresses=("10.77.0.1", "10.77.0.2"), **how):
    """The same through `shaper.py`: gives the two names and a function that changes the wire."""
    stack = contextlib.ExitStack()
    stack.enter_context(_namespaces(names))
    shaper = subprocess.Popen(
        [sys.executable, str(Path(__file__).with_name("shaper.py")), *names, json.dumps(how)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip

    def change(**what):
        shaper.stdin.write(json.dumps(what) + "\n")
        shaper.stdin.flush()

    try:
        assert shaper.stdout.readline() == "ready\n"
        for name, address in zip(names, addresses, strict=True):
            inside("ip", name, "link", "set", "lo", "up")
            inside("ip", name, "addr", "add", f"{address}/24", "dev", f"t{name}")
            inside("ip", name, "link", "set", f"t{name}", "up", "multicast", "on")
            inside("ip", name, "route", "add", "224.0.0.0/4", "dev", f"t{name}")
        yield names, change
    finally:
        shaper.kill()
        shaper.wait()
        stack.close()


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

    def until(self, met, seconds=40):
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
