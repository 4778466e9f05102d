"""A port through shared rings: what stands behind them (here, the simulated world) runs in its own process.

The block before last has to be there, not the newest: a device with buffers delivers that much earlier.
"""

import time
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from .clocks.head import MatchedHead

FADE = 64  # frames in which a matched device that stops goes to silence, and comes back from it
STOOD_STILL_S = 0.3  # without a block for so long there is a gap; what is shorter is made good
F32 = npt.NDArray[np.float32]
I64 = npt.NDArray[np.int64]


class Counters(NamedTuple):
    """Where both sides count their blocks: the numbers, and which of them are those that went out and that came in."""

    of: I64
    out_index: int
    in_index: int


class RingPort:
    """in_ring [channels, K·n], out_ring [L, C, K·n]; `counters` holds blocks written out and delivered in. Devices with
    a clock of their own lay their sound into `matched_ring` [channels, K·n] at the frame where it belongs, and say so
    in `told` [devices, MatchedHead].
    """

    def __init__(
        self, in_ring: F32, out_ring: F32, counters: Counters, block: int, rate: int, matched_ring: F32 | None = None,
        told: I64 | None = None,
    ):  # fmt: skip
        self._in, self._out = in_ring, out_ring
        self._counters, self._out_index, self._in_index = counters
        self._n, self._blocks = block, in_ring.shape[1] // block
        self._period = block / rate
        self.captures, self.listeners, self.channels = in_ring.shape[0], *out_ring.shape[:2]
        self.block = 0
        self.begin()
        self.missed = 0
        self.lost_frames = 0  # of a device before the rings: what passed and was never asked for
        self._due = time.monotonic() + self._period
        self._matched_ring, self._told = matched_ring, told
        self._matched: list[tuple[int, npt.NDArray[np.intp]]] = []
        self._sounds: dict[int, bool] = {}  # whether a matched device was there in the block before
        fade = min(FADE, block)
        self._up = ((np.arange(fade) + 0.5) / fade).astype(np.float32)

    def begin(self) -> None:
        """From where the one before has come to: whoever stood by owned nothing until now."""
        self.block = int(self._counters[self._out_index])

    def skip(self, blocks: int) -> None:
        """So many blocks were never handed out: they are silence."""
        for block in range(max(self.block, self.block + blocks - self._blocks), self.block + blocks):
            at = block % self._blocks * self._n
            self._out[:, :, at : at + self._n] = 0.0
        self.block += blocks
        self._counters[self._out_index] = self.block

    def match(self, devices: Sequence[tuple[int, Sequence[int]]]) -> None:
        """Which rows of the captures come from which matched device, from the next block on."""
        self._matched = [(device, np.array(rows, np.intp)) for device, rows in devices if rows]

    def rewire(self, wiring: object) -> None:
        """What stands behind the rings is told by itself."""

    @property
    def clock_ns(self) -> int:
        return round(self._due * 1e9)

    def start(self) -> None:
        """The first block is due one period from now."""
        self._due = time.monotonic() + self._period

    def read(self, captures: F32) -> bool:
        at = self.block % self._blocks * self._n
        good = int(self._counters[self._in_index]) > self.block
        if good:
            captures[:] = self._in[:, at : at + self._n]
        else:
            captures[:] = 0.0
        for device, rows in self._matched:
            self._read_matched(captures, device, rows, at)
        return good

    def _read_matched(self, captures: F32, device: int, rows: npt.NDArray[np.intp], at: int) -> None:
        assert self._matched_ring is not None
        assert self._told is not None
        told = self._told[device]
        short = (self.block + 1) * self._n - int(told[MatchedHead.DELIVERED])
        if not told[MatchedHead.THERE] or short > 0:
            captures[rows] = 0.0
            if self._sounds.get(device):  # no edge: the sound of before goes back as it came, and fades
                before = (at - 1 - np.arange(len(self._up))) % self._matched_ring.shape[1]
                captures[rows, : len(self._up)] = self._matched_ring[rows[:, None], before] * self._up[::-1]
                self._sounds[device] = False
            if told[MatchedHead.THERE] and told[MatchedHead.DELIVERED]:
                told[MatchedHead.LATE] += 1
                told[MatchedHead.SHORT] = max(short, int(told[MatchedHead.SHORT]))
            return
        captures[rows] = self._matched_ring[rows, at : at + self._n]
        if not self._sounds.get(device, True):
            captures[rows, : len(self._up)] *= self._up
        self._sounds[device] = True

    def write(self, outs: F32) -> None:
        at = self.block % self._blocks * self._n
        self._out[:, :, at : at + self._n] = outs
        self.block += 1
        self._counters[self._out_index] = self.block

    def wait(self) -> float:
        now = time.monotonic()
        late = now - self._due
        if late < 0:
            time.sleep(-late)
        elif late > STOOD_STILL_S:  # slept, or was stopped: the clock starts anew instead of racing after it
            self._due = now
        self._due += self._period
        return max(0.0, late)

    def drive(self, block: Callable[[], bool]) -> None:
        """By the system's timer; `missed` counts the periods that were over before their block was done."""
        while block():
            if self.wait() > self._period:
                self.missed += 1
