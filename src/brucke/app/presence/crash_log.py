"""What nobody foresaw: said in the notice line, written to a log file, and the window goes on with its sound."""

import logging
import sys
import threading
import traceback
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from platformdirs import user_log_path
from PyQt6.QtCore import QObject, pyqtSignal

from ...words.translation import _

MAX_BYTES, KEPT = 1_000_000, 3
AGAIN = 50  # the same one is written so often, then no more


def log_file() -> Path:
    return user_log_path("brucke") / "brucke.log"


def sentence(kind: type[BaseException], e: BaseException, file: Path | None) -> str:
    what = (str(e).splitlines() or [""])[0][:160]
    named = f"{kind.__name__}: {what}" if what else kind.__name__
    where = _(" It is written to {file}.").format(file=file) if file is not None else ""
    said = _("Something went wrong that nobody foresaw: {named}.{where} Everything else goes on.")
    return said.format(named=named, where=where)


class CrashLog(QObject):
    """`said(text)` may come from any thread. `install` makes this the last catcher of the program."""

    said = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._log = logging.getLogger("brucke.surprises")
        self._log.propagate = False
        self._file: Path | None = None
        self._seen: dict[str, int] = {}

    def install(self, say: Callable[[str], None]) -> None:
        self.said.connect(say)
        sys.excepthook = self.catch
        threading.excepthook = lambda a: self.catch(a.exc_type, a.exc_value or a.exc_type(), a.exc_traceback)

    def _open(self) -> None:
        if self._log.handlers:
            return
        try:
            log_file().parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            handler = RotatingFileHandler(log_file(), maxBytes=MAX_BYTES, backupCount=KEPT, encoding="utf-8")
        except OSError:
            self._log.addHandler(logging.StreamHandler(sys.stderr))
            return
        handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
        self._log.addHandler(handler)
        self._file = log_file()

    def catch(self, kind: type[BaseException], e: BaseException, tb: TracebackType | None) -> None:
        """As `sys.excepthook`."""
        if issubclass(kind, KeyboardInterrupt):
            return
        text = "".join(traceback.format_exception(kind, e, tb))
        place = "".join(traceback.format_tb(tb)[-1:])
        self._seen[place] = self._seen.get(place, 0) + 1
        if self._seen[place] > AGAIN:
            return
        self._open()
        self._log.error(text)
        logging.getLogger("brucke.app").error(_("nobody foresaw: %s"), text)
        self.said.emit(sentence(kind, e, self._file))
