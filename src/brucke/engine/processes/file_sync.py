"""Files are made safe on the disk beside whoever writes them: a disk that takes its time holds up nobody."""

import contextlib
import os
import threading
import time
from collections import deque
from collections.abc import Sequence


class FileSync:
    """`since_ns` is the monotonic time since when one file is being made safe, 0 while none is; `failed` what the disk
    said the last time it refused."""

    def __init__(self) -> None:
        self._wanted: deque[Sequence[int]] = deque()
        self._change = threading.Condition()
        self._busy = self._ended = False
        self.since_ns = 0
        self.failed: OSError | None = None
        self._thread = threading.Thread(target=self._run, name="syncing", daemon=True)
        self._thread.start()

    def ask(self, files: Sequence[int], later: bool = False) -> None:
        """Make these open files safe. They are this class's own to close (see `os.dup`). While it is still busy with
        others they wait where `later`, and are closed where not: they are asked for again in a second."""
        with self._change:
            if (self._busy or self._wanted) and not later:
                for f in files:
                    os.close(f)
                return
            self._wanted.append(files)
            self._change.notify()

    def end(self, seconds: float) -> None:
        """After what was asked for, as long as that takes no longer."""
        with self._change:
            self._ended = True
            self._change.notify()
        self._thread.join(seconds)

    def _run(self) -> None:
        while True:
            with self._change:
                self._busy = False
                self._change.wait_for(lambda: bool(self._wanted) or self._ended)
                if not self._wanted:
                    return
                wanted, self._busy = self._wanted.popleft(), True
            for file in wanted:
                self._sync(file)

    def _sync(self, file: int) -> None:
        self.since_ns = time.monotonic_ns()
        try:
            os.fsync(file)
        except OSError as e:
            self.failed = e
        finally:
            self.since_ns = 0
            with contextlib.suppress(OSError):
                os.close(file)
