"""The engine offline."""

import argparse
from pathlib import Path

from ..core.storage.setup_file import load
from .command_line import CommandLine, duration
from .output import CannotDo, emit


def render(args: argparse.Namespace) -> int:
    from ..core.edits.chain_edits import plug_ins
    from ..core.routing.outside_steps import placed_steps
    from ..engine.step.plan import PlanError
    from ..ports.sounds.beat_sounds import read_beat
    from ..ports.sounds.files import MAX_SECONDS, read_sound
    from ..rehearse.render import render_setup

    setup, _ = load(args.setup)
    inputs = {}
    for item in args.input:
        part, sep, file = item.partition("=")
        if not sep or all(p.id != part for p in setup.parts):
            raise CannotDo(f"--input {item}: expected PART=FILE with a part of {args.setup.name}")
        inputs[part] = read_sound(Path(file), setup.rate_hz)[0]
    for part in setup.parts:
        path = args.setup.parent / part.beat_source
        if part.beat_source and part.id not in inputs and path.exists():
            inputs[part.id] = read_beat(path, setup.rate_hz, MAX_SECONDS)
    if not inputs:
        raise CannotDo(f"{args.setup.name}: parts: none has a sound to render; give one with --input PART=FILE")
    try:
        written = render_setup(setup, inputs, args.out, args.seconds)
    except PlanError as e:
        raise CannotDo(f"{args.setup.name}: devices: {e}") from None
    outside = [placed.step for placed in placed_steps(setup)]
    dry = [p.name for _owner, p in plug_ins(setup).values() if p.on] + [p.name for p in outside if p.on]
    result = {"files": [str(p) for p in written], "left_dry": dry}
    note = [f"without {', '.join(dry)}: what is no code of ours runs only live"] if dry else []
    emit(args, result, lambda: [*result["files"], *note])
    return 1 if dry else 0


def add_commands(to: CommandLine) -> None:
    p = to.add("render", render, "run the engine offline; one file per listener and part")
    p.add_argument("setup", type=Path)
    p.add_argument("--out", type=Path, required=True)
    p.add_argument("--seconds", type=duration, default=None)
    p.add_argument("--input", action="append", default=[], metavar="PART=FILE")
