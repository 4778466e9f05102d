"""Twenty minutes of the demo with a take, live, and three simulated hours: memory, descriptors and cost of every
process at the beginning and at the end, beside an idle loop. python -m bench soak [MINUTES]"""

import os
import statistics
import sys
import time

import numpy as np

from .spent import cpu_s, memory_mb

MINUTES = 20.0
WARM_S = 60.0
HOURS = 3


def _descriptors(pid: int) -> int:
    return len(os.listdir(f"/proc/{pid}/fd"))


def _live(minutes: float) -> None:
    import tempfile

    from .kills import _homes, _Live

    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(_homes(folder))
        live = _Live()
        link = live.w.running.link
        assert link is not None
        live.live(WARM_S)
        children = {"window": os.getpid(), "engine": link.engine.process.pid, "recorder": link.recorder.process.pid,
            "world": link.world.process.pid}  # fmt: skip
        if link.loudness is not None:
            children["loudness"] = link.loudness.process.pid
        loads: list[float] = []
        before = {n: (memory_mb(p), _descriptors(p), cpu_s(p)) for n, p in children.items()}
        began, costs, last = time.monotonic(), {n: [] for n in children}, {n: cpu_s(p) for n, p in children.items()}
        while time.monotonic() - began < minutes * 60:
            live.live(30.0)
            loads.append(link.load)
            for n, p in children.items():
                now = cpu_s(p)
                costs[n].append((now - last[n]) / 30)
                last[n] = now
        for n, p in children.items():
            memory, descriptors, _ = before[n]
            first, end = (statistics.median(x) for x in (costs[n][:5], costs[n][-5:]))
            print(
                f"{n}: memory {memory:.1f} to {memory_mb(p):.1f} MB (5 more at most), descriptors {descriptors} to "
                f"{_descriptors(p)}, CPU {first:.1%} to {end:.1%} of a core"
            )
        print(f"engine, load of a block: {statistics.median(loads[:5]):.1%} to {statistics.median(loads[-5:]):.1%}")
        live.w.taking.record()
        live.until(lambda: live.w.taking.state == "idle")
        live.w.close()


def _hours() -> None:
    """Three hours of loudness in simulated time: what a step costs then, beside one of the first minute, in turn."""
    from brucke.core.sound.loudness import LoudnessMeter

    rng = np.random.default_rng(1)
    piece = (0.1 * rng.standard_normal((2, 4800))).astype(np.float32)
    old, young = LoudnessMeter(48000, 2), LoudnessMeter(48000, 2)

    def step(meter: LoudnessMeter, i: int) -> float:
        began = time.thread_time()
        meter.push(piece * np.float32(0.5 + 0.5 * (i % 97) / 97))
        _ = meter.integrated_lufs
        return time.thread_time() - began

    for i in range(HOURS * 36_000):
        step(old, i)
    for i in range(600):
        step(young, i)
    first, last = (
        statistics.median(x) for x in zip(*((step(young, i), step(old, i)) for i in range(2000)), strict=True)
    )
    print(
        f"loudness, a step in the first minutes {first * 1e6:.0f} µs, after {HOURS} h {last * 1e6:.0f} µs "
        f"({last / first - 1:+.1%}, 2 % at most)"
    )


def run() -> None:
    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else MINUTES
    _live(minutes)
    _hours()
