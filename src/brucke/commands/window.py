"""The window, and what can stand behind it."""

import argparse
from typing import TYPE_CHECKING

from .needs import need_screen
from .output import CannotDo, emit

if TYPE_CHECKING:
    from ..ports.devices.kind import Found


def window(args: argparse.Namespace) -> int:
    need_screen()
    from ..ui.shell.app import run

    return run(args.setup)


def login(args: argparse.Namespace) -> int:
    need_screen()
    from ..ui.shell.app import run

    return run(None, login=True)


def demo(args: argparse.Namespace) -> int:
    need_screen()
    from ..demo import SETUP
    from ..ui.shell.app import run

    return run(SETUP, demo=True, shots=args.shots, device=args.device)


def devices(args: argparse.Namespace) -> int:
    """Sound cards that can play and record, by the name that --device takes."""
    from ..ports.devices.kind import DeviceError
    from ..ports.devices.opening import found_devices

    try:
        cards = found_devices()
    except DeviceError as e:
        raise CannotDo(str(e)) from None
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
