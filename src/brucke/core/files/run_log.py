"""What happened, for whoever helps: one file a run, to which every process of it writes.

`BRUCKE_LOG` is the least that is written: debug, info (without it) or warning. At info no names of the user's stand in
it. The file is bounded, and so is how many are kept.
"""

import atexit
import contextlib
import logging
import os
import sys
import time
from pathlib import Path
from types import TracebackType

from platformdirs import user_log_path

FILE, LEVEL = "BRUCKE_LOG_FILE", "BRUCKE_LOG"
LEVELS = {"debug": logging.DEBUG, "info": logging.INFO, "warning": logging.WARNING}
MOST_BYTES, KEPT = 2_000_000, 10
FORM = "%(asctime)s.%(msecs)03d %(levelname)s %(name)s[%(process)d] %(message)s"


class _Bounded(logging.FileHandler):
    """Appends whole lines, as several processes may to one file; nothing more once it is full."""

    def emit(self, record: logging.LogRecord) -> None:
        if self.stream is None or os.fstat(self.stream.fileno()).st_size < MOST_BYTES:
            super().emit(record)

    def handleError(self, record: logging.LogRecord) -> None:
        """A full disk takes away the log, and nothing else."""


def begin(role: str) -> Path | None:
    """This process writes to the log of the run from now on, as `brucke.ROLE`; the first of a run makes the file, and
    the processes it starts write to the same. What ends it unforeseen is written with its traceback. The file, or None
    where none can be written."""
    path = Path(os.environ.get(FILE, "")) if os.environ.get(FILE) else _new_file()
    log = logging.getLogger("brucke")
    log.setLevel(LEVELS.get(os.environ.get(LEVEL, "info").lower(), logging.INFO))
    if path is None:
        return None
    try:
        handler = _Bounded(path, encoding="utf-8")
    except OSError:
        return None
    os.environ[FILE] = str(path)
    handler.setFormatter(logging.Formatter(FORM, "%Y-%m-%d %H:%M:%S"))
    log.addHandler(handler)
    log.propagate = False
    mine = log.getChild(role)
    mine.info("begins")
    atexit.register(mine.info, "ends")
    before = sys.excepthook

    def unforeseen(kind: type[BaseException], e: BaseException, tb: TracebackType | None) -> None:
        mine.critical("ended by what nobody foresaw", exc_info=(kind, e, tb))
        before(kind, e, tb)

    sys.excepthook = unforeseen
    return path


def _new_file() -> Path | None:
    folder = user_log_path("brucke") / "runs"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for old in sorted(folder.glob("*.log"))[: -(KEPT - 1)]:
            with contextlib.suppress(OSError):
                old.unlink()
        path = folder / f"{time.strftime('%Y-%m-%d %H.%M.%S')} {os.getpid()}.log"
        path.touch(mode=0o600)
    except OSError:
        return None
    return path


def last_lines(count: int) -> list[str]:
    """The newest lines of this run but for those of debugging, which may hold names; none without a file."""
    path = os.environ.get(FILE)
    try:
        lines = Path(path).read_text(encoding="utf-8", errors="replace").splitlines() if path else []
    except OSError:
        return []
    return [line for line in lines if " DEBUG " not in line[:40]][-count:]
