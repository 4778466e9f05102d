"""Engine and simulated world together, as fast as the machine allows."""

from collections import deque
from pathlib import Path

import numpy as np

from ..core.document.setup import Setup
from ..core.measure.expected_source import TrackMark
from ..core.measure.stimulus import StimulusKind, stimulus
from ..core.routing.rows import channels_of, rows_of
from ..engine.step.live import Live
from ..engine.step.plan import compile_plan, shape_of
from ..engine.step.runner import MeasureOrder, Runner
from ..ports.sounds.files import F32, TrackWriter
from ..standins.truth import Truth
from ..standins.world import World

HELD = 64  # blocks that are written at once


class Offline:
    """One running setup on the stand-ins. Everything is counted in blocks; nothing waits."""

    def __init__(self, setup: Setup, truth: Truth, sounds: dict[str, F32], live: Live | None = None):
        self.setup, self.live = setup, live or Live()
        self.runner = Runner(shape_of(setup), compile_plan(setup, self.live))
        self._order = rows_of(setup).order(setup)
        self.world = World(setup, rows_of(setup), truth, sounds)
        silence = np.zeros((self.runner.shape.captures, setup.block_frames), np.float32)
        self._queue = deque([silence] * self.world.lead_blocks)
        self._writers: dict[str, TrackWriter] = {}
        self._held: list[tuple[F32, F32]] = []
        self._began = 0
        self.track: tuple[TrackMark, ...] = ()

    def change(self, setup: Setup) -> None:
        """The engine goes over to the changed setup, as it would live."""
        self.setup = setup
        self.runner.adopt(compile_plan(setup, self.live))

    def block(self) -> F32:
        outs = self.runner.step(self._queue.popleft())
        self._queue.append(self.world.step(outs))
        self._record(outs)
        return outs

    def run(self, seconds: float) -> None:
        for _ in range(round(seconds * self.setup.rate_hz / self.setup.block_frames)):
            self.block()

    # Takes

    def record(self, folder: Path) -> None:
        rate = self.setup.rate_hz
        for part in self.setup.parts:
            if part.channels:
                self._writers[f"parts/{part.id}"] = TrackWriter(
                    folder / f"parts/{part.id}.wav", len(part.channels), rate
                )
        for x in self.setup.listeners:
            self._writers[f"listeners/{x.id}"] = TrackWriter(folder / f"listeners/{x.id}.wav", x.channels, rate)
        self.world.keep_far_ends(folder / "far_ends")
        self._began = self.world.frame

    def _record(self, outs: F32) -> None:
        if self._writers:
            self._held.append((self.runner.engine.raw.copy(), outs.copy()))
            if len(self._held) == HELD:
                self._write()

    def _write(self) -> None:
        if not self._held:
            return
        raw, outs = (np.concatenate(blocks, axis=2) for blocks in zip(*self._held, strict=True))
        self._held = []
        for rows, part in zip(self._order.parts, self.setup.parts, strict=True):
            if rows:
                self._writers[f"parts/{part.id}"].write(channels_of(raw, rows)[: len(part.channels)])
        for x, listener in enumerate(self.setup.listeners):
            self._writers[f"listeners/{listener.id}"].write(outs[x, : listener.channels])

    def stop_recording(self) -> None:
        """The tracks and what the far ends got are complete after this, and `track` is known."""
        self.track = tuple(TrackMark(m.frame - self._began, m.at) for m in self.world.track_log)
        self._write()
        for writer in self._writers.values():
            writer.close()
        self._writers = {}
        self.world.give_back()

    # Measuring

    def measure(
        self, listener: int, capture: int, kind: StimulusKind = "sweep", level_db: float = -12.0, repeats: int = 4
    ) -> tuple[F32, F32, int] | None:
        """(stimulus, recording, spacing) of a round trip; None where it is refused."""
        rate = self.setup.rate_hz
        sound = stimulus(kind, rate, level_db)
        spacing = len(sound) + rate // 2
        recording = np.zeros(repeats * spacing + rate, np.float32)
        if not self.runner.measure(MeasureOrder(listener, capture, repeats, spacing), sound, recording):
            return None
        while self.runner.measuring[0] != "done":
            self.block()
        self.runner.finish_measuring()
        return sound, recording, spacing
