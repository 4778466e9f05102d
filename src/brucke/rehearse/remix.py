"""A listener's mix made anew from the parts of a take, by the very step that runs live: what is heard together after
single tracks were edited. What was done by hand while it was recorded, mutes and changes of moment, is not in it."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from ..core.routing.captures import capture_channels
from ..core.sound.processors import MAX_OUTSIDE
from ..engine.step.live import Live
from ..engine.step.plan import compile_plan, shape_of
from ..engine.step.runner import Runner
from ..ports.sounds.files import F32
from ..takes.edited import Sounds
from ..takes.take import Take

TOGETHER = 375  # blocks of the engine that are given on at once


def remix(folder: Path, take: Take, listener: str) -> tuple[int, Iterator[F32]]:
    """(rate, blocks [2, frames]) as long as the take. Errors: TakeError, PlanError."""
    setup = take.setup
    moment = take.moment or (setup.moments[0].id if setup.moments else "")
    plan = compile_plan(setup, Live(moment=moment, dry_steps=tuple(range(MAX_OUTSIDE))))
    shape = shape_of(setup)
    runner = Runner(shape, plan)
    sounds = Sounds(folder, take)
    frames = round(sounds.seconds * setup.rate_hz)
    which = [x.id for x in setup.listeners].index(listener)
    readers = {p.id: _Reader(sounds.part(p.id)[2]) for p in setup.parts if p.id in take.parts}

    def made() -> Iterator[F32]:
        done, n = 0, shape.block
        while done < frames:
            pieces = []
            for _block in range(TOGETHER):
                captures = np.zeros((shape.captures, n), np.float32)
                given = {id: reader.read(n) for id, reader in readers.items()}
                for row, (device, channel) in enumerate(capture_channels(setup)):
                    for part in setup.parts:
                        if part.id in given and part.device == device and channel in part.channels:
                            sound = given[part.id]
                            captures[row] = sound[min(part.channels.index(channel), sound.shape[0] - 1)]
                out = runner.step(captures)[which]
                pieces.append(out[:2].copy() if setup.listeners[which].channels > 1 else np.repeat(out[:1], 2, axis=0))
            block = np.concatenate(pieces, axis=1)[:, : frames - done]
            done += block.shape[1]
            yield np.ascontiguousarray(block, np.float32)

    return setup.rate_hz, made()


class _Reader:
    """Blocks of any length [channels, frames] as ones of the length that is asked for, silence after their end."""

    def __init__(self, blocks: Iterator[F32]):
        self._blocks = blocks
        self._held: F32 | None = next(blocks, None)
        self._at = 0

    def read(self, n: int) -> F32:
        if self._held is None:
            return np.zeros((1, n), np.float32)
        found = np.zeros((self._held.shape[0], n), np.float32)
        done = 0
        while done < n and self._held is not None:
            piece = self._held[:, self._at : self._at + n - done]
            found[:, done : done + piece.shape[1]] = piece
            done += piece.shape[1]
            self._at += piece.shape[1]
            if self._at >= self._held.shape[1]:
                self._held, self._at = next(self._blocks, None), 0
        return found
