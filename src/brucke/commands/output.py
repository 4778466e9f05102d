"""What every command prints, and the sentence of one that could not."""

import argparse
from collections.abc import Callable, Sequence
from typing import Any

import msgspec

from ..core.errors import BruckeError
from ..core.measure.candidates import Candidate


class CannotDo(BruckeError, ValueError):
    """One sentence."""

    code = "command"


def emit(args: argparse.Namespace, result: dict[str, Any], lines: Callable[[], list[str]]) -> None:
    """The result as JSON, or as lines a person reads."""
    if args.json:
        print(msgspec.json.format(msgspec.json.encode(result), indent=2).decode())
    else:
        print("\n".join(lines()))


def rivals_ms(rivals: Sequence[Candidate]) -> list[dict[str, float]]:
    """What else a time may be, as every command says it."""
    return [{"ms": r.value * 1e3, "weight": round(r.weight, 3)} for r in rivals]
