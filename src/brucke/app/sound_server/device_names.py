"""Names of programs that are kept over an end of this one: who had chosen a microphone of ours, what was a part
before."""

import contextlib
from collections.abc import Mapping

from platformdirs import user_data_path

from ...core.storage.small_files import FileProblem, read_own, write_own

VERSION = 1
MOST = 200  # lists, and names in each


def load_names(what: str) -> dict[str, set[str]]:
    """Nothing where nothing is kept, or it cannot be read."""
    try:
        file = user_data_path("brucke") / f"{what}.json"
        kept = read_own(file, f"brucke {what}", VERSION, what, dict[str, list[str]])
    except (FileProblem, OSError):
        return {}
    return {key: set(names) for key, names in kept.items()}


def keep_names(what: str, names: Mapping[str, set[str]]) -> None:
    """Where that is not possible they are only known until the program ends."""
    kept = {key: sorted(some)[:MOST] for key, some in list(names.items())[-MOST:] if some}
    with contextlib.suppress(OSError):
        home = user_data_path("brucke")
        home.mkdir(parents=True, exist_ok=True)
        write_own(home / f"{what}.json", f"brucke {what}", VERSION, what, kept)
