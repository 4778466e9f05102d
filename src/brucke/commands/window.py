"""The window, and what can stand behind it."""

import argparse

from .output import CannotDo, emit


def window(args: argparse.Namespace) -> int:
    from ..ui.shell.app import run

    return run(args.setup)


def demo(args: argparse.Namespace) -> int:
    from ..demo import SETUP
    from ..ui.shell.app import run

    return run(SETUP, demo=True, shots=args.shots, device=args.device)


def devices(args: argparse.Namespace) -> int:
    """Sound cards that can play and record, by the name that --device takes."""
    from ..ports.devices.opening import CardError, list_cards

    try:
        cards = list_cards()
    except CardError as e:
        raise CannotDo(str(e)) from None
    result = {
        "devices": [
            {
                "name": c.name, "inputs": c.inputs, "outputs": c.outputs, "rate_hz": c.rate_hz,
                "in_ms": c.in_s * 1e3, "out_ms": c.out_s * 1e3,
            }
            for c in cards
        ]
    }  # fmt: skip
    none = ["no sound card that plays and records"]
    emit(args, result, lambda: [f"{c.name}: {c.inputs} in, {c.outputs} out, {c.rate_hz:.0f} Hz" for c in cards] or none)
    return 0
