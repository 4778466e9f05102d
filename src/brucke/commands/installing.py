"""At home on the desktop: a menu entry, the file types, completion; and out again."""

import argparse
from pathlib import Path

from ..home.files import Told
from ..home.installing import homes, install, uninstall
from .command_line import CommandLine
from .output import emit


def put(args: argparse.Namespace) -> int:
    files = install(homes(), args.launcher.resolve(), commands_of(args.parser))
    emit(
        args,
        {"files": [str(f) for f in files]},
        lambda: [*map(str, files), "Brucke is in the menu, and “brucke” a command."],
    )
    return 0


def take_out(args: argparse.Namespace) -> int:
    files = uninstall(homes())
    emit(args, {"files": [str(f) for f in files]}, lambda: [f"{len(files)} files taken out, nothing else."])
    return 0


def commands_of(parser: argparse.ArgumentParser) -> tuple[Told, ...]:
    """What a shell may complete, as the command line itself has it."""
    found = []
    for action in parser._actions:
        for name, sub in (action.choices or {}).items() if isinstance(action, argparse._SubParsersAction) else ():
            found.append(Told(name, tuple(o for a in sub._actions for o in a.option_strings if o.startswith("--"))))
    return tuple(found)


def add_commands(to: CommandLine) -> None:
    p = to.add("install", put, "into the menu, with file types and completion, for this user")
    p.add_argument(
        "--launcher", type=Path, required=True, metavar="FILE", help="what starts Brucke (./run gives itself)"
    )
    p.set_defaults(parser=to.parser)
    to.add("uninstall", take_out, "out of it again, nothing else")
