"""What every command prints, and the sentence of one that could not."""

import argparse
from collections.abc import Callable
from typing import Any

import msgspec


class CannotDo(ValueError):
    """One sentence."""


def emit(args: argparse.Namespace, result: dict[str, Any], lines: Callable[[], list[str]]) -> None:
    """The result as JSON, or as lines a person reads."""
    if args.json:
        print(msgspec.json.format(msgspec.json.encode(result), indent=2).decode())
    else:
        print("\n".join(lines()))
