"""A desktop of our own: session bus, sound server, session manager and its protocol daemon, all private and without
hardware."""

import os
import subprocess
import time
from pathlib import Path
from threading import Thread
from types import SimpleNamespace

import numpy as np
import soundfile as sf

from brucke.core.document.setup import Device, Listener, Part, Route, Setup
from brucke.ports.devices.server.names import SERVER
from brucke.ports.devices.server.port import ServerPort

RATE = 48000
PROGRAMS = ("pipewire", "wireplumber", "pipewire-pulse")


class DesktopServer:
    """`env` is what a program has to be given to see it. A microphone “room” stands in for one on the desk: it hears
    what is played into “air”. What the desktop plays goes to “box”, and nowhere from there."""

    def __init__(self, folder: Path):
        self.folder = folder
        run = folder / "run"
        self.env = {
            "XDG_RUNTIME_DIR": str(run), "PIPEWIRE_RUNTIME_DIR": str(run), "PULSE_RUNTIME_PATH": str(run / "pulse"),
            "PULSE_SERVER": f"unix:{run}/pulse/native", "XDG_CONFIG_HOME": str(folder / "config"),
            "XDG_STATE_HOME": str(folder / "state"), "HOME": str(folder), "DISABLE_RTKIT": "1",
        }  # fmt: skip
        self.modules: dict[str, str] = {}
        self._processes: list[subprocess.Popen[bytes]] = []

    def start(self) -> None:
        (self.folder / "run").mkdir(mode=0o700, parents=True, exist_ok=True)
        bus = subprocess.Popen(
            ["dbus-daemon", "--session", "--nofork", "--print-address=1"], env={**os.environ, **self.env},
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        assert bus.stdout is not None
        self.env["DBUS_SESSION_BUS_ADDRESS"] = bus.stdout.readline().decode().strip()
        self._processes = [bus]
        for program in PROGRAMS:
            self._processes.append(self._start(program))
            self.until(lambda: (self.folder / "run" / "pipewire-0").exists())
        self.until(lambda: self.ask("pactl", "info").returncode == 0)
        self.furnish()

    def furnish(self) -> None:
        """The microphone and the loudspeakers there are; they belong to the protocol daemon and go with it."""
        for name, kind in (("room", "Audio/Source/Virtual"), ("air", "Audio/Sink"), ("box", "Audio/Sink")):
            shown = f"sink_properties=device.description={name}"
            arguments = f"media.class={kind} sink_name={name} channel_map=front-left,front-right {shown}"
            loaded = self.ask("pactl", "load-module", "module-null-sink", *arguments.split())
            assert loaded.returncode == 0
            self.modules[name] = loaded.stdout.strip()
        for side in ("FL", "FR"):
            self.until(
                lambda side=side: self.ask("pw-link", f"air:monitor_{side}", f"room:input_{side}").returncode == 0
            )
        self.ask("pactl", "set-default-source", "room")
        self.ask("pactl", "set-default-sink", "box")

    def _start(self, program: str) -> "subprocess.Popen[bytes]":
        env = {**os.environ, **self.env}
        return subprocess.Popen([program], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def ask(self, *command: str) -> "subprocess.CompletedProcess[str]":
        """A program of the desktop, to its end."""
        return subprocess.run(command, env={**os.environ, **self.env}, capture_output=True, text=True, timeout=20)

    def run(self, *command: str, **given: object) -> "subprocess.Popen[bytes]":
        """A program of the desktop, beside us."""
        return subprocess.Popen(command, env={**os.environ, **self.env}, stderr=subprocess.DEVNULL, **given)  # type: ignore[call-overload,no-any-return]

    def names(self, what: str) -> list[str]:
        """Of all “sources” or “sinks” that programs can choose."""
        lines = self.ask("pactl", "list", "short", what).stdout.splitlines()
        return [line.split("\t")[1] for line in lines]

    @staticmethod
    def until(met) -> None:  # type: ignore[no-untyped-def]
        until = time.monotonic() + 20
        while not met():
            assert time.monotonic() < until, "the private desktop did not come up"
            time.sleep(0.03)

    def stop(self) -> None:
        for process in reversed(self._processes):
            process.kill()
            process.wait()
        self._processes = []
        (self.folder / "run" / "pipewire-0").unlink(missing_ok=True)


def setup_here():
    devices = (
        Device(id="table", name="Table", kind="interface", buffer_frames=128, sets_clock=True, card=SERVER),
        Device(id="browser", name="Browser", kind="program", card=SERVER),
        Device(id="call", name="Call", kind="call", card=SERVER),
    )
    parts = (
        Part(id="song", name="Song", kind="lead", source="program", device="browser", channels=(0, 1)),
        Part(id="voice", name="Voice", kind="follower", source="microphone", device="table", channels=(0,), hears_at=
        "phones", follows="song"),
    )  # fmt: skip
    listeners = (
        Listener(id="phones", name="Headphones", kind="monitor", device="table", ceiling_db=0.0),
        Listener(id="lounge", name="Lounge call", kind="call", device="call"),
    )
    pairs = (("song", "phones"), ("song", "lounge"), ("voice", "lounge"))
    return Setup(
        name="Here", devices=devices, parts=parts, listeners=listeners,
        routes=tuple(Route(part=p, listener=x) for p, x in pairs),
    )  # fmt: skip


def tone(file, hz, seconds=6.0, level=0.2):
    t = np.arange(round(seconds * RATE)) / RATE
    sf.write(file, np.stack([level * np.sin(2 * np.pi * hz * t)] * 2, 1).astype(np.float32), RATE, subtype="FLOAT")
    return file


class Observer:
    """Plays noise into ports and keeps what comes out of others, both to the frame by the server's own clock. Two nodes
    of ours that have nothing to do with the program: what is between them is the server and what is observed."""

    N = 128

    def __init__(self, desktop: DesktopServer, into: list[str], out_of: list[str], seconds: float = 4.0):
        self.total = round(seconds * RATE) // self.N * self.N
        self.noise = np.zeros(self.total, np.float32)
        sounds = self.noise[RATE : self.total - RATE // 2]
        sounds[:] = 0.1 * np.random.default_rng(3).standard_normal(len(sounds))
        self.heard = {name: np.zeros(self.total, np.float32) for name in out_of}
        self.linked = False
        self._first: int | None = None
        self._block = np.zeros((len(out_of), self.N), np.float32)
        mouth = SimpleNamespace(come=(), go=((0, 0),))
        ears = SimpleNamespace(come=tuple(range(len(out_of))), go=())
        self._plays, self._hears = (
            ServerPort(ends, Nothing(len(out_of)), self.N, RATE, lambda *_: None, f"observer.{way}")
            for ends, way in ((mouth, "out"), (ears, "in"))
        )
        both = ((self._plays, self._play), (self._hears, self._hear))
        threads = [Thread(target=port.drive, args=(do,)) for port, do in both]
        for t in threads:
            t.start()
        links = [("observer.out:out 1 1", n) for n in into]
        links += [(n, f"observer.in:in {i + 1}") for i, n in enumerate(out_of)]
        for a, b in links:
            desktop.until(lambda a=a, b=b: desktop.ask("pw-link", a, b).returncode == 0)
        self.linked = True
        for t in threads:
            t.join(seconds + 20)

    def _frame(self, port: ServerPort) -> int:
        """Of this recording, which begins once everything is linked; before it −1."""
        if self._first is None:
            if not self.linked:
                return -1
            self._first = port._position + 2 * self.N
        return port._position - self._first

    def _play(self) -> bool:
        at = self._frame(self._plays)
        sound = self.noise[at : at + self.N] if 0 <= at <= self.total - self.N else np.zeros(self.N, np.float32)
        self._plays.write(sound[None, None])
        return at + self.N < self.total

    def _hear(self) -> bool:
        at = self._frame(self._hears)
        self._hears.read(self._block)
        if 0 <= at <= self.total - self.N:
            for sound, heard in zip(self.heard.values(), self._block, strict=True):
                sound[at : at + self.N] = heard
        return at + self.N < self.total

    def lags(self, name: str, least: float = 0.2) -> dict[int, float]:
        """By frames later: how much of the noise a port gave, where that is more than `least`."""
        n = 2 ** int(np.ceil(np.log2(2 * self.total)))
        a, b = np.fft.rfft(self.noise, n), np.fft.rfft(self.heard[name], n)
        c = np.fft.irfft(b * np.conj(a), n)[: RATE // 2] / np.sum(self.noise**2)
        return {int(k): round(float(c[k]), 2) for k in np.flatnonzero(np.abs(c) > least)}


class Nothing:
    """Nobody behind the port."""

    listeners = channels = 1

    def __init__(self, captures: int):
        self.captures = captures

    def start(self) -> None: ...

    def read(self, captures: np.ndarray) -> bool:
        return True

    def write(self, outs: np.ndarray) -> None: ...

    def wait(self) -> float:
        time.sleep(Observer.N / RATE)
        return 0.0


def programs(desktop, tmp_path, *names):
    file = str(tone(tmp_path / "song.wav", 440.0, 60))
    return [desktop.run("paplay", f"--client-name={n}", file) for n in names]
