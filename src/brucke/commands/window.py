"""The window, and what can stand behind it."""

import argparse
import gc
from pathlib import Path
from typing import TYPE_CHECKING

from .command_line import CommandLine
from .needs import need_screen
from .output import emit

if TYPE_CHECKING:
    from ..ports.devices.kind import Found


def _begin() -> None:
    """What sound needs is loaded in another process while this one loads the window. Nothing that is loaded now becomes
    garbage: `run` lets it be collected once the window is there."""
    gc.disable()
    from ..engine.processes.forked import FORKS

    FORKS.prepare()


def window(args: argparse.Namespace) -> int:
    need_screen()
    _begin()
    from ..ui.shell.app import run

    return run(args.setup)


def login(args: argparse.Namespace) -> int:
    need_screen()
    _begin()
    from ..ui.shell.app import run

    return run(None, login=True)


def demo(args: argparse.Namespace) -> int:
    need_screen()
    _begin()
    from ..demo import SETUP
    from ..ui.shell.app import run

    return run(SETUP, demo=True, shots=args.shots, device=args.device)


def devices(args: argparse.Namespace) -> int:
    """Sound cards that can play and record, by the name that --device takes."""
    from ..ports.devices.opening import found_devices

    cards = found_devices()
    result = {
        "devices": [
            {
                "name": c.name, "inputs": c.inputs, "outputs": c.outputs, "rate_hz": c.rate_hz,
                "in_ms": None if c.in_s is None else c.in_s * 1e3,
                "out_ms": None if c.out_s is None else c.out_s * 1e3,
            }
            for c in cards
        ]
    }  # fmt: skip
    none = ["no sound card"]
    emit(args, result, lambda: [_device_text(c) for c in cards] or none)
    return 0


def _device_text(c: "Found") -> str:
    if c.inputs is None:
        return f"{c.name}: the desktop's sound server, with what it has chosen"
    return f"{c.name}: {c.inputs} in, {c.outputs} out, {c.rate_hz:.0f} Hz"


def add_commands(to: CommandLine) -> None:
    p = to.add("open", window, "the window with a setup (also: brucke SETUP)")
    p.add_argument("setup", type=Path)
    p.set_defaults(shots=None)
    to.add("login", login, "as the desktop starts it: hidden, the last setup sounding, everyone closed")
    p = to.add("demo", demo, "the window with the Nightboat hour")
    p.add_argument("--shots", type=Path, metavar="DIR", help="write one PNG of each main view and end")
    p.add_argument("--device", default="", metavar="NAME", help="a real sound card in place of the simulated interface")
    p = to.add("devices", devices, "sound cards that --device can name")
