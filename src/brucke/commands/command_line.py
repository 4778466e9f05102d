"""How a module of commands adds its own to the command line, and what their numbers may be."""

import argparse
from collections.abc import Callable

Run = Callable[[argparse.Namespace], int]


class CommandLine:
    """`add` makes one command more; what it returns takes its arguments."""

    def __init__(self, parser: argparse.ArgumentParser):
        self.parser = parser
        self._sub = parser.add_subparsers(metavar="COMMAND")

    def add(self, name: str, run: Run, help: str) -> argparse.ArgumentParser:
        p = self._sub.add_parser(name, help=help)
        p.add_argument("--json", action="store_true", help="print the result as JSON")
        p.set_defaults(run=run)
        return p


def duration(text: str) -> float:
    value = float(text)
    if not 1 <= value <= 3600:
        raise argparse.ArgumentTypeError("from 1 to 3600 seconds")
    return value


def search_range(text: str) -> float:
    value = float(text)
    if not 0.1 <= value <= 20.0:
        raise argparse.ArgumentTypeError("expected 0.1 to 20 seconds")
    return value


def loudness(text: str) -> float:
    value = float(text)
    if not -40.0 <= value <= -5.0:
        raise argparse.ArgumentTypeError("from -40 to -5 LUFS")
    return value


def sample_rate(text: str) -> int:
    value = int(text)
    if not 8000 <= value <= 192_000:
        raise argparse.ArgumentTypeError("from 8000 to 192000 Hz")
    return value


def share(text: str) -> float:
    value = float(text)
    if not 0 <= value <= 1:
        raise argparse.ArgumentTypeError("from 0 to 1")
    return value


def least_gain(text: str) -> float:
    value = float(text)
    if not -80 <= value <= 0:
        raise argparse.ArgumentTypeError("from -80 to 0 dB")
    return value
