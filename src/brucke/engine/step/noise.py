"""Learned noise removal in the block path: one for every part whose chain begins with it, each change faded in and
out."""

import numpy as np

from ...core.sound.denoise import Denoiser
from ...core.sound.noise_profile import BINS, NoiseProfile
from ...core.sound.processors import NoiseRemoval, code_of
from ...core.sound.processors.base import ON
from ...core.sound.processors.noise_removal import FLOOR, SMOOTHING, STRENGTH, WINDOW, WINDOW_NAMES
from ...core.sound.windows import LENGTH
from .plan import F32, Plan, Shape

FADE_S = 0.01
NOISE = code_of(NoiseRemoval)


class NoiseStage:
    """What takes the noise out of one part; `share` is how much of it is heard, `way` where that goes."""

    def __init__(self, denoiser: Denoiser, window: int, channels: int, power: F32):
        self.denoiser, self.window, self.channels, self.power = denoiser, window, channels, power
        self.share, self.way = 0.0, 1.0
        self.cold = denoiser.latency_frames + LENGTH  # frames until it gives whole sound

    @classmethod
    def of(cls, shape: Shape, window: int, power: F32, channels: int) -> "NoiseStage":
        profile = NoiseProfile(name="", rate_hz=shape.rate, level_db=0.0, seconds=0.0, power=tuple(power.tolist()))
        return cls(Denoiser(profile, shape.block, channels, WINDOW_NAMES[window]), window, channels, power)

    @classmethod
    def without_profile(cls, shape: Shape, channels: int) -> "NoiseStage":
        return cls.of(shape, 0, np.zeros(BINS, np.float32), channels)

    def process(self, dry: F32, wet: F32) -> None:
        """From `dry` to `wet` [2, n], which may be the same; the second side of a mono part stays silent."""
        self.denoiser.process(dry[: self.channels], wet[: self.channels])


class NoiseStages:
    def __init__(self, shape: Shape, plan: Plan):
        self._shape = shape
        self._step = shape.block / (FADE_S * shape.rate)
        self._of: dict[int, list[NoiseStage]] = {}
        self.adopt(plan)
        for stages in self._of.values():
            for stage in stages:
                stage.share = 1.0

    def adopt(self, plan: Plan) -> None:
        """What the plan wants; whatever is no longer wanted fades out."""
        for p in sorted({*np.flatnonzero(plan.codes[:, 0] == NOISE).tolist(), *self._of}):
            wanted = plan.codes[p, 0] == NOISE
            stages = self._of.get(p, [])
            row = plan.params[p, 0]
            channels = 1 if plan.part_source[p, 1] < 0 else 2  # half the work
            same = next(
                (
                    s for s in stages
                    if wanted and (s.window, s.channels) == (int(row[WINDOW]), channels)
                    and np.array_equal(s.power, plan.noise[p])
                ),
                None,
            )  # fmt: skip
            if wanted and same is None:
                same = NoiseStage.of(self._shape, int(row[WINDOW]), plan.noise[p].copy(), channels)
                stages = [*stages, same]
            for s in stages:
                s.way = 1.0 if s is same else -1.0
            if same is not None:
                # Without a profile, and while it is off, it is an exact delay: the path goes on counting it.
                learnt = bool(plan.noise[p].any())
                strength = float(row[ON] * row[STRENGTH]) if learnt else 0.0
                same.denoiser.set(strength, float(10 ** (row[FLOOR] / 20)), float(row[SMOOTHING]))
            if stages:
                self._of[p] = stages

    @property
    def mismatch_db(self) -> dict[int, float]:
        """By part: how much louder the room is than what is taken out, where something is."""
        return {
            p: stages[-1].denoiser.mismatch_db for p, stages in self._of.items() if stages[-1].denoiser.strength > 0
        }  # fmt: skip

    @property
    def idle(self) -> bool:
        """Whether there is nothing to do."""
        return not self._of

    def process(self, shaped: F32) -> None:
        """In place on [parts, 2, n]."""
        for p, stages in list(self._of.items()):
            if len(stages) == 1 and stages[0].share == stages[0].way == 1.0:
                stages[0].process(shaped[p], shaped[p])
                continue
            dry, wet = shaped[p].copy(), np.zeros_like(shaped[p])
            left, sums = 1.0, np.zeros_like(dry)
            # A new one hears some sound before anything moves.
            moves = all(s.cold <= 0 for s in stages)
            for s in stages:
                s.process(dry, wet)
                s.cold -= dry.shape[1]
                before = s.share
                if moves:
                    s.share = min(1.0, max(0.0, s.share + s.way * self._step))
                sums += wet * _ramp(before, s.share, dry.shape[1])
                left = left - before
            after = 1.0 - sum(s.share for s in stages)
            shaped[p] = sums + dry * _ramp(left, after, dry.shape[1])
            stages = [s for s in stages if s.share > 0.0 or s.way > 0.0]
            if stages:
                self._of[p] = stages
            else:
                del self._of[p]


def _ramp(a: float, b: float, n: int) -> F32:
    """From one share to another within a block."""
    return np.linspace(a, b, n, dtype=np.float32) if a != b else np.full(n, a, np.float32)
