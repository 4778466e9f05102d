"""How loud everything is: a process of its own that listens to the shared rings ten times a second.

python -m brucke.engine.processes.loudness SHAPE FD SOCKET — started by `link.py`. Not in the block path: K weighting
and the peaks between samples of many listeners would cost it more than mixing them.
"""

import math
import os
import sys
import time
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from ...core.files.run_log import begin
from ...core.routing.rows import SIDES
from ...core.sound.loudness import STEP_S, LoudnessMeter, PowerSteps, compared_lufs
from ..step.plan import F32
from .channel import Channel
from .messages import GainForTarget, Quit, TargetLoudness
from .region import Head, Region, attach, record_frames

POLL_S = 0.05
GAP_S = 1.0  # so late, what was missed is left out
ANSWER_S = 60.0  # a long chain over many seconds of sound
KEPT = 600  # steps of a chain that are kept


@dataclass
class Question:
    """What was asked, and what was heard for it so far: before and behind the chain, each [2, frames]."""

    asked: TargetLoudness
    into: list[F32] = field(default_factory=list)
    heard: list[F32] = field(default_factory=list)

    def enough(self, rate: int) -> bool:
        return sum(x.shape[1] for x in self.into) >= self.asked.seconds * rate

    def answer(self, rate: int) -> GainForTarget:
        from ...core.sound.loudness_target import gain_for_target  # numba, which nothing else here needs

        into, heard = (np.ascontiguousarray(np.concatenate(x, axis=1)) for x in (self.into, self.heard))
        asked = self.asked
        gain, lufs = gain_for_target(into, heard, asked.chain, asked.now, asked.slot, rate, asked.target_lufs)
        return GainForTarget(index=asked.index, gain_db=gain, lufs=lufs if math.isfinite(lufs) else None)


class Listening:
    def __init__(self, region: Region):
        self.region, s = region, region.shape
        self.at = region.get(Head.RECORDED)
        self.began = region.get(Head.LOUDNESS_FROM)
        self.record, self.chained = region.sound("record_ring"), region.sound("chain_ring")
        self.meters: list[LoudnessMeter] = []
        self.question: Question | None = None
        self._anew()
        self.born = region["born"].copy()
        self.before, self.after = ([PowerSteps(s.rate, 2) for _ in range(s.parts + s.listeners)] for _ in range(2))
        self.told = np.full((s.listeners, region["loudness"].shape[1]), -np.inf, np.float32)

    def _anew(self) -> None:
        s = self.region.shape
        self.meters = [LoudnessMeter(s.rate, 2) for _ in range(s.listeners)]

    def _see_who_is_new(self) -> None:
        """Whoever sits where somebody else sat is measured from the beginning."""
        s, born = self.region.shape, self.region["born"].copy()
        for i in np.flatnonzero(born != self.born):
            self.before[i], self.after[i] = PowerSteps(s.rate, 2), PowerSteps(s.rate, 2)
            self.region.sound("chain_loudness")[i] = -np.inf
            if i >= s.parts:
                self.meters[i - s.parts] = LoudnessMeter(s.rate, 2)
                self.told[i - s.parts] = -np.inf
        self.born = born

    def _rows(self, ring: F32, frames: int, size: int) -> F32:
        return ring[..., np.arange(self.at, self.at + frames) % size]

    def step(self) -> None:
        """What came since the last time, once there is a tenth of a second of it."""
        region, s = self.region, self.region.shape
        frames = region.get(Head.RECORDED) - self.at
        if frames < STEP_S * s.rate:
            return
        if frames > GAP_S * s.rate:
            self.at += frames
            return
        if region.get(Head.LOUDNESS_FROM) != self.began:
            self.began = region.get(Head.LOUDNESS_FROM)
            self._anew()
        self._see_who_is_new()
        sound = self._rows(self.record, frames, record_frames(s))
        ends = self._rows(self.chained, frames, record_frames(s))
        written, self.at = region.get(Head.RECORDED), self.at + frames
        if written + s.block - (self.at - frames) > record_frames(s):
            return  # written over while it was copied: left out
        split = SIDES * s.parts
        parts = sound[:split].reshape(s.parts, SIDES, -1)
        outs = sound[split:].reshape(s.listeners, s.channels, -1)[:, :2]
        if self.question is not None:
            self.question.into.append(ends[self.question.asked.index])
            self.question.heard.append(outs[self.question.asked.index - s.parts])
        _number, plan = region.read_plan()
        self._listeners(outs, plan.listener_tenants)
        chained = [*(plan.codes[:, 0] != 0), *(plan.listener_codes[:, 0] != 0)]
        for i in np.flatnonzero(chained):
            dry, wet = (parts[i], ends[i]) if i < s.parts else (ends[i], outs[i - s.parts])
            self._compare(int(i), dry, wet)

    def _listeners(self, outs: F32, tenants: npt.NDArray[np.int64]) -> None:
        for x in np.flatnonzero(tenants):
            meter = self.meters[x]
            meter.push(outs[x])
            peak = 20 * math.log10(meter.true_peak) if meter.true_peak > 0 else -math.inf
            self.told[x] = meter.momentary_lufs, meter.short_term_lufs, meter.integrated_lufs, peak, meter.seconds
        self.region.sound("loudness")[:] = self.told

    def _compare(self, i: int, dry: F32, wet: F32) -> None:
        for steps, sound in ((self.before[i], dry), (self.after[i], wet)):
            steps.push(sound)
            del steps.powers[:-KEPT]
        self.region.sound("chain_loudness")[i] = compared_lufs(self.before[i], self.after[i])


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "loudness"))
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    os.nice(10)
    listening = Listening(region)
    while not channel.lost:
        message = channel.receive()
        if isinstance(message, Quit):
            break
        if isinstance(message, TargetLoudness):
            listening.question = Question(message)
        region.set(Head.LOUDNESS_NS, time.monotonic_ns())
        listening.step()
        answer = None
        if listening.question is not None and listening.question.enough(region.shape.rate):
            region.set(Head.LOUDNESS_NS, time.monotonic_ns() + round(ANSWER_S * 1e9))  # busy, and not hanging
            answer = listening.question.answer(region.shape.rate)
        if answer is not None:
            listening.question = None
            channel.send(answer)
        time.sleep(POLL_S)


if __name__ == "__main__":
    main()
