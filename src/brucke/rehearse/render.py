"""Runs the engine offline on given sounds: the very step that runs live."""

import math
from pathlib import Path

import numpy as np

from ..core.document.setup import Setup
from ..core.routing.captures import capture_channels
from ..core.routing.rows import channels_of, rows_of
from ..core.sound.processors import MAX_OUTSIDE
from ..engine.step.live import Live
from ..engine.step.plan import compile_plan, shape_of
from ..engine.step.runner import Runner
from ..ports.sounds.files import F32, TrackWriter


def render_setup(setup: Setup, inputs: dict[str, F32], out: Path, seconds: float | None = None) -> list[Path]:
    """One file per part and per listener below `out`; as long as the longest input and delay, or `seconds`.

    inputs: part → sound [channels, frames], taken as that part's capture. Errors: PlanError.
    """
    moment = setup.moments[0].id if setup.moments else ""
    plan = compile_plan(setup, Live(moment=moment, dry_steps=tuple(range(MAX_OUTSIDE))))
    shape = shape_of(setup)
    runner = Runner(shape, plan)
    longest = max(s.shape[1] for s in inputs.values()) + int(plan.delay.max(initial=0))
    frames = round(seconds * setup.rate_hz) if seconds else longest
    captures = np.zeros((shape.captures, math.ceil(frames / shape.block) * shape.block), np.float32)
    for row, (device, channel) in enumerate(capture_channels(setup)):
        for part in setup.parts:
            if part.id in inputs and part.device == device and channel in part.channels:
                sound = inputs[part.id]
                line = sound[min(part.channels.index(channel), sound.shape[0] - 1)][: captures.shape[1]]
                captures[row, : len(line)] = line
    heard = [p for p in setup.parts if p.channels]
    writers = {f"parts/{p.id}": TrackWriter(out / f"parts/{p.id}.wav", len(p.channels), shape.rate) for p in heard}
    for x in setup.listeners:
        writers[f"listeners/{x.id}"] = TrackWriter(out / f"listeners/{x.id}.wav", x.channels, shape.rate)
    rows = {p.id: pairs for p, pairs in zip(setup.parts, rows_of(setup).order(setup).parts, strict=True)}
    for at in range(0, frames, shape.block):
        outs = runner.step(np.ascontiguousarray(captures[:, at : at + shape.block]))
        keep = min(shape.block, frames - at)
        for part in heard:
            sound = channels_of(runner.engine.raw, rows[part.id])
            writers[f"parts/{part.id}"].write(sound[: len(part.channels), :keep])
        for i, x in enumerate(setup.listeners):
            writers[f"listeners/{x.id}"].write(outs[i, : x.channels, :keep])
    for writer in writers.values():
        writer.close()
    return [out / f"{name}.wav" for name in writers]
