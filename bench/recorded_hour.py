"""An hour's recording, faster than it lasts, and what is lost of it when something happens near its end; then the same
for handing it on. BRUCKE_FOLDER=… [BRUCKE_WIDE=1] python -m bench recorded_hour

The engine is a thread that fills the ring with frames that count themselves; recorder, watch and files are the real
ones. The first 59 minutes go up to sixty times as fast, what happens then happens in real time. Wide it records eight
parts dry and behind their chains and four listeners for the whole hour, and nothing happens. A full disk is a file
system in a file, a stalled one is the same, frozen; both need root.
"""

import os
import resource
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

HOUR_S, LAST_S, FAST = float(os.environ.get("BRUCKE_HOUR_S", "3600")), 24.0, 60.0
RATE, BLOCK = 48_000, 128
FOLDER, MOVED = Path(os.environ.get("BRUCKE_FOLDER", "/tmp/brucke-hour")), "moved"
COUNTS = 2**20  # the frame, modulo so much, is told by every sample


class _Link:
    """What the watch of a recorder knows of an engine."""

    def __init__(self, parts: int, listeners: int):
        from brucke.engine.processes.child import spawn
        from brucke.engine.processes.region import Region
        from brucke.engine.step.plan import Shape

        self.shape = Shape(parts, parts, listeners, 2, BLOCK, RATE)
        self.region = Region(self.shape)
        self._spawn: Callable[[], Any] = lambda: spawn(
            "recorder", "brucke.engine.processes.recorder", self.region, (), ()
        )
        self.recorder = self._spawn()

    def get(self, field: int) -> int:
        return self.region.get(field)

    def record(self, folder: str, tracks: dict[str, list[int]], resume: bool = False, since: int = -1) -> None:
        from brucke.engine.processes.messages import Record

        self.recorder.channel.send(Record(folder=folder, tracks=tracks, resume=resume, since=since))

    def seal_recording(self, folder: str, tracks: list[str]) -> None:
        from brucke.engine.processes.messages import Seal

        self.recorder.channel.send(Seal(folder=folder, tracks=tracks))

    def stop_recording(self) -> None:
        from brucke.engine.processes.messages import StopRecording

        self.recorder.channel.send(StopRecording())

    def renew_recorder(self) -> None:
        from brucke.engine.processes.child import end_child

        old, self.recorder = self.recorder, self._spawn()
        end_child(old)


class _Engine(threading.Thread):
    """Fills the rings, `speed` times as fast as time, and never faster than the recorder follows."""

    def __init__(self, link: _Link):
        super().__init__(daemon=True)
        self.link, self.speed, self.goes_on = link, 1.0, True

    def run(self) -> None:
        from brucke.engine.processes.region import Head

        region = self.link.region
        rings = [
            region.sound("record_ring"),
            region.sound("chain_ring").reshape(-1, region.sound("chain_ring").shape[2]),
        ]
        size, done, at = rings[0].shape[1], 0, time.monotonic()
        piece = 50 * BLOCK
        while self.goes_on:
            now = time.monotonic()
            due = (now - at) * RATE * self.speed
            if due < piece:
                time.sleep(0.0005)
                continue
            if self.speed > 1 and done - region.get(Head.KEPT) > size // 2 and region.get(Head.KEEPING):
                at = now
                time.sleep(0.001)
                continue
            at += piece / RATE / self.speed
            places = np.arange(done, done + piece)
            for ring in rings:
                ring[:, places % size] = (places % COUNTS / COUNTS).astype(np.float32)
            done += piece
            region.set(Head.BEAT_NS, time.monotonic_ns())
            region.set(Head.RECORDED, done)


def _lost_s(folders: list[Path], first: int, last: int) -> tuple[float, float]:
    """(seconds of frames first…last that stand in no file, seconds that stand there and are not what was given)."""
    import soundfile as sf

    from brucke.ports.sounds.segments import read_segments, segment_file

    covered, wrong, end = 0, 0, first
    found = ((s.frame, s, folder) for folder in folders for s in read_segments(folder))
    pieces = sorted(found, key=lambda piece: piece[0])
    for begin, segment, folder in pieces:
        with sf.SoundFile(folder / segment_file("parts/p0.wav", segment.number)) as f:
            at = begin
            while len(block := f.read(RATE * 20, dtype="float32", always_2d=True)):
                told = np.arange(at, at + len(block)) % COUNTS / COUNTS
                wrong += int(np.count_nonzero(block[:, 0] != told.astype(np.float32)))
                at += len(block)
        covered += max(0, min(at, last) - max(begin, end))
        end = max(end, at)
    return (last - first - covered) / RATE, wrong / RATE


def _memory_mb(pid: int) -> float:
    with open(f"/proc/{pid}/statm") as f:
        _size, resident, shared = (int(x) for x in f.read().split()[:3])
    return (resident - shared) * resource.getpagesize() / 1e6


def _record(
    home: Path, name: str, happens: Callable[[Path, _Link], None] | None, wide: bool = False, deletes: bool = False
) -> list[object]:
    """One line of the table; where it `deletes` what was recorded, only what comes from then on is looked for."""
    from brucke.app.recording.recorder import RecorderWatch
    from brucke.engine.processes.region import Head

    parts, listeners = (8, 4) if wide else (1, 1)
    link = _Link(parts, listeners)
    first_chained = 2 * parts + 2 * listeners
    tracks = {f"parts/p{i}": [2 * i] for i in range(parts)}
    tracks |= {f"listeners/x{i}": [2 * parts + 2 * i, 2 * parts + 2 * i + 1] for i in range(listeners)}
    tracks |= {f"processed/p{i}": [first_chained + 2 * i, first_chained + 2 * i + 1] for i in range(parts)}
    folders, other = [home / name], FOLDER / f"{name}, elsewhere"
    folders[0].mkdir(parents=True)
    watch = RecorderWatch(lambda: other.mkdir(exist_ok=True) or other)
    engine = _Engine(link)
    engine.start()
    time.sleep(1.0)
    watch.start(link, folders[0], tracks)  # type: ignore[arg-type]
    while not link.get(Head.KEEPING):
        time.sleep(0.01)
    first = link.get(Head.RECORDED)
    engine.speed, memory, began = FAST, [], time.monotonic()
    until = first + round((HOUR_S if wide else HOUR_S - LAST_S) * RATE)
    while link.get(Head.RECORDED) < until:
        time.sleep(0.25)
        memory.append(_memory_mb(link.recorder.process.pid))
    took = time.monotonic() - began
    engine.speed, slow_from, done = 1.0, time.monotonic(), False
    while time.monotonic() - slow_from < (2.0 if wide else LAST_S):
        watch.tick(link)  # type: ignore[arg-type]
        if watch.moved_to is not None:
            folders.append(watch.moved_to)
            watch.start(link, folders[-1], tracks)  # type: ignore[arg-type]
        if not done and happens is not None and time.monotonic() - slow_from > LAST_S / 4:
            done = True
            first = link.get(Head.RECORDED) if deletes else first
            threading.Thread(target=happens, args=(folders[0], link), daemon=True).start()
        time.sleep(0.05)
    last = link.get(Head.RECORDED)
    watch.stop(link)  # type: ignore[arg-type]
    while watch.state != "done" and time.monotonic() - slow_from < 2 * LAST_S:
        watch.tick(link)  # type: ignore[arg-type]
        time.sleep(0.05)
    engine.goes_on = False
    link.recorder.process.kill()
    gone, wrong = _lost_s([f for f in (*folders, home / MOVED) if f.exists()], first, last)
    return [name, gone, wrong, took, memory[len(memory) // 4], memory[-1], "; ".join(t for t, _tone in watch.said)[:90]]


def _image(home: Path, megabytes: int) -> Path:
    """A small file system of its own, mounted."""
    image, mount = home / "disk.img", home / "disk"
    with image.open("wb") as f:
        f.truncate(megabytes * 2**20)
    subprocess.run(["mkfs.ext4", "-q", "-F", str(image)], check=True)
    mount.mkdir()
    subprocess.run(["mount", "-o", "loop", str(image), str(mount)], check=True)
    return mount


def _freeze(folder: Path, seconds: float) -> None:
    subprocess.run(["fsfreeze", "-f", str(folder)], check=True)
    time.sleep(seconds)
    subprocess.run(["fsfreeze", "-u", str(folder)], check=True)


def _thrice(_folder: Path, link: _Link) -> None:
    for _ in range(3):
        link.recorder.process.kill()
        time.sleep(3.0)


def _fill(mount: Path) -> None:
    with (mount / "filler").open("wb") as f:
        try:
            while True:
                f.write(b"\0" * 2**20)
                f.flush()
        except OSError:
            return


def run() -> None:
    home = FOLDER
    shutil.rmtree(home, ignore_errors=True)
    home.mkdir(parents=True)
    print(f"{'':28}{'lost s':>8}{'wrong s':>9}{'hour in s':>11}{'memory MB':>16}")

    def tell(line: list[object]) -> None:
        name, gone, wrong, took, early, late, said = line
        print(f"{name:28}{gone:8.3f}{wrong:9.3f}{took:11.0f}{early:8.1f}{late:8.1f}  {said}", flush=True)

    if os.environ.get("BRUCKE_WIDE"):
        tell(_record(home, "eight parts, four listeners", None, True))
        shutil.rmtree(home)
        return
    tell(_record(home, "nothing happens", None))
    tell(_record(home, "recorder killed", lambda _f, link: os.kill(link.recorder.process.pid, signal.SIGKILL)))
    tell(_record(home, "killed three times", _thrice))
    tell(_record(home, "folder moved away", lambda folder, _l: folder.rename(home / MOVED)))
    shutil.rmtree(home / MOVED)
    tell(_record(home, "folder deleted", lambda folder, _l: shutil.rmtree(folder), deletes=True))
    for child in home.iterdir():
        shutil.rmtree(child)
    mount = _image(home, 4600)
    try:
        tell(_record(mount, "disk stalls for 3 s", lambda _f, _l: _freeze(mount, 3.0)))
        for child in mount.iterdir():
            shutil.rmtree(child, ignore_errors=True)
        tell(_record(mount, "disk full", lambda _f, _l: _fill(mount)))
    finally:
        subprocess.run(["umount", str(mount)], check=False)
        shutil.rmtree(home, ignore_errors=True)
