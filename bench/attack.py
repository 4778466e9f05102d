"""`./run bench attack [MINUTES]`: on a private sound server everything of ours, and the server itself, is killed and
stopped at random, while another program records our microphone and somebody sings. What it hears while nobody has
opened it has to be zeros to the bit.

The reference is what that program would have got from the bare microphone all the while: the song of the room.
"""

import json
import os
import select
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

MINUTES = 60.0
LATE_S = 0.8  # what stands in buffers of the server and of the recorder after a change
SILENT_S = 3.0
RATE = 48000
OURS = ("engine", "standby", "recorder", "loudness", "world")


@dataclass
class Timeline:
    """When it was open: (from, to) in monotonic seconds, the last one unended while it is."""

    spans: list[tuple[float, float]] = field(default_factory=list)
    since: float = 0.0

    def opens(self, at: float) -> None:
        self.since = self.since or at

    def closes(self, at: float) -> None:
        if self.since:
            self.spans.append((self.since, at))
            self.since = 0.0

    def closed_during(self, begin: float, end: float) -> bool:
        if self.since and end > self.since:
            return False
        return not any(a < end and b > begin for a, b in self.spans)


class Desk:
    """The application without its looks, in a process of its own, told what hands do."""

    def __init__(self, server, setup: Path):
        self.process = subprocess.Popen(
            [sys.executable, "-m", "bench.attacked", str(setup)], env={**os.environ, **server.env, "QT_QPA_PLATFORM":
            "offscreen"},
            stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def tell(self, word: str) -> bool:
        try:
            assert self.process.stdin is not None
            self.process.stdin.write(f"{word}\n".encode())
            self.process.stdin.flush()
        except OSError:
            return False
        return self.process.poll() is None

    def children(self, role: str) -> list[int]:
        found = []
        for task in Path(f"/proc/{self.process.pid}/task").glob("*/children"):
            for child in task.read_text().split():
                try:
                    environment = Path(f"/proc/{child}/environ").read_bytes()
                    command = Path(f"/proc/{child}/cmdline").read_bytes()
                    name = Path(f"/proc/{child}/comm").read_text().strip()
                except OSError:
                    continue
                forked = name == f"brucke {role}"[:15]
                mine = forked or f"BRUCKE_ROLE={role}".encode() in environment.split(b"\0")
                if (role == "keeper" and b"server.keeper" in command) or (mine and b"server.keeper" not in command):
                    found.append(int(child))
        return found


class OtherProgram(threading.Thread):
    """Records our microphone whenever it is there, and looks at every piece of it."""

    def __init__(self, server, timeline: Timeline):
        super().__init__(daemon=True)
        self.server, self.timeline = server, timeline
        self.closed_s = self.open_s = self.heard_s = 0.0
        self.leaks: list[float] = []
        self.misdirected, self.acts = 0, list[tuple[float, str]]()
        self.ended = False
        self.recorder: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        while not self.ended:
            try:
                there = "brucke.lounge" in self.server.names("sources")
            except (subprocess.SubprocessError, OSError):
                there = False
            if there:
                self._record()
            time.sleep(0.3)

    def _say_leak(self, now: float) -> None:
        """What was done before it."""
        acts = ", ".join(f"{what} {now - at:.1f} s before" for at, what in self.acts[-5:])
        links = self.server.ask("pactl", "list", "short", "source-outputs").stdout
        print(f"  LEAK: {acts}; {links!r}", flush=True)

    def _has_ours(self, pid: int) -> bool:
        """Whether the recorder of that process is given our microphone; looked at for two seconds."""
        until = time.monotonic() + 2.0
        while time.monotonic() < until:
            try:
                sources = json.loads(self.server.ask("pactl", "-f", "json", "list", "sources").stdout)
                outputs = json.loads(self.server.ask("pactl", "-f", "json", "list", "source-outputs").stdout)
            except (ValueError, subprocess.SubprocessError, OSError):
                return False
            ours = {s["index"] for s in sources if s["name"] == "brucke.lounge"}
            mine = [o for o in outputs if o["properties"].get("application.process.id") == str(pid)]
            if mine:
                return all(o["source"] in ours for o in mine)
            time.sleep(0.1)
        return False

    def _record(self) -> None:
        self.recorder = self.server.run(
            "parec", "-d", "brucke.lounge", "--format=float32le", "--channels=2", f"--rate={RATE}",
            "--latency-msec=20", stdout=subprocess.PIPE
        )  # fmt: skip
        if not self._has_ours(self.recorder.pid):
            # It asked for a microphone that went while it asked, and was given another: nobody's choice.
            self.misdirected += 1
            self.recorder.kill()
            self.recorder.wait()
            return
        pipe = self.recorder.stdout
        # One that gets nothing for a while chooses the microphone anew, as its user would.
        while not self.ended and select.select([pipe], [], [], SILENT_S)[0] and (data := os.read(pipe.fileno(), 2**16)):
            now, seconds = time.monotonic(), len(data) / 8 / RATE
            sound = np.frombuffer(data[: len(data) // 4 * 4], np.uint32)
            if self.timeline.closed_during(now - seconds - LATE_S, now):
                self.closed_s += seconds
                if sound.any():
                    if not self.leaks or now - self.leaks[-1] > SILENT_S:
                        self._say_leak(now)
                    self.leaks.append(now)
            else:
                self.open_s += seconds
                self.heard_s += seconds * bool(sound.any())
        self.recorder.kill()
        self.recorder.wait()


def _signal(pids: list[int], how: int) -> bool:
    for pid in pids:
        try:
            os.kill(pid, how)
        except ProcessLookupError:
            continue
    return bool(pids)


class Attack:
    def __init__(self, folder: Path):
        from tests.desktop_server import DesktopServer, setup_here, tone

        from brucke.core.knowledge.evidence import Knowledge
        from brucke.core.storage.setup_file import save

        self.server = DesktopServer(folder)
        self.server.start()
        self.setup = folder / "here.brucke.json"
        save(self.setup, setup_here(), Knowledge())
        self.song = tone(folder / "room.wav", 1000.0, 60.0)
        self.rng, self.timeline, self.acts = np.random.default_rng(21), Timeline(), Counter[str]()
        self.singer: subprocess.Popen[bytes] | None = None
        self.desk: Desk | None = None
        self.other = OtherProgram(self.server, self.timeline)

    def keep_singing(self) -> None:
        if self.singer is None or self.singer.poll() is not None:
            self.singer = self.server.run("paplay", "-d", "air", str(self.song))

    def act(self) -> str:
        desk = self.desk
        if desk is None or desk.process.poll() is not None:
            self.timeline.closes(time.monotonic())
            self.desk = Desk(self.server, self.setup)
            return "started anew"
        what = str(self.rng.choice(WHAT, p=WEIGHTS))
        if what == "open":
            self.timeline.opens(time.monotonic())
            desk.tell("open")
        elif what == "close":
            desk.tell("close")
            time.sleep(0.2)  # the word is written by then, or it is not there any more
            self.timeline.closes(time.monotonic())
        elif what.startswith("kill "):
            _signal(desk.children(what[5:]), signal.SIGKILL)
        elif what.startswith("stop "):
            pids = desk.children(what[5:])
            _signal(pids, signal.SIGSTOP)
            time.sleep(float(self.rng.uniform(0.3, 3.0)))
            _signal(pids, signal.SIGCONT)
        else:
            self.act_on_many(desk, what)
        return what

    def act_on_many(self, desk: Desk, what: str) -> None:
        everything = [p for role in (*OURS, "keeper") for p in desk.children(role)]
        if what == "window killed":
            desk.process.kill()
        elif what == "window stopped":
            desk.process.send_signal(signal.SIGSTOP)
            time.sleep(float(self.rng.uniform(0.5, 4.0)))
            desk.process.send_signal(signal.SIGCONT)
        elif what == "all killed, and the keeper":
            _signal([desk.process.pid, *everything], signal.SIGKILL)
            time.sleep(float(self.rng.uniform(2.0, 8.0)))
        elif what == "all killed":
            _signal([desk.process.pid, *[p for p in everything if p not in desk.children("keeper")]], signal.SIGKILL)
            time.sleep(float(self.rng.uniform(2.0, 8.0)))
        elif what == "session manager killed":
            self._again(1)
            time.sleep(float(self.rng.uniform(2.0, 5.0)))
            self._kill_server()  # the one that comes anew links nobody on this private desktop
        elif what == "older protocol's daemon killed":
            self._again(2)
        elif what == "server killed":
            self._kill_server()

    def _again(self, place: int) -> None:
        from tests.desktop_server import PROGRAMS

        process = self.server._processes[1 + place]
        process.kill()
        process.wait()
        time.sleep(float(self.rng.uniform(0.0, 1.0)))
        self.server._processes[1 + place] = self.server._start(PROGRAMS[place])
        if PROGRAMS[place] == "pipewire-pulse":
            self.server.until(lambda: self.server.ask("pactl", "info").returncode == 0)
            self.server.furnish()

    def _kill_server(self) -> None:
        was_open = self.timeline.since > 0
        self.timeline.opens(time.monotonic())  # nobody's microphone is there: nothing is judged until it is
        self.server.stop()
        time.sleep(float(self.rng.uniform(0.0, 1.0)))
        self.server.start()
        if not was_open:
            self.timeline.closes(time.monotonic())

    def run(self, minutes: float) -> None:
        self.desk = Desk(self.server, self.setup)
        self.other.start()
        until, told = time.monotonic() + 60 * minutes, time.monotonic()
        while time.monotonic() < until:
            self.keep_singing()
            time.sleep(float(self.rng.uniform(0.5, 5.0)))
            began = time.monotonic()
            what = self.act()
            self.other.acts.append((began, what))
            self.acts[what] += 1
            if time.monotonic() - told > 60:
                told = time.monotonic()
                o = self.other
                print(
                    f"  {sum(self.acts.values())} acts, closed {o.closed_s:.0f} s, open {o.open_s:.0f} s, leaks "
                    f"{len(o.leaks)}",
                    flush=True,
                )
        self.other.ended = True
        if self.desk is not None:
            self.desk.process.kill()
        self.server.stop()


WHAT, WEIGHTS = zip(
    *{
        "open": 0.17, "close": 0.17, "kill engine": 0.1, "kill recorder": 0.04, "kill world": 0.05,
        "kill standby": 0.04,
        "kill loudness": 0.03,
        "kill keeper": 0.05, "stop engine": 0.06, "stop recorder": 0.03, "stop world": 0.03, "window killed": 0.06,
        "window stopped": 0.04,
        "all killed": 0.04, "all killed, and the keeper": 0.03, "session manager killed": 0.03,
        "older protocol's daemon killed": 0.02,
        "server killed": 0.01,
    }.items(),
    strict=True,
)  # fmt: skip


def run() -> None:
    minutes = next((float(a) for a in sys.argv[1:] if a.replace(".", "").isdigit()), MINUTES)
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        attack = Attack(Path(folder))
        attack.run(minutes)
        o = attack.other
        print(f"{minutes:g} minutes, {sum(attack.acts.values())} acts: {dict(attack.acts.most_common())}")
        print(f"recorded while closed: {o.closed_s:.0f} s, of these pieces that held any bit: {len(o.leaks)}")
        print(
            f"recorded while open, or within {LATE_S} s of a change: {o.open_s:.0f} s, of these with sound "
            f"{o.heard_s:.0f} s"
        )
        print(f"asked for ours and given another as it went: {o.misdirected} times, not judged")
        print("reference: the bare microphone held the song of the room all the while")
