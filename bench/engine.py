"""Thread CPU time of one block, paced at real time as caches see it live, beside FFmpeg's own filters doing the
same."""

import contextlib
import gc
import os
import time
from fractions import Fraction

import av
import numpy as np
from msgspec.structs import fields, replace

from brucke.core.sound.chain_parameters import pack
from brucke.core.sound.kernel_arguments import Meters
from brucke.core.sound.noise_profile import BINS
from brucke.core.sound.processors import MAX_OUTSIDE, MAX_SLOTS, Compressor, DeEsser, Equaliser, Gate, HighPass
from brucke.core.sound.processors.base import PARAMS
from brucke.core.sound.publish_block import hand_out
from brucke.engine.step.block import BlockEngine
from brucke.engine.step.plan import Plan, Shape

RATE, N = 48000, 128
CHAIN = (HighPass(), Gate(), Equaliser(), Compressor(), DeEsser())
DEADLINE_US = N / RATE * 1e6


def plan_of(parts: int, listeners: int, longest: int, room: tuple[int, int] | None = None) -> tuple[Shape, Plan]:
    """Every part to every listener, stereo, with delays of up to `longest` frames; with free rows up to `room`."""
    rng = np.random.default_rng(1)
    if room is not None:
        return _within(*plan_of(parts, listeners, longest), *room)
    shape = Shape(parts, parts, listeners, 2, N, RATE)
    source = np.repeat(np.arange(parts, dtype=np.int32)[:, None], 2, axis=1)
    gain = np.zeros((listeners, parts, 2, 2), np.float32)
    gain[:, :, 0, 0] = gain[:, :, 1, 1] = 0.5 / parts
    codes, params = np.zeros((parts, MAX_SLOTS), np.int32), np.zeros((parts, MAX_SLOTS, PARAMS), np.float32)
    codes[0], params[0] = pack(CHAIN, RATE)
    chained = (codes[:, 0] != 0).astype(np.int32)
    plan = Plan(
        tenants=np.ones(parts, np.int64), listener_tenants=np.ones(listeners, np.int64), part_source=source,
        trim=np.ones(parts, np.float32), codes=codes, params=params,
        noise=np.zeros((parts, BINS), np.float32), listener_codes=np.zeros((listeners, MAX_SLOTS), np.int32),
        listener_params=np.zeros((listeners, MAX_SLOTS, PARAMS), np.float32), ceiling=np.ones(listeners, np.float32),
        delay=rng.integers(0, longest, (listeners, parts)).astype(np.int32),
        source=np.broadcast_to(chained, (listeners, parts)).copy(), past=np.zeros((listeners, parts), np.int32),
        gain=gain,
        door=np.ones(listeners, np.float32), duck_under=np.full((listeners, parts), -1, np.int32),
        duck=np.zeros((listeners, parts, 4), np.float32), outside=np.full((MAX_OUTSIDE, 6), -1, np.int32),
    )  # fmt: skip
    return shape, plan


NONE = {"part_source": -1, "duck_under": -1}
BY_PARTS = ("tenants", "part_source", "trim", "codes", "params", "noise")
BY_BOTH = ("delay", "source", "past", "gain", "duck_under", "duck")


def _within(shape: Shape, plan: Plan, parts: int, listeners: int) -> tuple[Shape, Plan]:
    """The same in the first rows of a larger engine."""
    arrays = {}
    for name in (f.name for f in fields(Plan)):
        array = getattr(plan, name)
        if name == "outside":
            arrays[name] = array
            continue
        rows = (listeners, parts) if name in BY_BOTH else (parts if name in BY_PARTS else listeners,)
        wide = np.full((*rows, *array.shape[len(rows) :]), NONE.get(name, 0), array.dtype)
        wide[tuple(slice(0, k) for k in array.shape)] = array
        arrays[name] = wide
    return replace(shape, captures=2 * parts, parts=parts, listeners=listeners), Plan(**arrays)


def prompt() -> None:
    gc.collect()
    gc.disable()
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(20))


def _leaver(engine: BlockEngine):  # type: ignore[no-untyped-def]
    """What the engine's process leaves of a block for meters, recorder and loudness."""
    shape = engine.shape
    ways = 2 * (shape.parts + shape.listeners)
    record, chained = (np.full((ways, 4 * RATE // N * N), 0.0, np.float32) for _ in range(2))
    chained = chained.reshape(ways // 2, 2, -1)
    told = Meters(*(np.zeros_like(a) for a in engine.meters))
    told_born = np.zeros(ways // 2, np.int64)

    def leave(b: int) -> None:
        at = b * N % record.shape[1]
        hand_out(
            engine.rows, engine.heard, *engine.meters, *told, engine.born, engine.listeners_born, told_born, 0,
            engine.raw, engine.outs, record, at,
            engine.shaped, engine.unfinished, chained, at, engine.bad, engine.bad_sums,
        )  # fmt: skip

    return leave


def paced(parts: int, listeners: int, longest: int, seconds: float, room: tuple[int, int] | None = None) -> np.ndarray:
    """Thread CPU microseconds of every block, with the recorder's copy and all meters."""
    shape, plan = plan_of(parts, listeners, longest, room)
    engine = BlockEngine(shape, plan)
    leave = _leaver(engine)
    noise = (0.1 * np.random.default_rng(2).standard_normal((shape.captures, 64 * N))).astype(np.float32)
    spent, due = [], time.monotonic()
    for b in range(round(seconds * RATE / N)):
        ins = np.ascontiguousarray(noise[:, b % 64 * N : (b % 64 + 1) * N])
        began = time.thread_time_ns()
        engine.step(ins)
        engine.levels()
        leave(b)
        spent.append((time.thread_time_ns() - began) / 1e3)
        due += N / RATE
        time.sleep(max(0.0, due - time.monotonic()))
    return np.array(spent[100:])


def ffmpeg(parts: int, listeners: int, seconds: float) -> float:
    """CPU microseconds a block of adelay + volume + amix for every listener (all threads), unpaced."""
    graph = av.filter.Graph()
    rng = np.random.default_rng(1)
    sources = []
    mixes = []
    for _ in range(listeners):
        mix = graph.add("amix", f"inputs={parts}:normalize=0")
        sink = graph.add("abuffersink")
        mix.link_to(sink)
        mixes.append((mix, sink))
    for _ in range(parts):
        source = graph.add_abuffer(format="fltp", sample_rate=RATE, layout="stereo", time_base=Fraction(1, RATE))
        split = graph.add("asplit", str(listeners)) if listeners > 1 else None
        if split is not None:
            source.link_to(split)
        sources.append(source)
        for x, (mix, _) in enumerate(mixes):
            delay = graph.add("adelay", f"{rng.integers(1, 90_000)}S:all=1")
            volume = graph.add("volume", f"{0.5 / parts}")
            (split or source).link_to(delay, x if split is not None else 0, 0)
            delay.link_to(volume)
            volume.link_to(mix, 0, len(sources) - 1)
    graph.configure()
    noise = (0.1 * rng.standard_normal((2, N))).astype(np.float32)
    blocks = round(seconds * RATE / N)
    began = time.process_time()
    for b in range(blocks):
        for source in sources:
            frame = av.AudioFrame.from_ndarray(noise, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = RATE, b * N, Fraction(1, RATE)
            source.push(frame)
        for _, sink in mixes:
            while True:
                try:
                    sink.pull()
                except (av.BlockingIOError, av.EOFError):
                    break
    return (time.process_time() - began) / blocks * 1e6


def ducking(blocks: int = 12_000) -> tuple[float, float]:
    """Microseconds of a block of 8 × 4 without, and with one part that goes down at every listener; in turn."""
    shape, plan = plan_of(8, 4, 90_000)
    under, how = plan.duck_under.copy(), plan.duck.copy()
    under[:, 1], how[:, 1] = 0, (12.0, 0.02, 0.02, 0.5)
    engines = [BlockEngine(shape, p) for p in (plan, replace(plan, duck_under=under, duck=how))]
    noise = (0.1 * np.random.default_rng(2).standard_normal((shape.captures, 64 * N))).astype(np.float32)
    spent: tuple[list[int], list[int]] = ([], [])
    for b in range(blocks):
        ins = np.ascontiguousarray(noise[:, b % 64 * N : (b % 64 + 1) * N])
        for which in (0, 1) if b % 2 else (1, 0):
            began = time.thread_time_ns()
            engines[which].step(ins)
            spent[which].append(time.thread_time_ns() - began)
    return float(np.median(spent[0])) / 1e3, float(np.median(spent[1])) / 1e3


def run() -> None:
    prompt()
    without, ducked = ducking()
    print(
        f"ducking, one part at four listeners: {without:.0f} and {ducked:.0f} µs a block, "
        f"{(ducked - without) / DEADLINE_US:.2%} of the deadline more (budget 1 %)"
    )
    for parts, listeners, longest, room, budget in (
        (8, 4, 90_000, None, "10 % / 50 %"),
        (8, 4, 90_000, (64, 16), "20 % more than the line before"),
        (64, 16, 2_400, None, "25 % median"),
        (64, 16, 90_000, None, "25 % median"),
    ):
        spent = paced(parts, listeners, longest, 15, room)
        middle, high = np.median(spent), np.percentile(spent, 99.9)
        print(
            f"engine {parts} × {listeners}{f' in {room[0]} × {room[1]}' if room else ''}, delays to "
            f"{longest / 48:.0f} ms, paced: median {middle:.0f} µs = {middle / DEADLINE_US:.1%}, "
            f"99.9th percentile {high:.0f} µs = {high / DEADLINE_US:.1%} of the deadline (budget {budget})",
            flush=True,
        )
        if parts <= 8 and room is None:
            print(
                f"FFmpeg's adelay, volume and amix, same routes, unpaced: {ffmpeg(parts, listeners, 4):.0f} µs a block"
            )
