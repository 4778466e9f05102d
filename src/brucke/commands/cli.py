"""The command line. Standard output carries only a command's own result; errors are one line on stderr.

Exit codes: 0 done, 1 done and something needs attention, 2 could not.
"""

import argparse
import importlib
import pkgutil
import sys
from collections.abc import Sequence
from pathlib import Path

from ..core.errors import BruckeError
from .command_line import CommandLine

OPENS = ("open", "demo", "login")  # commands of the window: they wait for no other command's code
FIRST = ("window", "live", "microphones", "timing", "offline", "rehearsal", "measured", "films", "sound", "documents")


def main(argv: Sequence[str] | None = None) -> int:
    argv = sys.argv[1:] if argv is None else argv
    parser = _parser(("window",) if not argv or argv[0] in OPENS else ())
    try:
        args = parser.parse_args(argv)
    except SystemExit as e:
        return 0 if e.code in (0, None) else 2
    try:
        return int(args.run(args))
    except BruckeError as e:
        print(f"brucke: {e}", file=sys.stderr)
    except KeyboardInterrupt:
        print("brucke: stopped", file=sys.stderr)
    except BrokenPipeError:
        sys.stderr.close()  # whoever read has gone; nothing is left to say to them
    except OSError as e:
        print(f"brucke: {e.filename or 'the system'}: {(e.strerror or str(e)).lower()}", file=sys.stderr)
    except MemoryError:
        print("brucke: this is more than the memory of this computer holds", file=sys.stderr)
    except Exception as e:  # nobody foresaw it: one line here, the whole of it in the log
        print(f"brucke: {_log(e)}", file=sys.stderr)
    return 2


def _log(e: Exception) -> str:
    """Written to the log; the sentence that names it."""
    import traceback

    from platformdirs import user_log_path

    file = user_log_path("brucke") / "brucke.log"
    said = (
        f"something nobody foresaw: {type(e).__name__}: {str(e).splitlines()[0][:160] if str(e) else 'no more is said'}"
    )
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with file.open("a", encoding="utf-8") as f:
            f.write("".join(traceback.format_exception(e)))
    except OSError:
        return said
    return f"{said}; it is written to {file}"


def _parser(only: Sequence[str]) -> argparse.ArgumentParser:
    """Every module of this folder that has `add_commands` adds its own, or those of `only`; those of `FIRST` stand
    first in the help."""
    parser = argparse.ArgumentParser(prog="brucke", description="Makes voice, music and picture arrive together.")
    parser.set_defaults(run=_window, setup=None, shots=None, json=False)
    line = CommandLine(parser)
    there = only or [m.name for m in pkgutil.iter_modules([str(Path(__file__).parent)]) if m.name != "cli"]
    for name in sorted(there, key=lambda n: (FIRST.index(n) if n in FIRST else len(FIRST), n)):
        add = getattr(importlib.import_module(f".{name}", __package__), "add_commands", None)
        if add is not None:
            add(line)
    return parser


def _window(args: argparse.Namespace) -> int:
    from .window import window

    return window(args)


def entry() -> None:
    """brucke FILE is short for brucke open FILE."""
    argv = sys.argv[1:]
    if argv and argv[0].endswith((".json", ".zip")):
        argv = ["open", *argv]
    sys.exit(main(argv))


if __name__ == "__main__":
    entry()
