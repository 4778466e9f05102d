"""Which programs had chosen a microphone of ours, by its node: kept over an end of the program, so that they have it again."""

import contextlib

from platformdirs import user_data_path

from ..core.document.own_file import FileProblem, read_own, write_own

FORMAT, VERSION = "brucke readers", 1
MOST = 200  # microphones, and programs of each


def load_readers() -> dict[str, set[str]]:
    """Nothing where nothing is kept, or it cannot be read."""
    try:
        kept = read_own(user_data_path("brucke") / "readers.json", FORMAT, VERSION, "readers", dict[str, list[str]])
    except (FileProblem, OSError):
        return {}
    return {node: set(programs) for node, programs in kept.items()}


def keep_readers(readers: dict[str, set[str]]) -> None:
    """Where that is not possible they are only known until the program ends."""
    kept = {node: sorted(programs)[:MOST] for node, programs in list(readers.items())[-MOST:] if programs}
    with contextlib.suppress(OSError):
        home = user_data_path("brucke")
        home.mkdir(parents=True, exist_ok=True)
        write_own(home / "readers.json", FORMAT, VERSION, "readers", kept)
