"""What a running engine tells, read from the shared memory and counted as the setup counts.

Whoever asks here names parts, listeners, captures and devices by their places in the setup; `order` says in which rows
of the engine they are.
"""

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from ...core.knowledge.evidence import Matching
from ...core.routing.rows import MAX_DEVICES, SIDES, Order, parts_of
from ...ports.devices.clocks.head import MatchedHead
from ..step.plan import F32
from .region import Head, Region, record_frames, record_rows

MEASURE_WORDS = {0: "", 1: "fading", 2: "sounding", 3: "done", 4: "refused"}


class MeasureHandle(msgspec.Struct, frozen=True):
    """What is being measured: the stimulus, and where its repeats start."""

    stimulus: F32
    repeats: int
    spacing: int


class Reading:
    """Without an `order` everything is in its own row."""

    def __init__(self, region: Region, order: Order | None = None):
        self.region, self.shape = region, region.shape
        self.order = order or Order(
            tuple((p,) for p in range(self.shape.parts)), tuple(range(self.shape.listeners)),
            tuple(range(self.shape.captures)), tuple(range(MAX_DEVICES)),
        )  # fmt: skip

    def get(self, field: Head) -> int:
        return self.region.get(field)

    @property
    def load(self) -> float:
        """Share of a block's time that the engine computes."""
        return self.region.get(Head.LOAD_PPM) / 1e6

    def inputs(self) -> tuple[F32, npt.NDArray[np.int64]]:
        """Copies of (peaks [captures] before any trim, blocks at full scale since the start [captures])."""
        rows = list(self.order.captures)
        clips: npt.NDArray[np.int64] = self.region["clips"][rows].astype(np.int64)
        return self.region.sound("input_peaks")[rows], clips

    def ducked(self) -> F32:
        """By how many dB each part [L, P] is held down at each listener now, 0 for parts without a sound."""
        less = self.region.sound("ducked")[list(self.order.listeners)]
        found = np.zeros((len(less), len(self.order.parts)), np.float32)
        for p, pairs in enumerate(self.order.parts):
            found[:, p] = less[:, pairs[0]] if pairs else 0.0
        return found

    def sum_peaks(self) -> F32:
        """The highest peak of every listener's sum [L] before it is held at full scale, since this was last asked."""
        peaks: F32 = self.region.sound("sum_peaks")[list(self.order.listeners)]
        self.region.sound("sum_peaks")[:] = 0.0
        return peaks

    def missing(self) -> tuple[int, ...]:
        """Indices of the devices that are not there."""
        return tuple(i for i, row in enumerate(self.order.devices) if self.region["missing"][row])

    def matching(self, index: int) -> Matching | None:
        """How a device with a clock of its own is matched; None before its sound flowed."""
        told: Any = self.region["matched"][self.order.devices[index]]
        if not told[MatchedHead.THERE] and not told[MatchedHead.DROPOUTS]:
            return None
        rate = self.shape.rate
        return Matching(
            in_s=int(told[MatchedHead.IN_SET]) / rate, out_s=int(told[MatchedHead.OUT_SET]) / rate,
            fast_ppm=int(told[MatchedHead.FAST_PPB]) / 1e3,
            wander_s=int(told[MatchedHead.WANDER_NS]) / 1e9,
            lost=int(told[MatchedHead.LATE] + told[MatchedHead.DROPOUTS]),
        )  # fmt: skip

    def recent(self, seconds: float) -> tuple[F32, F32]:
        """Copies of the newest (parts [P, S, frames], listeners [L, C, frames]), at most what the ring holds."""
        s = self.shape
        ring = self.region.sound("record_ring")
        done, size = self.region.get(Head.RECORDED), record_frames(s)
        frames = min(round(seconds * s.rate), done, size - s.rate // 2)
        index = np.arange(done - frames, done) % size
        rows = ring[:, index]
        rows[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        split = SIDES * s.parts
        parts, outs = rows[:split].reshape(s.parts, SIDES, -1), rows[split:].reshape(s.listeners, s.channels, -1)
        for row, sound in enumerate((*parts, *outs)):
            self._only_its_own(sound, row, done - frames)
        return parts_of(parts, self.order.parts), outs[list(self.order.listeners)]

    def newest(self, rows: list[int], seconds: float) -> F32:
        """A copy of the newest [rows, frames] of the recorder's ring, by what `track_rows` gives; only these are
        touched."""
        s, done, size = self.shape, self.region.get(Head.RECORDED), record_frames(self.shape)
        frames = min(round(seconds * s.rate), done, size - s.rate // 2)
        begin = (done - frames) % size
        ring, first = self.region.sound("record_ring"), min(frames, size - begin)
        sound = np.empty((len(rows), frames), np.float32)
        for i, row in enumerate(rows):
            sound[i, :first] = ring[row, begin : begin + first]
            sound[i, first:] = ring[row, : frames - first]
            place = row // SIDES if row < SIDES * s.parts else s.parts + (row - SIDES * s.parts) // s.channels
            self._only_its_own(sound[i : i + 1], place, done - frames)
        sound[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        return sound

    def _only_its_own(self, sound: F32, row: int, begin: int) -> None:
        """What was there before whoever sits in a row now, parts first, is none of it."""
        born = int(self.region["born"][row])
        sound[:, : min(max(0, born - begin), sound.shape[1])] = 0.0

    def _chain_rows(self) -> list[int]:
        """Of the chains, parts first, then listeners; −1 where a part has none."""
        parts = [rows[0] if rows else -1 for rows in self.order.parts]
        return [*parts, *(self.shape.parts + x for x in self.order.listeners)]

    def into_chain(self, index: int, frames: int) -> F32:
        """A copy of the newest [2, frames] that went into a chain, parts first, then listeners; fewer after a start."""
        s, done, index = self.shape, self.region.get(Head.RECORDED), self._chain_rows()[index]
        if index < 0:
            return np.zeros((SIDES, 0), np.float32)
        ring = self.region.sound("record_ring" if index < s.parts else "chain_ring")
        size = record_frames(s)
        rows = ring[index * SIDES : (index + 1) * SIDES] if index < s.parts else ring[index]
        frames = min(frames, done, size - s.rate // 4)
        sound: F32 = rows[:, np.arange(done - frames, done) % size]
        self._only_its_own(sound, index, done - frames)
        # What was written over while it was copied is not what was asked for.
        sound[:, : max(0, self.region.get(Head.RECORDED) + s.block - size - (done - frames))] = 0.0
        return sound

    def meters(self) -> tuple[F32, F32]:
        """Copies of (parts [P, S, peak and mean square], listeners [L, C, peak and mean square])."""
        outs: F32 = self.region.sound("out_meters")[list(self.order.listeners)]
        return parts_of(self.region.sound("part_meters"), self.order.parts), outs

    def readings(self) -> F32:
        """A copy of what the processors tell [P + L, MAX_SLOTS + 1, READINGS]: see `region.py`."""
        return self._of_chains("readings")

    def _of_chains(self, name: str) -> F32:
        rows = self._chain_rows()
        made: F32 = self.region.sound(name)[rows]
        made[[row < 0 for row in rows]] = 0.0
        return made

    def listener_loudness(self) -> F32:
        """A copy of [L, LOUDNESS]: momentary, short-term, integrated in LUFS, true peak in dBTP, seconds."""
        told: F32 = self.region.sound("loudness")[list(self.order.listeners)]
        return told

    def chain_loudness(self) -> F32:
        """A copy of [P + L, before and after the chain] in LUFS, of the same moments; −∞ where nothing sounded."""
        return self._of_chains("chain_loudness")

    @property
    def measure_state(self) -> tuple[str, float]:
        return MEASURE_WORDS[self.region.get(Head.MEASURE_STATE)], self.region.get(Head.MEASURE_PPM) / 1e6

    def measured(self, handle: MeasureHandle) -> F32:
        length = handle.repeats * handle.spacing + self.shape.rate // 2
        return self.region.sound("measured")[:length].copy()

    def outside_state(self, place: int) -> int:
        """Of a step outside: a word of `engine/step/outside.py`."""
        states: Any = self.region["outside"]
        return int(states[place])

    def outside_sound(self, place: int, seconds: float) -> F32 | None:
        """A copy of the newest [what went out, what came back; frames] of a step outside; None while there is less."""
        ring, done = self.region.sound("outside_ring")[place], self.region.get(Head.RECORDED)
        frames = round(seconds * self.shape.rate)
        if done < frames:
            return None
        sound: F32 = ring[:, np.arange(done - frames, done) % ring.shape[1]]
        return sound

    def track_rows(
        self,
        parts: list[tuple[str, int, int]],
        listeners: list[tuple[str, int, int]],
        processed: Sequence[tuple[str, int]] = (),
    ) -> dict[str, list[int]]:
        """Rows of the recorder's ring by track name, from (id, index, channels); of the chain ring for those that are
        `processed`, see `region.record_rows`."""
        rows = {}
        for id, p, channels in parts:
            pairs = self.order.parts[p]
            rows[f"parts/{id}"] = [SIDES * pairs[c // SIDES] + c % SIDES for c in range(channels)]
        base = SIDES * self.shape.parts
        for id, x, channels in listeners:
            first = base + self.order.listeners[x] * self.shape.channels
            rows[f"listeners/{id}"] = [first + c for c in range(channels)]
        for id, p in processed:
            chained = record_rows(self.shape) + 2 * self.order.parts[p][0]
            rows[f"processed/{id}"] = [chained, chained + 1]
        return rows
