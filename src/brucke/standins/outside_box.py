"""A box beside the simulated interface, for every step outside: what goes out on an output pair comes back on an input
pair, later and softer."""

from collections.abc import Sequence

import numpy as np

from ..core.document.setup import Device, Setup
from ..core.routing.outside_steps import placed_steps
from .delays import F32, DelayLine

LATER_S, GAIN = 0.007, np.float32(10 ** (-3 / 20))


class OutsideBoxes:
    """`plugged` says whether the cables are in it."""

    def __init__(self) -> None:
        self.plugged = True
        self._boxes: dict[str, tuple[int, tuple[int, int], list[DelayLine]]] = {}

    def settle(self, setup: Setup, device: Device, listener_rows: Sequence[str | None], out_frames: float) -> None:
        """Those of a setup at this interface, whose outputs take `out_frames`; `listener_rows` say who sits where."""
        rows = {who: i for i, who in enumerate(listener_rows) if who is not None}
        before, self._boxes = self._boxes, {}
        for placed in placed_steps(setup):
            step = placed.step
            if step.send_device == step.return_device == device.id and placed.seat in rows:
                late = out_frames + LATER_S * setup.rate_hz
                lines = before[placed.seat][2] if placed.seat in before else [DelayLine(late) for _ in range(2)]
                self._boxes[placed.seat] = (rows[placed.seat], step.return_channels, lines)

    def play(self, outs: F32, inputs: dict[int, F32]) -> None:
        """What went out [L, C, n] comes to the interface's inputs."""
        for row, channels, lines in self._boxes.values():
            for side, (channel, line) in enumerate(zip(channels, lines, strict=True)):
                came = line.push(outs[row, side]) * GAIN
                if self.plugged and channel in inputs:
                    inputs[channel] += came
