"""The shared memory between the window, the engine, the recorder and the world outside.

A memfd owned by the window: it outlives an engine that dies, and nobody who merely attached can destroy it.
Counters are single int64 values, each written by one side only; plans are a double buffer with a sequence
number; sound stands in rings addressed by absolute frame.
"""

import contextlib
import mmap
import os
from enum import IntEnum
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.routing.rows import MAX_DEVICES, SIDES
from ...core.sound.noise_profile import BINS
from ...core.sound.processors import MAX_OUTSIDE, MAX_PLUG_INS, MAX_SLOTS
from ...core.sound.processors.base import PARAMS
from ...ports.devices.clocks.head import MatchedHead
from ..step.plan import F32, MOMENT_FIELDS, MomentPlan, Plan, PlanSet, Shape
from ..step.safety import Safety, Word

PORT_BLOCKS = 64
RECORD_S = 6
MARGIN_S = 0.5  # so much of the recorder's ring's oldest may be written over before it is read
MEASURE_S = 20
STIMULUS_S = 3
BACK_S = 60
MOST_LIVES = 4096
MOST_MOMENTS = 101  # those of a setup, and none
READINGS = 4  # the level in front of a processor, and up to three reductions
LOUDNESS = 5  # momentary, short-term, integrated in LUFS, true peak in dBTP, seconds that were measured


class Head(IntEnum):
    """Which counter stands where."""

    STATE = 0  # 0 starting, 1 running
    GENERATION = 1  # how often an engine has started here
    FRAMES = 2  # frames the engine has done
    PLAN_WRITTEN = 3
    PLAN_ADOPTED = 4
    OUT_BLOCKS = 5  # blocks handed to the outside
    IN_BLOCKS = 6  # blocks the outside has delivered
    # Totals, which only grow, whichever engine counts.
    LATE = 7  # blocks that came too late from outside (dropouts)
    MISSED = 8  # deadlines the engine itself missed
    NOT_FINITE = 9  # blocks of a part that held no numbers and were silenced
    LOAD_PPM = 10  # thread CPU time of a block, of its deadline, smoothed
    RECORDED = 11  # frames in the recorder's ring
    MEASURE_STATE = 12  # 0 none, 1 fading, 2 sounding, 3 done, 4 refused
    MEASURE_PPM = 13
    BACK = 14  # frame, −1 when none
    BEAT_NS = 15  # monotonic time of the newest block
    PLAYER_FRAME = 16
    PLAYER_STATE = 17  # 0 stopped, 1 playing
    PLAYER_LENGTH = 18
    WORLD_STATE = 19  # 0 starting, 1 running
    CARD_IN_US = 20  # what a sound card reports of itself, in microseconds; 0 without one
    CARD_OUT_US = 21
    CARD_DROPOUTS = 22
    CYCLE = 25  # frames that the open device wants at a time, 0 where that is a block
    CLOCK_BLOCKS = 26  # blocks handed to the outside when the leading clock was last seen
    CLOCK_NS = 27  # and when that was by the device that leads, monotonic
    LIVES = 28  # entries in the log of lives
    GAPS = 29  # frames that stand silent because no engine gave them
    MATCHED_LOST = 30  # dropouts of matched devices that were let go since
    RATE = 31  # the rate in Hz at which the open device runs where that is another one than the engine's, else 0
    # What the recorder says of itself.
    KEEPING = 32  # 1 while it records
    KEPT = 33  # frames of the ring that stand in its files, or were never to
    KEPT_NS = 35  # monotonic time of its newest turn
    SYNC_NS = 36  # since when the disk makes one file safe, 0 while it does not
    PLAYER_TROUBLES = 37  # how often the decoder of the track ended and was started again
    LOUDNESS_NS = 24  # monotonic time of the newest look at loudness
    LOUDNESS_FROM = 23  # the frame since which loudness is integrated; another one begins anew


class Region:
    """Named arrays in one memfd. `fd` is passed to the processes that attach."""

    def __init__(self, shape: Shape, fd: int | None = None):
        self.shape = shape
        specs = _specs(shape)
        offsets, at = {}, 0
        for name, (dtype, dims) in specs.items():
            offsets[name] = at
            at += -(-int(np.prod(dims)) * np.dtype(dtype).itemsize // 64) * 64
        if fd is None:
            fd = os.memfd_create("brucke")
            os.ftruncate(fd, at)
        self.fd = fd
        self._map = mmap.mmap(fd, at)
        self._arrays = {
            name: np.ndarray(dims, dtype, self._map, offsets[name]) for name, (dtype, dims) in specs.items()
        }
        self.head: npt.NDArray[np.int64] = self._arrays["head"]
        self._counters = memoryview(self.head)  # type: ignore[arg-type]  # a third of the time that one number of an array takes

    def __getitem__(self, name: str) -> npt.NDArray[np.generic]:
        return self._arrays[name]

    def sound(self, name: str) -> F32:
        return self._arrays[name]

    def get(self, field: Head) -> int:
        return int(self._counters[field])

    def set(self, field: Head, value: int) -> None:
        self._counters[field] = value

    def close(self) -> None:
        self._arrays.clear()
        self._counters.release()
        del self.head
        with contextlib.suppress(BufferError):  # a view is still held somewhere; the mapping goes with the process
            self._map.close()
        os.close(self.fd)

    # Plans

    def write_plan(self, plan: Plan, moments: dict[int, MomentPlan] | None = None) -> None:
        """`plan`, and what of it is another in each moment, see `PlanSet`."""
        number = self.get(Head.PLAN_WRITTEN) + 1
        side = number % 2
        for name, array in _plan_arrays(plan).items():
            self._arrays[f"plan_{name}"][side] = array
        moments = moments or {}
        for i, (key, there) in enumerate(moments.items()):
            self._arrays["moment_keys"][side, i], self._arrays["moment_crossfade"][side, i] = key, there.crossfade
            for name in MOMENT_FIELDS:
                self._arrays[f"moment_{name}"][side, i] = getattr(there, name)
        self._arrays["moment_count"][side] = len(moments)
        self.set(Head.PLAN_WRITTEN, number)

    def read_plans(self) -> tuple[int, PlanSet]:
        """The newest plan in every moment as copies, with its number; read again when it was overwritten meanwhile."""
        while True:
            number = self.get(Head.PLAN_WRITTEN)
            side = number % 2
            copies = {name: self._arrays[f"plan_{name}"][side].copy() for name in _PLAN_FIELDS}
            count = min(int(self._arrays["moment_count"][side]), MOST_MOMENTS)
            keys = [int(k) for k in self._arrays["moment_keys"][side, :count]]
            frames = [int(f) for f in self._arrays["moment_crossfade"][side, :count]]
            there: dict[str, Any] = {f: self._arrays[f"moment_{f}"][side, :count].copy() for f in MOMENT_FIELDS}
            if self.get(Head.PLAN_WRITTEN) <= number:
                moments = {
                    k: MomentPlan(**{n: a[i] for n, a in there.items()}, crossfade=frames[i])
                    for i, k in enumerate(keys)
                }
                return number, PlanSet(Plan(**copies), moments)

    def read_plan(self) -> tuple[int, Plan]:
        """The newest plan in the moment that was told."""
        number, plans = self.read_plans()
        return number, plans.of(int(self.safety.words[Word.MOMENT]))

    # Safety

    @property
    def safety(self) -> Safety:
        """The words themselves: what is written there is told."""
        words: tuple[npt.NDArray[np.int64], ...] = tuple(self._arrays[n] for n in ("words", "opened", "muted"))
        return Safety(*words)


_PLAN_FIELDS = (
    "tenants", "listener_tenants", "part_source", "trim", "codes", "params", "noise", "listener_codes",
    "listener_params", "ceiling", "delay",
    "source", "past",
    "gain", "door", "duck_under", "duck", "outside",
)  # fmt: skip


def _plan_arrays(plan: Plan) -> dict[str, npt.NDArray[np.generic]]:
    return {name: getattr(plan, name) for name in _PLAN_FIELDS}


def _specs(s: Shape) -> dict[str, tuple[str, tuple[int, ...]]]:
    return {
        "head": ("int64", (64,)),
        "lives": ("int64", (MOST_LIVES, 4)),
        "part_meters": ("float32", (s.parts, SIDES, 2)),
        "input_peaks": ("float32", (s.captures,)),
        "clips": ("int64", (s.captures,)),
        "sum_peaks": ("float32", (s.listeners,)),
        "missing": ("uint8", (MAX_DEVICES,)),
        "out_meters": ("float32", (s.listeners, s.channels, 2)),
        "born": ("int64", (s.parts + s.listeners,)),
        "plan_tenants": ("int64", (2, s.parts)),
        "plan_listener_tenants": ("int64", (2, s.listeners)),
        "plan_part_source": ("int32", (2, s.parts, SIDES)),
        "plan_trim": ("float32", (2, s.parts)),
        "plan_codes": ("int32", (2, s.parts, MAX_SLOTS)),
        "plan_noise": ("float32", (2, s.parts, BINS)),
        "plan_params": ("float32", (2, s.parts, MAX_SLOTS, PARAMS)),
        "plan_listener_codes": ("int32", (2, s.listeners, MAX_SLOTS)),
        "plan_listener_params": ("float32", (2, s.listeners, MAX_SLOTS, PARAMS)),
        "plan_ceiling": ("float32", (2, s.listeners)),
        "plan_delay": ("int32", (2, s.listeners, s.parts)),
        "plan_source": ("int32", (2, s.listeners, s.parts)),
        "plan_past": ("int32", (2, s.listeners, s.parts)),
        "plan_gain": ("float32", (2, s.listeners, s.parts, SIDES, s.channels)),
        "plan_door": ("int32", (2, s.listeners)),
        "moment_count": ("int64", (2,)),
        "moment_keys": ("int64", (2, MOST_MOMENTS)),
        "plan_outside": ("int32", (2, MAX_OUTSIDE, 6)),
        "plan_duck_under": ("int32", (2, s.listeners, s.parts)),
        "plan_duck": ("float32", (2, s.listeners, s.parts, 4)),
        "moment_crossfade": ("int64", (2, MOST_MOMENTS)),
        **{
            f"moment_{name}": ("int32", (2, MOST_MOMENTS, s.listeners, s.parts)) for name in ("delay", "source", "past")
        },
        "moment_duck": ("float32", (2, MOST_MOMENTS, s.listeners, s.parts, 4)),
        "moment_gain": ("float32", (2, MOST_MOMENTS, s.listeners, s.parts, SIDES, s.channels)),
        "words": ("int64", (len(Word),)),
        "opened": ("int64", (s.listeners,)),
        "muted": ("int64", (s.parts,)),
        "in_ring": ("float32", (s.captures, PORT_BLOCKS * s.block)),
        "matched_ring": ("float32", (s.captures, PORT_BLOCKS * s.block)),
        "matched": ("int64", (MAX_DEVICES, len(MatchedHead))),
        "out_ring": ("float32", (s.listeners, s.channels, PORT_BLOCKS * s.block)),
        "record_ring": ("float32", (record_rows(s), record_frames(s))),
        "chain_ring": ("float32", (s.parts + s.listeners, 2, record_frames(s))),
        "readings": ("float32", (s.parts + s.listeners, MAX_SLOTS + 1, READINGS)),
        "loudness": ("float32", (s.listeners, LOUDNESS)),
        "chain_loudness": ("float32", (s.parts + s.listeners, 2)),
        "ducked": ("float32", (s.listeners, s.parts)),
        "plug_in_sends": ("float32", (MAX_PLUG_INS, 2, s.block)),
        "plug_in_returns": ("float32", (MAX_PLUG_INS, 2, s.block)),
        "plug_ins": ("int64", (MAX_PLUG_INS, 3)),
        "outside": ("int64", (MAX_OUTSIDE,)),
        "outside_ring": ("float32", (MAX_OUTSIDE, 2, record_frames(s))),
        "stimulus": ("float32", (STIMULUS_S * s.rate,)),
        "measured": ("float32", (MEASURE_S * s.rate,)),
        "back": ("float32", (2, BACK_S * s.rate)),
    }


def record_frames(s: Shape) -> int:
    return RECORD_S * s.rate // s.block * s.block


def record_rows(s: Shape) -> int:
    """Rows of the recorder's ring. Those of the chain ring, which is as long (two for each part, behind its chain, then
    two for each listener, before its own), are counted on from there."""
    return SIDES * s.parts + s.listeners * s.channels


def shape_text(shape: Shape) -> str:
    return msgspec.json.encode(shape).decode()


def attach(text: str, fd: int) -> Region:
    """The region of `shape_text`, in a process that was given `fd`."""
    return Region(msgspec.json.decode(text.encode(), type=Shape), fd)
